/** `a`, `a and b`, `a, b and c`. */
export const listed = (parts: readonly string[]): string =>
  parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1) ?? ''}`;

/** `1 board`, `3 boards`. */
export const counted = (count: number, one: string, several = `${one}s`): string =>
  `${String(count)} ${count === 1 ? one : several}`;

/** Values in groups, in the order in which each group came first. */
export function grouped<T, K>(values: Iterable<T>, by: (value: T) => K): Map<K, [T, ...T[]]> {
  const groups = new Map<K, [T, ...T[]]>();
  for (const value of values) {
    const key = by(value);
    const group = groups.get(key);
    if (group) group.push(value);
    else groups.set(key, [value]);
  }
  return groups;
}
