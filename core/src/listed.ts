/** `a`, `a and b`, `a, b and c`. */
export const listed = (parts: readonly string[]): string =>
  parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1) ?? ''}`;

/** `1 board`, `3 boards`. */
export const counted = (count: number, one: string, several = `${one}s`): string =>
  `${String(count)} ${count === 1 ? one : several}`;
