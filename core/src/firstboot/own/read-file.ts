import { parse } from 'yaml';
import { Findings, type BootFile, type CheckFinding } from '../../formats/finding';
import { readText } from '../../formats/text';
import { YamlFile } from '../../formats/yaml/yaml-file';
import type { OwnEntry, OwnFile } from '../../plan/own-method';
import { readLines } from './lines-form';
import { octetsFrom, utf8Text } from './octet-text';
import { yamlManner } from '../yaml-text';
import { compiled, type CompiledEntry } from './compiled';
import { turnOf, type Said } from './pattern';
import { unquoted } from './quoting';
import { valueFrom, type Placeholder } from './template';
import { textBetween } from './text-form';
import { octetsOfYaml, plainYaml, readYaml } from './yaml-form';

/** What reads a file of YAML. */
type YamlReader = (name: string, text: string, found: Findings) => { value: unknown } | null;

/** The package alone, for what it has just written itself: it does not look for what only other writers do. */
const plainReader: YamlReader = (_name, text) => ({
  value: parse(text, { ...yamlManner, logLevel: 'silent' }) as unknown,
});

/** A value of a plan that was read back from a file. */
export interface FoundValue {
  /** Which entry of the file says it. */
  entry: number;
  /** Of which network, user or key, from 0. */
  at: number;
  part: Placeholder;
  octets: Uint8Array;
  line: number | null;
}

export interface OwnFileRead {
  values: FoundValue[];
  findings: CheckFinding[];
  /** Entries that were found, by their places; one without a value of the plan too. */
  entries: ReadonlySet<number>;
}

const placeWords = ({ section, key }: OwnEntry): string => (section === '' ? key : `[${section}] ${key}`);

class Reading {
  readonly values: FoundValue[] = [];
  readonly entries = new Set<number>();
  private readonly turns = new Map<number, number>();

  constructor(
    readonly file: OwnFile,
    readonly found: Findings,
  ) {}

  /**
   * Keeps what an entry says, in its turn: by its number, or as the next one.
   * @param place what its key and its section say
   * @param told its turn, where the place tells it
   */
  keep(
    entry: number,
    said: readonly Said[],
    place: readonly Said[],
    told: number | null,
    line: number | null,
  ): void {
    this.entries.add(entry);
    const next = this.turns.get(entry) ?? 0;
    this.turns.set(entry, next + 1);
    const { each } = this.file.entries[entry] ?? { each: 'once' };
    const at = each === 'once' ? 0 : (told ?? turnOf(said) ?? next);
    if (each === 'once' && next > 0)
      this.found.add(
        'warns',
        'own-entry-twice',
        `${placeWords(this.file.entries[entry] as OwnEntry) || `The text of entry ${String(entry + 1)}`} is there a second time.`,
        'Which of the two holds is up to the reader of this file.',
        'Leave one of them.',
        { line },
      );
    for (const { part, octets } of [...place, ...said]) this.values.push({ entry, at, part, octets, line });
  }

  odd(entry: OwnEntry, line: number | null): void {
    this.found.add(
      'stops',
      'own-value-form',
      `What stands at ${placeWords(entry)} is not of the form that its description gives.`,
      'What its reader makes of it is not known here.',
      'Write this file again from its plan, or change the description.',
      { line },
    );
  }
}

function readOwnLines(reading: Reading, text: string): void {
  const { file, found } = reading;
  const { entries, byWeight } = compiled(file);
  const known = byWeight.map((at) => ({
    ...(entries[at] as CompiledEntry),
    at,
    entry: file.entries[at] as OwnEntry,
  }));
  for (const { section, key, value, line, loose } of readLines(text, file)) {
    const candidates = known.flatMap((one) => {
      const sections = one.sections.read(utf8Text(section));
      const keys = one.keys.read(utf8Text(key));
      return sections && keys ? [{ ...one, place: [...sections, ...keys] }] : [];
    });
    const [first] = candidates;
    if (!first) continue;
    const plain = unquoted(value, file.quoting);
    let match: (typeof candidates)[number] | undefined;
    let said: Said[] | null = null;
    for (const one of plain === null ? [] : candidates) {
      said = one.values.read(plain ?? '');
      match = one;
      if (said) break;
    }
    if (!match || !said) {
      reading.odd(first.entry, line);
      continue;
    }
    if (loose)
      found.add(
        'warns',
        'own-blanks',
        `${key} has blanks that its description does not have.`,
        'Some readers of such lines take a blank for a part of the value.',
        `Write it as ${key}${file.separator}…`,
        { line },
      );
    reading.keep(match.at, said, match.place, turnOf(match.place), line);
  }
}

