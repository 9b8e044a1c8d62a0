/** Host names: the rules of RFC 1123, name patterns and pasted lists. */

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

/** A pattern that cannot be used, with a sentence that says why. */
export class PatternError extends Error {}

/**
 * Names from a pattern: `{n}` is the running number, `{n:02}` pads it with zeros to two digits.
 * @param first number of the first device
 * @throws PatternError when the pattern has no number, an unknown part or an unclosed brace
 */
export function namesFromPattern(pattern: string, count: number, first = 1): string[] {
  if (!Number.isInteger(count) || count < 1 || count > BATCH_LIMIT)
    throw new PatternError(`Ask for between 1 and ${String(BATCH_LIMIT)} devices.`);
  if (!Number.isInteger(first) || first < 0) throw new PatternError('Start counting at 0 or above.');
  const parts = pattern.trim().split(/(\{[^{}]*\})/);
  const slots = parts.filter((part) => part.startsWith('{'));
  for (const part of parts)
    if (part.startsWith('{') ? !/^\{n(:0\d)?\}$/.test(part) : /[{}]/.test(part))
      throw new PatternError(`"${part}" is not understood; write {n} or {n:02} for the number.`);
  if (slots.length === 0 && count > 1)
    throw new PatternError('Put {n} or {n:02} into the pattern, or all devices get the same name.');
  return Array.from({ length: count }, (_, index) =>
    parts
      .map((part) => {
        if (!part.startsWith('{')) return part;
        const width = Number(/:0(\d)/.exec(part)?.[1] ?? 1);
        return String(first + index).padStart(width, '0');
      })
      .join(''),
  );
}

export interface PastedNames {
  names: string[];
  /** Lines left out, counted from 1, with the reason. */
  skipped: { line: number; text: string; reason: 'blank' | 'duplicate' }[];
}

/**
 * Names from a pasted list, one a line; spaces around them, a byte-order mark and any line end are taken off.
 * Blank lines and names given before (case does not count, RFC 1035 section 2.3.3) are left out and reported.
 */
export function namesFromList(text: string): PastedNames {
  const result: PastedNames = { names: [], skipped: [] };
  const seen = new Set<string>();
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\r|\n/);
  if (lines.at(-1)?.trim() === '') lines.pop();
  lines.forEach((raw, index) => {
    const name = raw.trim();
    const reason = name === '' ? 'blank' : seen.has(name.toLowerCase()) ? 'duplicate' : null;
    if (reason) result.skipped.push({ line: index + 1, text: name, reason });
    else {
      seen.add(name.toLowerCase());
      result.names.push(name);
    }
  });
  return result;
}
