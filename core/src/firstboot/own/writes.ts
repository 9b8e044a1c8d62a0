import { concatBytes, equalBytes, utf8 } from '../../bytes';
import type { BaseFiles, CardFile, FirstBootSettings } from '../settings';
import type { OwnDescription, OwnEntry, OwnFile } from '../../plan/own-method';
import { setLines, type SetLine } from './lines-form';
import { quoted } from './quoting';
import { compiled, type CompiledEntry } from './compiled';
import { readMadeFile, type FoundValue } from './read-file';
import { octetsFor, OwnMethodError, textFor, type Placeholder, type Template } from './template';
import { putBetween } from './text-form';
import { octetsOf, turnsOf, valueTitle, type Turn } from './values';
import { filledPath, setYaml, yamlValue, type SetYaml } from './yaml-form';

/** A value that a file says, for comparing it with what its reader makes of the file. */
type Wanted = Pick<FoundValue, 'entry' | 'at' | 'part' | 'octets'>;

interface Made {
  text: string;
  wanted: Wanted[];
}

/** Entries with their turns, in the order of the file. */
const turnsFor = (entry: OwnEntry, turns: readonly Turn[]): Turn[] =>
  turns.filter(({ each, holds }) => each === entry.each && holds.has(entry.when));

/** What an entry says in one turn, value by value. */
const saidBy = (entry: number, template: Template, turn: Turn): Wanted[] =>
  template
    .filter((part) => typeof part !== 'string')
    .map((part) => ({ entry, at: turn.at, part, octets: octetsOf(turn.values.get(part.name) ?? '') }));

/** A text of a key or a section, which no format can quote. @throws OwnMethodError */
function nameText(template: Template, turn: Turn, file: OwnFile): string {
  const text = template
    .map((part) => (typeof part === 'string' ? part : textFor(part, turn.values, file.words)))
    .join('');
  if (
    !/^[\p{L}\p{N}_.\-/@:+]*$/u.test(text.replaceAll(' ', '_')) ||
    text !== text.trim() ||
    text.includes('  ')
  )
    throw new OwnMethodError(
      'As a part of a key or a section it may only hold letters, digits and _ . - / @ : +; write it with .hex there.',
    );
  return text;
}

function lines(file: OwnFile, base: string, turns: readonly Turn[]): Made {
  const wanted: Wanted[] = [];
  const set: SetLine[] = [];
  const { entries } = compiled(file);
  for (const [at, entry] of file.entries.entries()) {
    const { section, key, value } = entries[at] as CompiledEntry;
    for (const turn of turnsFor(entry, turns)) {
      const octets = concatBytes(
        ...value.map((part) =>
          typeof part === 'string' ? utf8(part) : octetsFor(part, turn.values, file.words),
        ),
      );
      set.push({
        section: nameText(section, turn, file),
        key: nameText(key, turn, file),
        value: saying(value, () => quoted(octets, file.quoting)),
      });
      wanted.push(...saidBy(at, [...section, ...key, ...value], turn));
    }
  }
  return { text: setLines(base, file, set), wanted };
}

/** Names the values in what a format says of them. */
function saying<T>(template: Template, write: () => T): T {
  try {
    return write();
  } catch (error) {
    if (!(error instanceof OwnMethodError)) throw error;
    const names = template.filter((part) => typeof part !== 'string').map(({ name }) => valueTitle(name));
    throw new OwnMethodError(
      `${names.length === 0 ? 'What stands there' : names.join(', ')}: ${error.message}`,
    );
  }
}

function yaml(file: OwnFile, base: string, turns: readonly Turn[]): Made {
  const wanted: Wanted[] = [];
  const set: SetYaml[] = [];
  const { entries } = compiled(file);
  for (const [at, entry] of file.entries.entries()) {
    const { path, value } = entries[at] as CompiledEntry;
    const chosen = turnsFor(entry, turns);
    for (const [index, turn] of chosen.entries()) {
      set.push({
        path: saying(path.flat(), () => filledPath(path, index, turn.values, file.words)),
        value: saying(value, () => yamlValue(value, turn.values, file.words)),
      });
      wanted.push(...saidBy(at, [...path.flat(), ...value], turn));
    }
  }
  return { text: setYaml(base, set), wanted };
}

