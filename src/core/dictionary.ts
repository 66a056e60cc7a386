/**
 * A table of words that names from outside are looked up in. It has no members but its own: `constructor`, `toString` and
 * `__proto__` are names like others, for `in` as well as for brackets.
 */
export function dictionary<T>(entries: Readonly<Record<string, T>>): Readonly<Record<string, T>> {
  return Object.freeze(Object.assign(Object.create(null) as Record<string, T>, entries));
}

/** The same for what was read from settings: every object in it, at any depth. */
export function withoutPrototypes<T>(value: T): T {
  if (value === null || typeof value !== 'object') return value;
  if (Array.isArray(value)) return value.map(withoutPrototypes) as T;
  if (Object.getPrototypeOf(value) !== Object.prototype && Object.getPrototypeOf(value) !== null)
    return value;
  const plain = Object.create(null) as Record<string, unknown>;
  for (const [name, inner] of Object.entries(value)) plain[name] = withoutPrototypes(inner);
  return plain as T;
}
