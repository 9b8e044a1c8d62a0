import { utf8 } from '../bytes';
import type { BootFile, Findings } from './finding';

/** Quotation marks that word processors and web pages put in place of the plain ones. */
const curly = /[\u2018\u2019\u201a\u201b\u201c\u201d\u201e\u201f\u00ab\u00bb]/;

/**
 * What web pages and word processors put in that cannot be seen: spaces that are none, and what has no width. Joiners
 * (U+200C, U+200D) are left out, since they belong to scripts and emoji.
 */
const unseen = /[\u00a0\u00ad\u200b\u200e\u200f\u202a-\u202f\u2060\ufeff]/;
/** Line ends to YAML 1.1 (section 5.4), and to nobody who looks at the text. */
const strangeLineEnds = /[\u0085\u2028\u2029]/;

/** What may not stand in a text: all but tabs and line ends of the control characters (YAML 1.1 section 5.1). */
const controls = /[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x84\x86-\x9f\ufffe\uffff]/;

/** Line of an offset in a text, from 1. */
const lineAt = (text: string, offset: number): number => text.slice(0, offset).split('\n').length;

const placeOf = (text: string, offset: number): { line: number; byte: number } => ({
  line: lineAt(text, offset),
  byte: utf8(text.slice(0, offset)).length,
});

const codePoint = (character: string): string =>
  `U+${(character.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')}`;

/** How a kind of file takes what editors do to it. */
export interface TextHabits {
  /** Whether carriage returns break it (a script, a command line) or are taken. */
  carriageReturns: 'break' | 'taken';
  /** Whether a byte-order mark breaks it. */
  byteOrderMark: 'break' | 'taken';
}

/**
 * A seed's YAML reader takes carriage returns and a byte-order mark; the mark throws off only who looks for the first
 * line of user-data (seen on a started system).
 */
export const SEED_HABITS: TextHabits = { carriageReturns: 'taken', byteOrderMark: 'taken' };
export const USER_DATA_HABITS: TextHabits = { ...SEED_HABITS, byteOrderMark: 'break' };

const sixteen = (content: Uint8Array): 'utf-16le' | 'utf-16be' | null => {
  const [first, second, third, fourth] = content;
  if (first === 0xff && second === 0xfe) return 'utf-16le';
  if (first === 0xfe && second === 0xff) return 'utf-16be';
  // Without a mark: plain text whose every other octet is zero.
  if (first !== 0 && second === 0 && third !== 0 && fourth === 0) return 'utf-16le';
  return first === 0 && second !== 0 && third === 0 && fourth !== 0 ? 'utf-16be' : null;
};

/**
 * Text of a file with plain line ends, and what an editor did to it. Each mistake comes with the mended file.
 * @returns null when it is no text
 */
export function readText({ name, content }: BootFile, habits: TextHabits, found: Findings): string | null {
  const wide = sixteen(content);
  if (wide) {
    const text = new TextDecoder(wide).decode(content).replace(/^\uFEFF/, '');
    found.add(
      'stops',
      'utf-16',
      `${name} is saved as UTF-16.`,
      'The board reads UTF-8; it sees a zero between all letters and takes none of it.',
      'Save it as UTF-8 without a byte-order mark.',
      { byte: 0, fix: { do: 'replace', file: name, content: utf8(text.replace(/\r\n?/g, '\n')) } },
    );
    return text.replace(/\r\n?/g, '\n');
  }
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(content);
  } catch {
    const byte = firstBad(content);
    found.add(
      'stops',
      'not-utf-8',
      `${name} is not UTF-8, first at byte ${String(byte)}.`,
      'The board cannot read the file, or reads another name or passphrase than was meant.',
      'Save it as UTF-8.',
      { byte, line: lineAt(new TextDecoder().decode(content.subarray(0, byte)), byte) },
    );
    return null;
  }
  const plain = text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
  found.text = plain;
  const mended = { do: 'replace' as const, file: name, content: utf8(plain) };
  if (text.startsWith('\uFEFF'))
    found.add(
      habits.byteOrderMark === 'break' ? 'stops' : 'note',
      'byte-order-mark',
      `${name} begins with a byte-order mark.`,
      'The mark stands before the first letter, so the first line is another one for the board.',
      'Save it as UTF-8 without a byte-order mark.',
      { byte: 0, line: 1, fix: mended },
    );
  if (text.includes('\r'))
    found.add(
      habits.carriageReturns === 'break' ? 'stops' : 'note',
      'carriage-returns',
      `${name} has the line ends of another system (CRLF).`,
      habits.carriageReturns === 'break'
        ? 'The carriage return becomes a part of the last word of each line.'
        : 'This kind of file is taken all the same; scripts and command lines are not.',
      'Save it with the line ends of Unix (LF).',
      { byte: text.indexOf('\r'), line: lineAt(text, text.indexOf('\r')), fix: mended },
    );
  const control = controls.exec(plain);
  if (control)
    found.add(
      'stops',
      'control-character',
      `${name} holds a control character (number ${String(control[0].charCodeAt(0))}).`,
      'Readers of such files refuse them, or the name or passphrase that it stands in is another one.',
      'Take it away; it cannot be seen in most editors.',
      placeOf(plain, control.index),
    );
  const separator = strangeLineEnds.exec(plain);
  if (separator)
    found.add(
      'stops',
      'line-separator',
      `${name} holds ${codePoint(separator[0])}, a line end that is none to most programs.`,
      'A YAML reader ends the line there; others take it for a letter of the name or passphrase.',
      'Type a plain line end, or a space, in its place.',
      {
        ...placeOf(plain, separator.index),
        mend: (line) => line.replace(new RegExp(strangeLineEnds, 'g'), ' '),
      },
    );
  const hidden = unseen.exec(plain);
  if (hidden)
    found.add(
      'warns',
      'unseen-character',
      `${name} holds ${codePoint(hidden[0])}, ${/[\u00a0\u202f]/.test(hidden[0]) ? 'a space that is no plain one' : 'a character that cannot be seen'}.`,
      'It is a letter like any other for the board: a name or passphrase with it is another one.',
      'Type it anew instead of copying it; text copied from a web page often brings such characters.',
      {
        ...placeOf(plain, hidden.index),
        mend: (line) => line.replace(/[\u00a0\u202f]/g, ' ').replace(new RegExp(unseen, 'g'), ''),
      },
    );
  const quote = curly.exec(plain);
  if (quote)
    found.add(
      'warns',
      'curly-quotes',
      `${name} holds a curly quotation mark: ${quote[0]}`,
      'It is a letter like any other for the board: what it should enclose is read with it, or to the end of the line.',
      'Type the plain marks " and \' instead; text copied from a web page often brings curly ones.',
      {
        ...placeOf(plain, quote.index),
        mend: (line) => line.replace(/[\u201c-\u201f\u00ab\u00bb]/g, '"').replace(/[\u2018-\u201b]/g, "'"),
      },
    );
  return plain;
}

/** Where the first octet that is no UTF-8 stands: decoding puts U+FFFD there. */
function firstBad(content: Uint8Array): number {
  const text = new TextDecoder().decode(content);
  return utf8(text.slice(0, Math.max(0, text.indexOf('\uFFFD')))).length;
}
