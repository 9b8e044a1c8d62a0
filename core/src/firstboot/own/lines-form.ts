import type { OwnFile } from '../../plan/own-method';

/** Files of lines: key and value, with sections in brackets or without. */

export interface SetLine {
  section: string;
  key: string;
  /** As it stands in the file. */
  value: string;
}
export interface ReadLine extends SetLine {
  /** From 1. */
  line: number;
  /** Whether blanks stand about the separator where the description has none, or the other way round. */
  loose: boolean;
}

type Manner = Pick<OwnFile, 'form' | 'separator'>;

const shapes: Record<OwnFile['separator'], RegExp> = {
  '=': /^(\s*)([^=\s](?:[^=]*[^=\s])?)(\s*)=(\s*)(.*?)\s*$/,
  ' = ': /^(\s*)([^=\s](?:[^=]*[^=\s])?)(\s*)=(\s*)(.*?)\s*$/,
  ': ': /^(\s*)([^:\s](?:[^:]*[^:\s])?)(\s*):(?:(\s+)(.*?))?\s*$/,
  ' ': /^(\s*)(\S+)()(?:(\s+)(.*?))?\s*$/,
};
const header = /^\s*\[([^\]]*)\]\s*$/;
const comment = /^\s*[#;]/;

/** Keys with their values, in the order of the file; what is behind a comment sign is left out. */
export function readLines(text: string, { form, separator }: Manner): ReadLine[] {
  const found: ReadLine[] = [];
  let section = '';
  for (const [at, line] of text.split(/\r?\n/).entries()) {
    if (comment.test(line)) continue;
    const head = form === 'ini' ? header.exec(line) : null;
    if (head) section = head[1] ?? '';
    const [, indent = '', key, before = '', behind = '', value = ''] = head
      ? []
      : (shapes[separator].exec(line) ?? []);
    if (key === undefined) continue;
    const sign = separator.trim();
    const gap = value === '' ? `${before}${sign}` : `${before}${sign}${behind}`;
    found.push({
      section,
      key,
      value,
      line: at + 1,
      loose: indent !== '' || gap !== (value === '' ? separator.trimEnd() : separator),
    });
  }
  return found;
}

/**
 * A file with keys set: a line that is there is replaced where it stands, others are put at the end of their section.
 * What is not named stays, comments too.
 */
export function setLines(base: string, manner: Manner, wanted: readonly SetLine[]): string {
  const ends = base.includes('\r\n') ? '\r\n' : '\n';
  const lines = base === '' ? [] : base.split(/\r?\n/);
  if (lines.at(-1) === '') lines.pop();
  const written = ({ key, value }: SetLine): string => `${key}${manner.separator}${value}`.trimEnd();
  const groups = new Map<string, SetLine[]>();
  for (const line of wanted) {
    const id = JSON.stringify([line.section, line.key]);
    groups.set(id, [...(groups.get(id) ?? []), line]);
  }
  const there = new Map<string, number[]>();
  for (const { section, key, line } of readLines(base, manner)) {
    const id = JSON.stringify([section, key]);
    there.set(id, [...(there.get(id) ?? []), line - 1]);
  }
  /** What comes in the place of a line, by its number. */
  const instead = new Map<number, string[]>();
  const added = new Map<string, string[]>();
  for (const [id, group] of groups) {
    const [first, ...more] = there.get(id) ?? [];
    if (first !== undefined) {
      instead.set(first, group.map(written));
      for (const at of more) instead.set(at, []);
    } else {
      const section = group[0]?.section ?? '';
      added.set(section, [...(added.get(section) ?? []), ...group.map(written)]);
    }
  }
  const sectionOf = sections(lines, manner);
  const made: string[] = [];
  const known = new Set<string>();
  for (let at = 0; at < lines.length;) {
    // A run of lines of one section; its blank end stays behind what is added.
    let end = at;
    while (end < lines.length && sectionOf[end] === sectionOf[at]) end++;
    const section = sectionOf[at] ?? '';
    let full = end;
    while (full > at && (lines[full - 1] ?? '').trim() === '') full--;
    const last = !sectionOf.slice(end).includes(section);
    for (let line = at; line < full; line++) made.push(...(instead.get(line) ?? [lines[line] ?? '']));
    if (last) {
      made.push(...(added.get(section) ?? []));
      known.add(section);
    }
    made.push(...lines.slice(full, end));
    at = end;
  }
  for (const [section, more] of added) {
    if (known.has(section)) continue;
    // What belongs to no section stands before the first one.
    if (section === '') made.unshift(...more);
    else made.push(...(made.length > 0 ? [''] : []), `[${section}]`, ...more);
  }
  return made.map((line) => `${line}${ends}`).join('');
}

/** The section that each line belongs to; its header too. */
function sections(lines: readonly string[], { form }: Manner): string[] {
  let section = '';
  return lines.map((line) => {
    if (form === 'ini') section = header.exec(line)?.[1] ?? section;
    return section;
  });
}
