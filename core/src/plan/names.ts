import transliterate from '@sindresorhus/transliterate';
/** Host names: the rules of RFC 1123, name patterns and ranges of numbers. */

/** Most devices in one batch; keeps a slip of the finger from planning a million. */
export const BATCH_LIMIT = 1000;

export type HostNameFault = 'empty' | 'long' | 'character' | 'edge';

/**
 * What is wrong with a host name, or null.
 * One label of letters, digits and hyphens that begins and ends with a letter or digit (RFC 952 as relaxed by
 * RFC 1123 section 2.1), at most 63 octets (RFC 1035 section 2.3.4).
 */
export function hostNameFault(name: string): HostNameFault | null {
  if (name === '') return 'empty';
  if (!/^[A-Za-z0-9-]+$/.test(name)) return 'character';
  if (name.length > 63) return 'long';
  return name.startsWith('-') || name.endsWith('-') ? 'edge' : null;
}

/** A pattern or a range that cannot be used, with a sentence that says why. */
export class PatternError extends Error {
  override readonly name = 'PatternError';
}

/** What a pattern's parts stand for, for one device. */
export interface PatternValues {
  n: number;
  nest: string;
  role: string;
  site: string;
}

/** Characters of a label (RFC 1035 section 2.3.4). */
const LABEL_LIMIT = 63;

/**
 * Text as part of a host name: small letters, digits, and hyphens for everything else (RFC 1123 section 2.1). Letters of
 * other alphabets are written with Latin ones where there is a usual way.
 */
export const asLabel = (text: string): string =>
  transliterate(text)
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+/, '')
    .slice(0, LABEL_LIMIT)
    .replace(/-+$/, '');

const knownPart = /^\{(n(:0[1-9])?|nest|role|site)\}$/;

/**
 * Names from a pattern: `{n}` is the running number, `{n:02}` pads it with zeros to two digits; `{nest}`, `{role}` and
 * `{site}` are the device's, written as a host name can hold them.
 * @throws PatternError when a part is unknown or a brace is not closed
 */
export function fillPattern(pattern: string, items: readonly PatternValues[]): string[] {
  const parts = pattern.trim().split(/(\{[^{}]*\})/);
  for (const part of parts)
    if (part.startsWith('{') ? !knownPart.test(part) : /[{}]/.test(part))
      throw new PatternError(
        `"${part}" is not understood; write {n} or {n:02} for the number, {nest}, {role} or {site}.`,
      );
  if (!parts.some((part) => part.startsWith('{n')) && items.length > 1)
    throw new PatternError('Put {n}, {n:02} or {nest} into the pattern, or all devices get the same name.');
  const filled = (part: string, values: PatternValues): string => {
    if (part === '{nest}' || part === '{role}' || part === '{site}')
      return asLabel(values[part.slice(1, -1) as 'nest' | 'role' | 'site']);
    if (!part.startsWith('{')) return part;
    const width = Number(/:0(\d)/.exec(part)?.[1] ?? 1);
    return String(values.n).padStart(width, '0');
  };
  return items.map((values) => parts.map((part) => filled(part, values)).join(''));
}

/**
 * Numbers from ranges such as `1-12, 15, 20-22`, in the order given.
 * @throws PatternError when the text is none, a number comes twice, or there are too many
 */
export function parseRanges(text: string): number[] {
  const numbers: number[] = [];
  for (const part of text.split(/[,;\s]+/).filter((piece) => piece !== '')) {
    const range = /^(\d{1,6})(?:[-–](\d{1,6}))?$/.exec(part);
    if (!range) throw new PatternError(`"${part}" is not a number or a range; write 1-12, 15.`);
    const from = Number(range[1]);
    const to = Number(range[2] ?? range[1]);
    if (to < from) throw new PatternError(`"${part}" runs backwards; write ${String(to)}-${String(from)}.`);
    if (numbers.length + to - from + 1 > BATCH_LIMIT)
      throw new PatternError(`Ask for between 1 and ${String(BATCH_LIMIT)} devices.`);
    for (let number = from; number <= to; number++) numbers.push(number);
  }
  if (numbers.length === 0) throw new PatternError('Say which numbers, for instance 1-12.');
  const twice = numbers.find((number, index) => numbers.indexOf(number) !== index);
  if (twice !== undefined) throw new PatternError(`The number ${String(twice)} comes twice.`);
  return numbers;
}

/**
 * Names from a pattern with running numbers only.
 * @param first number of the first device
 * @throws PatternError as `fillPattern`, and when the count or the first number makes no sense
 */
export function namesFromPattern(pattern: string, count: number, first = 1): string[] {
  if (!Number.isInteger(count) || count < 1 || count > BATCH_LIMIT)
    throw new PatternError(`Ask for between 1 and ${String(BATCH_LIMIT)} devices.`);
  if (!Number.isInteger(first) || first < 0) throw new PatternError('Start counting at 0 or above.');
  return fillPattern(
    pattern,
    Array.from({ length: count }, (_, index) => ({ n: first + index, nest: '', role: '', site: '' })),
  );
}