/**
 * A value in a text, whose end only its neighbours tell: it must not hold what comes behind it, nor the quotation mark
 * that stands before it.
 */
function inText(part: Placeholder, at: number, template: Template, turn: Turn, file: OwnFile): string {
  const octets = octetsFor(part, turn.values, file.words);
  const text = quoted(octets, file.quoting);
  if (file.quoting !== 'plain') return text;
  const [before, behind] = [template[at - 1], template[at + 1]];
  const first = typeof behind === 'string' ? behind.charAt(0) : '';
  const last = typeof before === 'string' ? before.slice(-1) : '';
  const marks = [first, /["'`([{<]/.test(last) ? last : ''].filter((mark) => mark !== '' && mark !== '\n');
  const met = marks.find((mark) => text.includes(mark));
  if (met !== undefined)
    throw new OwnMethodError(
      `It holds ${met === ' ' ? 'a blank' : met}, where it would end for its reader. Choose a quoting.`,
    );
  if (text.includes('\\') && marks.some((mark) => /["'`]/.test(mark)))
    throw new OwnMethodError('It holds a backslash between quotation marks. Choose a quoting.');
  return text;
}

function text(file: OwnFile, base: string, turns: readonly Turn[]): Made {
  const wanted: Wanted[] = [];
  let made = '';
  const { entries } = compiled(file);
  for (const [at, entry] of file.entries.entries()) {
    const { value: template } = entries[at] as CompiledEntry;
    for (const turn of turnsFor(entry, turns)) {
      made += `${template
        .map((part, index) =>
          typeof part === 'string' ? part : saying([part], () => inText(part, index, template, turn, file)),
        )
        .join('')}\n`;
      wanted.push(...saidBy(at, template, turn));
    }
  }
  return { text: putBetween(base, file, made), wanted };
}

/** The first value that a reader of the file would not find, or find otherwise. */
function misread(file: OwnFile, { text: made, wanted }: Made): Wanted | undefined {
  const found = readMadeFile(file, made);
  const id = ({ entry, at, part }: Pick<FoundValue, 'entry' | 'at' | 'part'>): string =>
    `${String(entry)} ${String(at)} ${part.name} ${part.spelling ?? ''}`;
  const there = new Map<string, FoundValue[]>();
  for (const one of found.values) there.set(id(one), [...(there.get(id(one)) ?? []), one]);
  return wanted.find((one) => {
    const same = there.get(id(one)) ?? [];
    return same.length === 0 || !same.every(({ octets }) => equalBytes(octets, one.octets));
  });
}

/** Text of the image's own file, by a path in which capitals count as little as on a FAT volume. */
function baseText(base: BaseFiles, path: string): { path: string; text: string } {
  for (const [name, content] of base.texts)
    if (name.toLowerCase() === path.toLowerCase()) return { path: name, text: content };
  return { path, text: '' };
}

/**
 * The files of a description for one card. Each is read again as its reader would, and refused where that does not give
 * the values that were put in: so a value can be nothing but a value.
 * @throws OwnMethodError with the file and the value that cannot be said in it
 */
export function writeOwnFiles(
  description: OwnDescription,
  settings: FirstBootSettings,
  base: BaseFiles,
): CardFile[] {
  const turns = turnsOf(settings);
  return description.files.map((file) => {
    const { path, text: given } = baseText(base, file.path);
    try {
      const made =
        file.form === 'text'
          ? text(file, given, turns)
          : file.form === 'yaml'
            ? yaml(file, given, turns)
            : lines(file, given, turns);
      const lost = misread(file, made);
      if (lost)
        throw new OwnMethodError(
          `${valueTitle(lost.part.name)}: its reader would not find just this value there. Choose another quoting, or base64.`,
        );
      return { path, content: utf8(made.text) };
    } catch (error) {
      if (!(error instanceof OwnMethodError)) throw error;
      throw new OwnMethodError(`"${description.title}", ${file.path}: ${error.message}`);
    }
  });
}

/** What keeps the files of a card from being made, in words; null when nothing does. */
export function unsayable(
  description: OwnDescription,
  settings: FirstBootSettings,
  base: BaseFiles,
): string | null {
  try {
    writeOwnFiles(description, settings, base);
    return null;
  } catch (error) {
    if (error instanceof OwnMethodError) return error.message;
    throw error;
  }
}