function readOwnText(reading: Reading, whole: string): void {
  const { file, found } = reading;
  const part = textBetween(whole, file);
  if (!part) {
    found.add(
      'stops',
      'own-marks-missing',
      `The lines "${file.begin}" and "${file.end}" are not both in ${file.path}.`,
      'What the board should take stands between them; it finds nothing.',
      'Write this file again from its plan.',
    );
    return;
  }
  const taken: boolean[] = [];
  const { entries, byWeight } = compiled(file);
  for (const at of byWeight) {
    const { inText, placeholders } = entries[at] as CompiledEntry;
    for (const match of part.text.matchAll(inText)) {
      const lines = match[0].split('\n').length;
      const from = part.text.slice(0, match.index).split('\n').length;
      if (Array.from({ length: lines }, (_, line) => taken[from + line]).some(Boolean)) continue;
      const said = placeholders.map((one, index) => {
        const octets = unquoted(match[index + 1] ?? '', file.quoting);
        return { part: one, octets: octets === null ? null : valueFrom(one, octetsFrom(octets), file.words) };
      });
      if (!said.every((one): one is Said => one.octets !== null)) continue;
      for (let line = 0; line < lines; line++) taken[from + line] = true;
      reading.keep(at, said, [], null, from + part.line);
    }
  }
  const odd = part.text
    .split('\n')
    .findIndex((line, at) => line.trim() !== '' && !/^\s*#/.test(line) && taken[at + 1] !== true);
  if (odd >= 0)
    found.add(
      'stops',
      'own-line-odd',
      `Line ${String(odd + 1 + part.line)} of ${file.path} is not of the form that its description gives.`,
      'What its reader makes of it is not known here.',
      'Write this file again from its plan, or change the description.',
      { line: odd + 1 + part.line },
    );
}

function readOwnYaml(reading: Reading, text: string, reader: YamlReader): void {
  const { file, found } = reading;
  const read = reader(file.path, text, found);
  if (!read) return;
  const places = new Map<string, number>();
  const { entries, byWeight } = compiled(file);
  for (const at of byWeight) {
    const entry = file.entries[at] as OwnEntry;
    const { path, values: pattern } = entries[at] as CompiledEntry;
    for (const one of readYaml(read.value, path, file.words)) {
      const octets = octetsOfYaml(one.value);
      const literal = pattern.parts.length === 0;
      const said = literal
        ? one.value === plainYaml(entry.value)
          ? []
          : null
        : octets === null
          ? null
          : pattern.read(octets);
      const place = `${entry.key} ${String(one.at ?? '')} ${one.said.map(({ octets: key }) => key.join()).join(' ')}`;
      if (said && places.get(place) === undefined) {
        places.set(place, at);
        reading.keep(at, said, one.said, one.at, null);
      } else if (!said && file.entries.filter(({ key }) => key === entry.key).length === 1)
        reading.odd(entry, null);
    }
  }
}

function readWith(file: OwnFile, text: string | null, found: Findings, yamlReader: YamlReader): OwnFileRead {
  const reading = new Reading(file, found);
  if (text !== null) {
    if (file.form === 'text') readOwnText(reading, text);
    else if (file.form === 'yaml') readOwnYaml(reading, text, yamlReader);
    else readOwnLines(reading, text);
  }
  return { values: reading.values, findings: found.list, entries: reading.entries };
}

/** Reads a file back as its description says that its reader does. */
export function readOwnFile(file: OwnFile, { content }: BootFile): OwnFileRead {
  const found = new Findings(file.path);
  const habits = { carriageReturns: 'taken', byteOrderMark: 'break' } as const;
  const text = readText({ name: file.path, content }, habits, found);
  return readWith(file, text, found, (name, whole, into) => YamlFile.read(name, whole, into));
}

/** The same of a text that was made here, without looking for what editors do. */
export const readMadeFile = (file: OwnFile, text: string): OwnFileRead =>
  readWith(file, text, new Findings(file.path), plainReader);
