import { isMap, isScalar, LineCounter, parseDocument, type Document, type Node } from 'yaml';
import type { Findings } from '../finding';
import {
  asPython,
  beginningOf,
  keysTwice,
  oddPlace,
  reasonOf,
  tabOf,
  withQuotesIndented,
} from './yaml-python';

/** A YAML file as the board's reader takes it (YAML 1.1), with the lines of its parts. */
export class YamlFile {
  private constructor(
    private readonly document: Document,
    private readonly counter: LineCounter,
    readonly value: unknown,
  ) {}

  /** Reads a file; what breaks it is told with its line. @returns null when it cannot be read */
  static read(name: string, given: string, found: Findings): YamlFile | null {
    const { text, lines } = withQuotesIndented(given);
    const tab = tabOf(text);
    if (tab !== null) {
      found.add(
        'stops',
        'yaml-tab',
        `Line ${String(tab)} of ${name} holds a tab.`,
        'YAML is indented and set apart with spaces only; the whole file is ignored.',
        'Put spaces in place of the tab.',
        { line: tab },
      );
      return null;
    }
    const counter = new LineCounter();
    const document = parseDocument(text, {
      version: '1.1',
      lineCounter: counter,
      prettyErrors: false,
      logLevel: 'error',
      // Python takes the last one; it is told below.
      uniqueKeys: false,
      customTags: (tags) => tags.map(asPython),
    });
    // A tag that is not known is a warning here, and an error where the file is read.
    const [error] = [...document.errors, ...document.warnings];
    if (error) {
      const { line } = counter.linePos(error.pos[0]);
      found.add(
        'stops',
        'yaml-broken',
        `${name} is no YAML at line ${String(line)}: ${reasonOf(error)}`,
        'The whole file is ignored: no user, no key and no network of it.',
        // The line itself is not repeated: it may hold a passphrase.
        `Look at ${beginningOf(text, line)} and the line before: indentation by spaces, a space after each colon, a quote that is not closed.`,
        { line },
      );
      return null;
    }
    const odd = oddPlace(document);
    if (odd !== null) {
      const { line } = counter.linePos(odd.at);
      found.add(
        'stops',
        'yaml-broken',
        `${odd.what} in line ${String(line)} of ${name}.`,
        'The whole file is ignored: no user, no key and no network of it.',
        odd.advice,
        { line },
      );
      return null;
    }
    for (const at of keysTwice(document)) {
      const { line } = counter.linePos(at);
      found.add(
        'warns',
        'yaml-twice',
        `What stands in line ${String(line)} of ${name} is there a second time.`,
        'Only the last one holds; the one before is forgotten with all that is under it.',
        'Leave the right one, or put both under one name.',
        { line },
      );
    }
    for (const line of lines)
      found.add(
        'warns',
        'text-over-lines',
        `The text in quotes of line ${String(line)} of ${name} goes on in the next line.`,
        'A space is read in place of the line break; a key or a passphrase is another one then.',
        'Put it on one line again.',
        { line },
      );
    if (/^\s*(["']?)__proto__\1\s*:/m.test(text))
      found.add(
        'warns',
        'not-judged',
        `${name} has a key called __proto__, which this check cannot read.`,
        'What stands below it is not judged here; the board takes it like any other.',
        'Look at it by hand, or choose another name.',
      );
    try {
      return new YamlFile(document, counter, document.toJS() as unknown);
    } catch {
      // A star before a value names an anchor (YAML 1.1 section 3.2.2.2), which is not there.
      const star = /^(.*?[\s[,:-])\*\S/m.exec(text);
      found.add(
        'stops',
        'yaml-broken',
        `${name} is no YAML: a value stands without quotes that means something else to YAML.`,
        'The whole file is ignored: no user, no key and no network of it.',
        'Put a value that begins with * or & into quotes.',
        { line: star ? text.slice(0, star.index).split('\n').length : null },
      );
      return null;
    }
  }

  /** Line of a value by its path, or null when there is none. */
  lineOf(...path: (string | number)[]): number | null {
    const node = this.document.getIn(path, true) as Node | undefined;
    return node?.range ? this.counter.linePos(node.range[0]).line : null;
  }

  /** Line of a key by the path of its value. */
  lineOfKey(path: readonly (string | number)[]): number | null {
    const map = path.length === 1 ? this.document.contents : this.document.getIn(path.slice(0, -1), true);
    const pair = isMap(map)
      ? map.items.find(({ key }) => isScalar(key) && String(key.value) === String(path.at(-1)))
      : undefined;
    return isScalar(pair?.key) && pair.key.range ? this.counter.linePos(pair.key.range[0]).line : null;
  }

  /** A value by its path; undefined where there is none. */
  at(path: readonly (string | number)[]): unknown {
    return path.reduce<unknown>(
      (value, part) =>
        typeof value === 'object' && value !== null && Object.hasOwn(value, part)
          ? (value as Record<string | number, unknown>)[part]
          : undefined,
      this.value,
    );
  }

  /** A value as it is written, before YAML gives it a type: `012` stays `012`. */
  sourceOf(...path: (string | number)[]): string | null {
    const node = this.document.getIn(path, true);
    return isScalar(node) ? (node.source ?? null) : null;
  }

  /** Keys of a map that YAML 1.1 makes another text of (a number, a truth value, nothing), as they are written. */
  keysThatAreNoText(...path: (string | number)[]): { source: string; line: number }[] {
    const map = this.document.getIn(path, true);
    if (!isMap(map)) return [];
    return map.items.flatMap(({ key }) =>
      isScalar(key) && typeof key.value !== 'string' && String(key.value) !== key.source && key.range
        ? [{ source: key.source ?? String(key.value), line: this.counter.linePos(key.range[0]).line }]
        : [],
    );
  }
}
