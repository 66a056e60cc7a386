/** A study as it was read, before anything is known of its shape. */
export type Raw = Readonly<Record<string, unknown>>;

/** The value as keys with values; undefined when it is something else. */
export function record(value: unknown): Raw | undefined {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Raw) : undefined;
}

/** Keys with their values; none where there are none. */
export function partsOf(value: unknown): [string, unknown][] {
  return Object.entries(record(value) ?? {});
}

/** All values at a path in which `*` stands for any key and any entry of a list. */
export function valuesAt(
  whole: unknown,
  pattern: readonly string[],
): { path: PropertyKey[]; value: unknown }[] {
  let found: { path: PropertyKey[]; value: unknown }[] = [{ path: [], value: whole }];
  for (const part of pattern)
    found = found.flatMap(({ path, value }) => {
      if (part === '*' && Array.isArray(value))
        return value.map((each: unknown, k) => ({ path: [...path, k], value: each }));
      if (part === '*') return partsOf(value).map(([key, each]) => ({ path: [...path, key], value: each }));
      const keys = record(value);
      return keys !== undefined && Object.hasOwn(keys, part)
        ? [{ path: [...path, part], value: keys[part] }]
        : [];
    });
  return found;
}
