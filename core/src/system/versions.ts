/** Order of a character in a version: a tilde before the end, letters before the rest (Debian Policy, section 5.6.12). */
function weight(char: string | undefined): number {
  if (char === '~') return -1;
  if (char === undefined || /\d/.test(char)) return 0;
  return /[A-Za-z]/.test(char) ? char.charCodeAt(0) : char.charCodeAt(0) + 256;
}

function compareParts(a: string, b: string): number {
  let left = 0;
  let right = 0;
  while (left < a.length || right < b.length) {
    while (
      (left < a.length && !/\d/.test(a.charAt(left))) ||
      (right < b.length && !/\d/.test(b.charAt(right)))
    ) {
      const difference = weight(a[left]) - weight(b[right]);
      if (difference !== 0) return difference;
      left++;
      right++;
    }
    const digitsLeft = /^\d*/.exec(a.slice(left))?.[0] ?? '';
    const digitsRight = /^\d*/.exec(b.slice(right))?.[0] ?? '';
    left += digitsLeft.length;
    right += digitsRight.length;
    const numbers = [digitsLeft, digitsRight].map((digits) => BigInt(digits === '' ? '0' : digits));
    const [one = 0n, other = 0n] = numbers;
    if (one !== other) return one < other ? -1 : 1;
  }
  return 0;
}

const split = (version: string): { epoch: string; upstream: string; revision: string } => {
  const colon = version.indexOf(':');
  const rest = version.slice(colon + 1);
  const dash = rest.lastIndexOf('-');
  return {
    epoch: colon < 0 ? '0' : version.slice(0, colon),
    upstream: dash < 0 ? rest : rest.slice(0, dash),
    revision: dash < 0 ? '' : rest.slice(dash + 1),
  };
};

/**
 * Compares versions of packages as Debian orders them (Debian Policy, section 5.6.12).
 * @returns less than 0 when `a` is the earlier one, more when it is the later one
 */
export function compareVersions(a: string, b: string): number {
  const left = split(a);
  const right = split(b);
  return (
    compareParts(left.epoch, right.epoch) ||
    compareParts(left.upstream, right.upstream) ||
    compareParts(left.revision, right.revision)
  );
}
