import { textOrNull } from '../../bytes';
import type { Quoting } from '../../plan/own-method';
import { utf8Text } from './octet-text';
import { OwnMethodError } from './template';

/** What no line of a text may hold: it would end the line, or is no text at all. */
const controls = /[\x00-\x1f\x7f\x80-\x9f\u2028\u2029\ufeff\ufffe\uffff]/;
/** The same, but for line ends and tabs. */
const hardControls = /[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\x80-\x9f\u2028\u2029\ufeff\ufffe\uffff]/;

const refuse = (why: string): never => {
  throw new OwnMethodError(why);
};

const needText = (octets: Uint8Array): string =>
  textOrNull(octets) ?? refuse('It is no UTF-8, and only percent-encoding, hex and base64 can say it.');

/** Entities of XML (XML 1.0, section 4.6). */
const entities: readonly [string, string][] = [
  ['&', '&amp;'],
  ['<', '&lt;'],
  ['>', '&gt;'],
  ['"', '&quot;'],
  ["'", '&#39;'],
];

/**
 * Writes a value so that a reader of the format gets it back, and nothing else.
 * `plain` only lets through what no reader of lines takes for more: no control characters, no comment sign or quotation
 * mark at the beginning, no blank at an end, no backslash at the end.
 * @param from where the value begins: a line, or in the middle of one
 * @throws OwnMethodError when the format cannot say it
 */
export function quoted(octets: Uint8Array, quoting: Quoting): string {
  if (quoting === 'percent') return percent(octets);
  const text = needText(octets);
  switch (quoting) {
    case 'plain':
      return plain(text);
    case 'shell':
      // Inside single quotes nothing is special but the quote itself (POSIX.1-2017, XCU section 2.2.2).
      if (hardControls.test(text) || text.includes('\r')) refuse('It holds a control character.');
      return `'${text.replaceAll("'", `'\\''`)}'`;
    case 'json':
      // RFC 8259 section 7.
      return JSON.stringify(text).replace(
        /[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]/g,
        (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`,
      );
    case 'xml':
      if (hardControls.test(text) || text.includes('\r'))
        refuse('It holds a control character, which XML has none for.');
      return entities
        .reduce((done, [char, entity]) => done.replaceAll(char, entity), text)
        .replaceAll('\n', '&#10;')
        .replaceAll('\t', '&#9;');
  }
}

function plain(text: string): string {
  if (controls.test(text))
    refuse('It has more than one line, or holds a control character; choose a quoting, or base64.');
  if (/^\s|\s$/.test(text))
    refuse('It begins or ends with a blank, which readers of lines cut off; choose a quoting.');
  if (/^["'#;]|\\$/.test(text) || /\s[#;]/.test(text))
    refuse(
      'It holds a comment sign behind a blank, begins with one or with a quotation mark, or ends with a backslash: some readers take that for more than a letter. Choose a quoting.',
    );
  return text;
}

/** Every octet but those that web addresses never need to spell out (RFC 3986, sections 2.1 and 2.3). */
const percent = (octets: Uint8Array): string =>
  [...octets]
    .map((octet) => {
      const char = String.fromCharCode(octet);
      return /[A-Za-z0-9._~-]/.test(char) ? char : `%${octet.toString(16).toUpperCase().padStart(2, '0')}`;
    })
    .join('');

/** What a quoted value looks like: as a whole where it has an end of its own, otherwise the characters that it has. */
export const quotedPattern: Record<Quoting, { whole: string } | { of: string }> = {
  plain: { of: '[^\\n]' },
  shell: { whole: "'(?:[^']|'\\\\'')*'" },
  json: { whole: '"(?:[^"\\\\\\n]|\\\\.)*"' },
  percent: { of: '[A-Za-z0-9._~%-]' },
  xml: { of: '[^<>"\'\\n]' },
};

/** What a quoted value stands for, with one character for each octet; null when it is no such value. */
export function unquoted(text: string, quoting: Quoting): string | null {
  switch (quoting) {
    case 'plain':
      return utf8Text(text);
    case 'shell':
      return /^'(?:[^']|'\\'')*'$/.test(text) ? utf8Text(text.slice(1, -1).replaceAll(`'\\''`, "'")) : null;
    case 'json':
      try {
        const value: unknown = JSON.parse(text);
        return typeof value === 'string' ? utf8Text(value) : null;
      } catch {
        return null;
      }
    case 'percent':
      return unpercent(text);
    case 'xml':
      return unxml(text);
  }
}

function unpercent(text: string): string | null {
  if (!/^(?:[A-Za-z0-9._~-]|%[0-9A-Fa-f]{2})*$/.test(text)) return null;
  return text.replace(/%[0-9A-Fa-f]{2}/g, (octet) => String.fromCharCode(parseInt(octet.slice(1), 16)));
}

function unxml(text: string): string | null {
  if (/[<>"']/.test(text)) return null;
  const strange = { met: false };
  const plainText = text.replace(/&([^;&]*);?/g, (all: string, name: string) => {
    const code = /^#(?:(\d{1,7})|x([0-9A-Fa-f]{1,6}))$/.exec(name);
    const point = code ? parseInt(code[1] ?? code[2] ?? '', code[1] === undefined ? 16 : 10) : 0;
    const named =
      entities.find(([, entity]) => entity === `&${name};`)?.[0] ?? (name === 'apos' ? "'" : undefined);
    if (!all.endsWith(';') || (named === undefined && (!code || point > 0x10ffff))) strange.met = true;
    return named ?? (strange.met ? '' : String.fromCodePoint(point));
  });
  return strange.met ? null : utf8Text(plainText);
}
