/** Where something is wrong. Every part is optional; what is known is told. */
export interface Place {
  file?: string;
  layer?: string;
  feature?: string | number;
  field?: string;
  byte?: number;
  line?: number;
  column?: number;
}

/** Words for a place: `wards.geojson, line 3, column 14`. Empty when nothing is known. */
export function describePlace(place: Place): string {
  const words: string[] = [];
  if (place.file !== undefined) words.push(place.file);
  if (place.layer !== undefined) words.push(`layer ${place.layer}`);
  if (place.feature !== undefined) words.push(`feature ${place.feature}`);
  if (place.field !== undefined) words.push(`field ${place.field}`);
  if (place.line !== undefined) words.push(`line ${place.line}`);
  // A column alone, without file or line, is told by the words themselves.
  if (place.column !== undefined && words.length > 0) words.push(`column ${place.column}`);
  if (place.byte !== undefined) words.push(`byte ${place.byte}`);
  return words.join(', ');
}

/** Words for where something was asked for and where it failed: `study.yaml, line 12, column 7, layer wards`. */
export function describePlaces(written: Place | undefined, place: Place): string {
  if (written === undefined) return describePlace(place);
  if (place.file === undefined) {
    const { layer, feature, field } = place;
    const inside = describePlace({ layer, feature, field });
    return `${describePlace(written)}${inside === '' ? '' : `, ${inside}`}`;
  }
  return `${describePlace(written)}: ${describePlace(place)}`;
}

/** What is wrong, as it was written: a text, and the character of it (from 0) at which the mistake begins. */
export interface Wrong {
  text: string;
  at: number;
}

/** Whose fault it is: the caller's (`usage`) or the input's or source's (`input`). Decides the exit code. */
export type Blame = 'usage' | 'input';

/** One of several failures that an error tells of together. */
export interface Failure {
  /** What failed: names of datasets, of layers. */
  what: readonly string[];
  code: string;
  words: string;
  place: Place;
  /** Where in a study the thing was asked for that failed. */
  written?: Place;
  advice: string;
}

/** A failure as data, whatever was raised. */
export function failureOf(what: readonly string[], error: unknown): Failure {
  if (error instanceof IsomericError) {
    const { code, message, place, written, advice } = error;
    return { what, code, words: message, place, ...(written === undefined ? {} : { written }), advice };
  }
  return { what, code: 'unexpected', words: String(error), place: {}, advice: '' };
}

/**
 * Every error that Isomeric raises on purpose: what is wrong, where, and what to do about it.
 * `code` is stable (`area-name`); the words may be bettered.
 */
export class IsomericError extends Error {
  readonly code: string;
  readonly place: Place;
  readonly advice: string;
  readonly blame: Blame;
  /** The word that is wrong, where one is: whoever knows where it was written can point at it. */
  declare readonly wrong?: Wrong;
  /** Where in a study the thing was asked for that failed. */
  declare readonly written?: Place;
  /** All failures, where the error tells of several. */
  readonly failures: readonly Failure[];

  constructor(
    code: string,
    words: string,
    more: {
      place?: Place;
      advice?: string;
      blame?: Blame;
      cause?: unknown;
      failures?: readonly Failure[];
      wrong?: string | Wrong;
      written?: Place;
    } = {},
  ) {
    super(words, more.cause === undefined ? undefined : { cause: more.cause });
    this.name = 'IsomericError';
    this.code = code;
    this.place = more.place ?? {};
    this.advice = more.advice ?? '';
    this.blame = more.blame ?? 'input';
    this.failures = more.failures ?? [];
    // Only where there is one: what is printed of an error is read by people.
    if (more.wrong !== undefined)
      this.wrong = typeof more.wrong === 'string' ? { text: more.wrong, at: 0 } : more.wrong;
    if (more.written !== undefined) this.written = more.written;
  }

  /** The one sentence (or two) a person reads. */
  get sentence(): string {
    const place = describePlaces(this.written, this.place);
    const told = place === '' ? this.message : `${place}: ${this.message}`;
    if (this.advice === '') return told.trimEnd();
    const ended = /[.!?:\n”)]$/.test(told) ? told : `${told}.`;
    return `${ended}${ended.endsWith('\n') ? '' : ' '}${this.advice}`;
  }

  /** The same error, told where it happened by somebody who knows more of the place. */
  at(place: Place): IsomericError {
    return this.with({ place: { ...place, ...this.place } });
  }

  /** The same error, told where in a study the thing was asked for that failed; whoever was nearest to it has told already. */
  writtenAt(written: Place): IsomericError {
    if (this.written !== undefined) return this;
    // A column without a line is one of an expression, which stands somewhere in the study.
    const { column, ...place } = this.place;
    return this.with({ written, place: place.line === undefined ? place : this.place });
  }

  private with(more: { place?: Place; written?: Place }): IsomericError {
    const { code, message, place, advice, blame, cause, failures, wrong, written } = this;
    const told = { place, advice, blame, cause, failures, wrong, written, ...more };
    return new IsomericError(code, message, told);
  }
}

/** Runs `work` and adds `place` to any error of ours that it raises. */
export async function placed<T>(place: Place, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw error instanceof IsomericError ? error.at(place) : error;
  }
}
