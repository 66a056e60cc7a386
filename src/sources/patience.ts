/** Rejects when nothing happens for `patience` milliseconds: the built-in fetch waits forever on some dead connections. */
export async function withPatience<T>(work: Promise<T>, patience: number, silent: () => Error): Promise<T> {
  let timer: ReturnType<typeof setTimeout> | undefined;
  try {
    return await Promise.race([
      work,
      new Promise<never>((_, reject) => {
        timer = setTimeout(() => reject(silent()), patience);
      }),
    ]);
  } finally {
    clearTimeout(timer);
  }
}
