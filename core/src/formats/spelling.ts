/**
 * The one of some names that another was meant as: with a letter more, less or other, or two neighbours exchanged; also
 * with other capitals, or hyphens for underscores. Null when there is none.
 */
export function nearest(name: string, known: readonly string[]): string | null {
  const plain = (text: string): string => text.toLowerCase().replaceAll('-', '_');
  const letters = plain(name);
  return (
    known.find((one) => {
      const other = plain(one);
      if (Math.abs(other.length - letters.length) > 1) return false;
      let from = 0;
      while (from < other.length && other[from] === letters[from]) from++;
      let end = 0;
      const shorter = Math.min(other.length, letters.length);
      while (end < shorter - from && other.at(-1 - end) === letters.at(-1 - end)) end++;
      const [left, right] = [
        other.slice(from, other.length - end),
        letters.slice(from, letters.length - end),
      ];
      return (
        Math.max(left.length, right.length) <= 1 ||
        (left.length === 2 && left[0] === right[1] && left[1] === right[0])
      );
    }) ?? null
  );
}
