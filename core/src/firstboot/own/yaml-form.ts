import { isMap, isScalar, isSeq, parseDocument, YAMLMap, YAMLSeq, type Document, type Node } from 'yaml';
import { yamlManner, yamlText } from '../yaml-text';
import type { OwnWords } from '../../plan/own-method';
import { utf8Text } from './octet-text';
import { OwnPattern, turnOf, type Said } from './pattern';
import { OwnMethodError, parseTemplate, textFor, type Template } from './template';
import { valueType, type TurnValues } from './values';

/** YAML files: values by the names that lead to them, `-` for one item of a list. */

export const ITEM = '-';

/** The parts of a path, each with its placeholders. */
export const pathOf = (key: string): Template[] => key.split('/').map(parseTemplate);

export type YamlValue = string | number | boolean | null | string[];

/** What a text without placeholders is to a reader of YAML 1.1: a word, a number, or yes and no. */
export function plainYaml(text: string): YamlValue {
  const document = parseDocument(text, { version: '1.1', logLevel: 'silent' });
  const value: unknown = document.errors.length > 0 || !isScalar(document.contents) ? text : document.toJS();
  return typeof value === 'number' || typeof value === 'boolean' || value === null ? value : text;
}

/** A value as YAML has it: numbers, yes and no, and lists as such, everything else as a text. @throws OwnMethodError */
export function yamlValue(template: Template, values: TurnValues, words: OwnWords): YamlValue {
  const [only, ...more] = template;
  const [literal] =
    template.length === 0 ? [''] : more.length === 0 && typeof only === 'string' ? [only] : [];
  if (literal !== undefined) return plainYaml(literal);
  if (only !== undefined && typeof only !== 'string' && more.length === 0 && only.spelling === null) {
    const text = textFor(only, values, words);
    const type = valueType(only.name);
    if (type === 'number') return Number(text);
    if (type === 'lines' && only.name !== 'hostKey') return text === '' ? [] : text.split('\n');
    if (type === 'yes-no' && (text === 'true' || text === 'false')) return text === 'true';
    return text;
  }
  return template.map((part) => (typeof part === 'string' ? part : textFor(part, values, words))).join('');
}

/** One value with the way to it; a number is an item of a list. */
export interface SetYaml {
  path: (string | number)[];
  value: YamlValue;
}

const isNothing = (node: unknown): boolean =>
  node === undefined || node === null || (isScalar(node) && node.value === null);

/**
 * Sets one value. The package's own way makes an ordered map of YAML 1.1 of whatever is missing, which no reader expects.
 * @throws OwnMethodError when something else stands on the way
 */
function setAt(document: Document, path: readonly (string | number)[], value: Node): void {
  const inside = (at: number): YAMLMap | YAMLSeq =>
    typeof path[at] === 'number' ? new YAMLSeq() : new YAMLMap();
  if (isNothing(document.contents)) document.contents = inside(0);
  let node: unknown = document.contents;
  for (const [at, part] of path.entries()) {
    const last = at === path.length - 1;
    if (typeof part === 'number' ? !isSeq(node) : !isMap(node))
      throw new OwnMethodError(`Something else stands in the file on the way to ${path.join('/')}.`);
    const holder = node as YAMLMap | YAMLSeq;
    const there: unknown = holder.get(part, true);
    const next = last ? value : isNothing(there) ? inside(at + 1) : there;
    if (next !== there) {
      if (isMap(holder) && there === undefined) holder.add(document.createPair(part, next));
      else holder.set(part, next);
    }
    node = next;
  }
}

/**
 * A file with values set; what is not named stays, with its comments. A list that items are put into is made anew.
 * @throws OwnMethodError when the file is no YAML, or something else stands on the way
 */
export function setYaml(base: string, wanted: readonly SetYaml[]): string {
  const document: Document = parseDocument(base, { ...yamlManner, logLevel: 'silent' });
  if (document.errors.length > 0) throw new OwnMethodError('The file that the image brings is no YAML.');
  const lists = new Set<string>();
  for (const { path, value } of wanted) {
    const item = path.findIndex((part) => typeof part === 'number');
    const list = JSON.stringify(path.slice(0, item));
    if (item >= 0 && !lists.has(list)) {
      lists.add(list);
      setAt(document, path.slice(0, item), new YAMLSeq());
    }
    setAt(document, path, document.createNode(value));
  }
  return yamlText(document);
}

/** A value that was found, with what its path said. */
export interface ReadYaml {
  /** From 0; null where neither a list nor a number tells. */
  at: number | null;
  said: Said[];
  value: unknown;
}

/** Everything in a file that a path leads to. */
export function readYaml(root: unknown, path: readonly Template[], words: OwnWords): ReadYaml[] {
  let open: ReadYaml[] = [{ at: null, said: [], value: root }];
  for (const template of path) {
    const [only] = template;
    const pattern = new OwnPattern(template, words);
    open = open.flatMap(({ at, said, value }): ReadYaml[] => {
      if (template.length === 1 && only === ITEM)
        return Array.isArray(value)
          ? value.map((item: unknown, index) => ({ at: index, said, value: item }))
          : [];
      if (typeof value !== 'object' || value === null || Array.isArray(value)) return [];
      return Object.entries(value).flatMap(([key, inner]): ReadYaml[] => {
        const found = pattern.read(utf8Text(key));
        return found ? [{ at: at ?? turnOf(found), said: [...said, ...found], value: inner as unknown }] : [];
      });
    });
  }
  return open;
}

/** A value of YAML as a text with one character for each octet; null when it is none that a description writes. */
export function octetsOfYaml(value: unknown): string | null {
  if (Array.isArray(value))
    return value.every((item) => typeof item === 'string') ? utf8Text(value.join('\n')) : null;
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean'
    ? utf8Text(String(value))
    : null;
}

/** Names on the way to a value, with the values of a turn. @throws OwnMethodError */
export const filledPath = (
  path: readonly Template[],
  at: number,
  values: TurnValues,
  words: OwnWords,
): (string | number)[] =>
  path.map((template) =>
    template.length === 1 && template[0] === ITEM
      ? at
      : template.map((part) => (typeof part === 'string' ? part : textFor(part, values, words))).join(''),
  );
