/** Reasons for which readings were ended from outside: no fault of a file, whatever they look like. */
const reasons = new WeakSet<object>();

/** Ends what reads when the signal says so, with its reason; one that is no object becomes the message of an error. */
export function endWhenTold(signal: AbortSignal | undefined): void {
  if (signal?.aborted !== true) return;
  const { reason } = signal;
  const raised: object =
    typeof reason === 'object' && reason !== null ? reason : new DOMException(String(reason), 'AbortError');
  reasons.add(raised);
  throw raised;
}

/** Was a reading ended with this from outside? */
export function wasEnded(error: unknown): boolean {
  return typeof error === 'object' && error !== null && reasons.has(error);
}
