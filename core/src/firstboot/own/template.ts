import { fromBase64, fromHex, textOrNull, toBase64, toHex, utf8 } from '../../bytes';
import { ownWordTitles, type OwnWords } from '../../plan/own-method';
import { isValueName, octetsOf, valueTitle, valueType, type TurnValues, type ValueName } from './values';

/** Ways to write octets with letters and digits only (RFC 4648). */
type Spelling = 'base64' | 'hex';

/** A value of the plan in a text. */
export interface Placeholder {
  name: ValueName;
  spelling: Spelling | null;
}
/** A text with values of the plan in it: what stands there as it is, and what is put in. */
export type Template = readonly (string | Placeholder)[];

/** What a value cannot be written as, in words for people. */
export class OwnMethodError extends Error {
  override readonly name = 'OwnMethodError';
}

/** A text in which something looks like a placeholder and is none. */
export class TemplateError extends Error {
  override readonly name = 'TemplateError';
}

const placeholder = /<<([^<>\s]*)>>/;

/** Takes a text apart at its `<<name>>`, `<<name.hex>>` and `<<name.base64>>`. @throws TemplateError */
export function parseTemplate(text: string): Template {
  const parts: (string | Placeholder)[] = [];
  let rest = text;
  for (let found = placeholder.exec(rest); found; found = placeholder.exec(rest)) {
    if (found.index > 0) parts.push(rest.slice(0, found.index));
    const [all, inner = ''] = found;
    const [name = '', spelling = null, ...more] = inner.split('.');
    if (!isValueName(name)) throw new TemplateError(`There is no value "${name}".`);
    if (more.length > 0 || (spelling !== null && spelling !== 'hex' && spelling !== 'base64'))
      throw new TemplateError(`"${inner}" is not understood; behind the point stands hex or base64.`);
    parts.push({ name, spelling });
    rest = rest.slice(found.index + all.length);
  }
  if (rest !== '') parts.push(rest);
  return parts;
}

export const placeholdersOf = (template: Template): Placeholder[] =>
  template.filter((part) => typeof part !== 'string');

/** Octets that stand for a value: as they are, in digits, or as the file's word. @throws OwnMethodError */
export function octetsFor({ name, spelling }: Placeholder, values: TurnValues, words: OwnWords): Uint8Array {
  const octets = octetsOf(values.get(name) ?? '');
  const type = valueType(name);
  const said = type === 'yes-no' || type === 'security' ? wordFor(name, octets, words) : octets;
  if (spelling === null) return said;
  return utf8(spelling === 'hex' ? toHex(said) : toBase64(said));
}

function wordFor(name: ValueName, octets: Uint8Array, words: OwnWords): Uint8Array {
  const id = textOrNull(octets) as keyof OwnWords;
  const word = words[id];
  if (word === '' && name === 'security')
    throw new OwnMethodError(`The file has no word for a network of this kind (${ownWordTitles[id]}).`);
  return utf8(word);
}

/** A value as a text. @throws OwnMethodError when its octets are none, as names of networks may be */
export function textFor(part: Placeholder, values: TurnValues, words: OwnWords): string {
  const text = textOrNull(octetsFor(part, values, words));
  if (text === null)
    throw new OwnMethodError(
      `The ${valueTitle(part.name)} is no UTF-8; write it as <<${part.name}.hex>> or <<${part.name}.base64>>, if its reader takes that.`,
    );
  return text;
}

const special = /[\\^$.*+?()[\]{}|/]/g;
export const escaped = (text: string): string => text.replace(special, '\\$&');

/** As many of a kind of character as stand before a text. */
const before = (next: string, kind: string): string =>
  next === '' ? `${kind}*` : `(?:(?!${escaped(next)})${kind})*`;

/**
 * What a placeholder may be where it is read back. It ends where the text behind it begins for the first time, so there
 * is one way to read a text, and a hostile one costs no more time than another.
 * @param next the text behind the placeholder; empty at the end
 * @param loose a kind of character that values are made of
 */
export function patternOf(
  { name, spelling }: Placeholder,
  next: string,
  words: OwnWords,
  loose: string,
): string {
  if (spelling === 'hex') return before(next, '[0-9A-Fa-f]');
  if (spelling === 'base64') return before(next, '[A-Za-z0-9+/=]');
  const type = valueType(name);
  const known =
    type === 'yes-no'
      ? [words.yes, words.no]
      : type === 'security'
        ? securityWords(words).map(([, word]) => word)
        : [];
  // The longest first: of two words one may begin with the other.
  if (known.length > 0)
    return `(?:${known
      .sort((a, b) => b.length - a.length)
      .map(escaped)
      .join('|')})`;
  return before(next, type === 'number' ? '[0-9-]' : loose);
}

/** The text behind a part of a template; empty where another value stands there, or nothing. */
export const nextText = (template: Template, at: number): string => {
  const next = template[at + 1];
  return typeof next === 'string' ? next : '';
};

/** Words of the kinds of security that a file can say. */
const securityWords = (words: OwnWords): [keyof OwnWords, string][] =>
  (['open', 'wep', 'wpa2', 'mixed', 'wpa3'] as const)
    .map((id): [keyof OwnWords, string] => [id, words[id]])
    .filter(([, word]) => word !== '');

/** The value that a text stands for, as `turnsOf` gives it; null when it stands for none. */
export function valueFrom(
  { name, spelling }: Placeholder,
  octets: Uint8Array,
  words: OwnWords,
): Uint8Array | null {
  const text = textOrNull(octets);
  const plain =
    spelling === null ? octets : text === null ? null : spelling === 'hex' ? fromHex(text) : fromBase64(text);
  if (plain === null) return null;
  const type = valueType(name);
  if (type !== 'yes-no' && type !== 'security') return plain;
  const word = textOrNull(plain);
  const known: [keyof OwnWords, string][] =
    type === 'yes-no'
      ? [
          ['yes', words.yes],
          ['no', words.no],
        ]
      : securityWords(words);
  const found = known.find(([, candidate]) => candidate === word);
  return found ? utf8(found[0]) : null;
}
