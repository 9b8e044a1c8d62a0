import {
  CST,
  isAlias,
  isCollection,
  isNode,
  isScalar,
  Lexer,
  visit,
  type Document,
  type Node,
  type Tags,
} from 'yaml';
import { shownWord } from '../shown';

/**
 * Where Python's YAML reader, with which boards read their seed, differs from the one used here. Each was found by giving
 * both the same files with random changes (core/test/yaml.spec.ts).
 */

/**
 * Line of a tab that a YAML reader stumbles over, which is any outside quotes, comments and the text of a block; null
 * when there is none. (Python's reader, which boards use, takes none as white space; YAML 1.1 section 4.2 has it else.)
 */
export function tabOf(text: string): number | null {
  if (!text.includes('\t')) return null;
  let line = 1;
  let inBlock = false;
  let scalar = false;
  for (const token of new Lexer().lex(text)) {
    const type = CST.tokenType(token);
    const plain = scalar && !inBlock;
    const verbatim =
      (scalar && inBlock) || ['comment', 'double-quoted-scalar', 'single-quoted-scalar'].includes(type ?? '');
    if (scalar) inBlock = false;
    scalar = type === 'scalar' && token === CST.SCALAR;
    if (type === 'block-scalar-header') inBlock = true;
    if (token.includes('\t') && (plain || !verbatim))
      return line + (token.slice(0, token.indexOf('\t')).split('\n').length - 1);
    line += token.split('\n').length - 1;
  }
  return null;
}

/** What Python refuses of a file that is YAML otherwise. */
export interface OddPlace {
  /** Offset in the text. */
  at: number;
  what: string;
  advice: string;
}

/**
 * The first place that Python refuses: a key that is missing, a list or a map; a lone = (a type of YAML 1.1 that it does
 * not make); in brackets a plain text with a question mark or a colon in front. Null when there is none.
 */
export function oddPlace(document: Document): OddPlace | null {
  let odd: OddPlace | null = null;
  visit(document, {
    Pair: (_place, { key, value }) => {
      if (isAlias(key) || (isScalar(key) && (key.source !== '' || key.type !== 'PLAIN'))) return undefined;
      odd = {
        at: ((isNode(key) ? key : value) as Node | null)?.range?.[0] ?? 0,
        what: 'Something else than a name stands before a colon',
        advice: 'A name, a colon, a space and a value; names with odd characters in quotes.',
      };
      return visit.BREAK;
    },
    Scalar: (place, { type, source = '', range }, path) => {
      if (type !== 'PLAIN') return undefined;
      const inBrackets = path.some((node) => isCollection(node) && node.flow === true);
      if (source !== '=' && !(source === '<<' && place !== 'key') && !(inBrackets && /\?|^:/.test(source)))
        return undefined;
      odd = {
        at: range?.[0] ?? 0,
        what: `${shownWord(source)} stands without quotes`,
        advice: 'The same in quotes.',
      };
      return visit.BREAK;
    },
  });
  return odd;
}

/** Offsets of keys that stand in their map a second time. */
export function keysTwice(document: Document): number[] {
  const twice: number[] = [];
  visit(document, {
    Map: (_place, { items }) => {
      const seen = new Set<unknown>();
      for (const { key } of items) {
        if (!isScalar(key)) continue;
        if (seen.has(key.value) && key.range) twice.push(key.range[0]);
        seen.add(key.value);
      }
    },
  });
  return twice;
}

/**
 * The text with deeper indentation where a quoted one goes on over lines that begin too far left. Python joins such
 * lines; the reader used here would call the quote unclosed. Lines keep their numbers.
 * @returns also the lines where such a text begins
 */
export function withQuotesIndented(text: string): { text: string; lines: number[] } {
  const lines: number[] = [];
  let from = 0;
  for (;;) {
    const open = openQuote(text, from);
    if (open === null) return { text, lines };
    const mark = text[open];
    const close = mark === '"' ? /(?:[^"\\]|\\[^])*"/y : /(?:[^']|'')*'/y;
    close.lastIndex = open + 1;
    const inside = close.exec(text)?.[0];
    if (inside === undefined) return { text, lines };
    lines.push(text.slice(0, open).split('\n').length);
    const deeper = inside.replace(/\n(?!\n)/g, `\n${' '.repeat(80)}`);
    text = text.slice(0, open + 1) + deeper + text.slice(open + 1 + inside.length);
    from = open + 1 + deeper.length;
  }
}

/** Offset of the first quotation mark from an offset on that the reader used here finds unclosed; null without one. */
function openQuote(text: string, from: number): number | null {
  let at = 0;
  for (const token of new Lexer().lex(text)) {
    const type = CST.tokenType(token);
    // Marks that the lexer puts in, and which are not of the text.
    if (token === CST.SCALAR || token === CST.DOCUMENT || token === CST.FLOW_END) continue;
    if (
      at >= from &&
      ((type === 'double-quoted-scalar' && !/^"(?:[^"\\]|\\[^])*"$/.test(token)) ||
        (type === 'single-quoted-scalar' && !/^'(?:[^']|'')*'$/.test(token)))
    )
      return at;
    at += token.length;
  }
  return null;
}

/** Python's reader takes a number with an exponent only when it has a point: 1e3 is text. */
export const asPython = (tag: Tags[number]): Tags[number] =>
  typeof tag === 'object' && 'format' in tag && tag.format === 'EXP' && tag.test
    ? { ...tag, test: /^[-+]?(?:[0-9][0-9_]*\.[0-9_]*|\.[0-9][0-9_]*)[eE][-+][0-9]+$/ }
    : tag;

/** What a reader says of an error, without what it repeats of the file behind a colon: that can be a passphrase. */
export const reasonOf = ({ message }: { message: string }): string =>
  (message.split('\n')[0] ?? '').split(': ')[0] ?? '';

/** How a line begins, up to its colon, for a person to find it. */
export function beginningOf(text: string, line: number): string {
  const key = /^\s*(?:- )?["']?[\w .-]{1,32}["']?\s*:/.exec(text.split('\n')[line - 1] ?? '')?.[0];
  return key === undefined ? 'this line' : `"${key.trim()}"`;
}
