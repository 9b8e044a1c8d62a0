import { readHardwareAddress } from '../../net/hardware-address';
import { isHostAddress, readCell, type Cell } from './cells';

/** The most that is read of a list, in characters. */
export const TABLE_LIMIT = 1 << 20;
/** The most hosts that are taken out of one. */
export const ROWS_LIMIT = 10_000;
/** Some programs cut names at so many characters (`dumpleases` of busybox). */
const CUT_AT = 19;

/** A host as a list of the network's own equipment has it. */
export interface TableRow {
  /** Counted from 1; 0 where the list has no lines. */
  line: number;
  address: string | null;
  hardwareAddress: string | null;
  /** Without its domain. */
  name: string | null;
  /** Whether the list itself says that it is there no more. */
  gone: boolean;
}

export interface ReadTable {
  /** What kind of list it was taken for, in words. */
  form: string;
  rows: TableRow[];
  /** Lines with something in them of which nothing was taken. */
  passed: number;
}

export class TableError extends Error {
  override readonly name = 'TableError';
}

type Draft = Omit<TableRow, 'line'>;
const draft = (): Draft => ({ address: null, hardwareAddress: null, name: null, gone: false });

const nameIn = (text: string | undefined): string | null => {
  const cell = text === undefined ? null : readCell(text);
  // A header says that it is a name, so a word such as "no" can be one.
  if (cell?.kind === 'name') return cell.value;
  return text !== undefined && /^[A-Za-z][A-Za-z0-9-]{0,62}$/.test(text) ? text : null;
};

/** The last row of an address counts: lists that are journals tell a lease again each time it changes. */
function lastOnes(rows: readonly TableRow[]): TableRow[] {
  const byHost = new Map<string, TableRow>();
  for (const row of rows) {
    const key = row.address ?? row.hardwareAddress ?? '';
    byHost.delete(key);
    byHost.set(key, row);
  }
  return [...byHost.values()].slice(0, ROWS_LIMIT);
}

/** `lease 10.0.0.5 { … }` of ISC dhcpd (dhcpd.leases(5)), line by line. */
function readBlocks(lines: readonly string[]): ReadTable {
  const rows: TableRow[] = [];
  let open: TableRow | null = null;
  for (const [at, raw] of lines.entries()) {
    const [word = '', second = '', third = ''] = raw.trim().replace(/;$/, '').split(/\s+/);
    if (word === 'lease' && isHostAddress(second)) open = { line: at + 1, ...draft(), address: second };
    else if (!open) continue;
    else if (word === '}') {
      rows.push(open);
      open = null;
    } else if (word === 'hardware') open.hardwareAddress = readHardwareAddress(third);
    else if (word === 'client-hostname') open.name = nameIn(second.replaceAll('"', ''));
    else if (word === 'binding' && second === 'state') open.gone = third !== 'active';
  }
  return { form: 'leases of ISC dhcpd', rows: lastOnes(rows), passed: open ? 1 : 0 };
}

/** Lists with a heading that names the columns, as Kea's memfile has it. */
function readKea(lines: readonly string[]): ReadTable {
  const columns = (lines[0] ?? '').split(',').map((title) => title.trim());
  const rows: TableRow[] = [];
  let passed = 0;
  for (const [at, line] of lines.entries()) {
    if (at === 0 || line.trim() === '') continue;
    const cells = line.split(',');
    const cell = (title: string): string => cells[columns.indexOf(title)]?.trim() ?? '';
    const address = cell('address');
    if (!isHostAddress(address)) {
      passed++;
      continue;
    }
    rows.push({
      line: at + 1,
      address,
      hardwareAddress: readHardwareAddress(cell('hwaddr')),
      name: nameIn(cell('hostname').split('.')[0]),
      // Released leases have no lifetime left; 1 is declined, 2 reclaimed (Kea's administrator guide, memfile).
      gone: cell('valid_lifetime') === '0' || (cell('state') !== '' && cell('state') !== '0'),
    });
  }
  return { form: 'leases of Kea', rows: lastOnes(rows), passed };
}

/** `# interface client-id iaid name end start length address/prefix` of odhcpd, from memory. */
function readHash(line: string): Draft | null {
  if (!line.trimStart().startsWith('#')) return null;
  const parts = line.trim().split(/\s+/);
  const address = parts
    .map((part) => part.split('/')[0] ?? '')
    .filter(isHostAddress)
    .at(-1);
  if (parts[0] !== '#' || parts.length < 8 || address === undefined) return null;
  return { ...draft(), address, name: nameIn(parts[4]) };
}

const cellsOf = (line: string): string[] => {
  if (line.includes('\t')) return line.split('\t');
  if (line.includes(',') && line.split(',').length > 3) return line.split(',');
  if (line.includes(';') && line.split(';').length > 2) return line.split(';');
  return line.trim().split(/\s+/);
};

interface Line {
  at: number;
  cells: Cell[];
  titles: string[];
}

const has = ({ cells }: Line, kind: Cell['kind']): boolean => cells.some((cell) => cell.kind === kind);

/** For lines of the same length: the column in which the most different names stand, or the one that is headed so. */
function nameColumns(lines: readonly Line[]): Map<number, number> {
  const byLength = new Map<number, Line[]>();
  for (const line of lines) {
    const list = byLength.get(line.cells.length);
    if (list) list.push(line);
    else byLength.set(line.cells.length, [line]);
  }
  const best = new Map<number, number>();
  for (const [length, group] of byLength) {
    const heading = group.find((line) => !has(line, 'address') && !has(line, 'hardware'));
    const headed = heading?.titles.findIndex((title) => /host|name|device|client/i.test(title)) ?? -1;
    if (headed >= 0) {
      best.set(length, headed);
      continue;
    }
    const names = Array.from({ length }, () => new Set<string>());
    for (const { cells } of group)
      for (const [column, cell] of cells.entries()) if (cell.kind === 'name') names[column]?.add(cell.value);
    const most = Math.max(0, ...names.map(({ size }) => size));
    if (most > 0)
      best.set(
        length,
        names.findIndex(({ size }) => size === most),
      );
  }
  return best;
}

function rowOf(line: Line, nameAt: number | undefined): Draft {
  const row = draft();
  for (const cell of line.cells) {
    // Where a host has both, the shorter one is what people type.
    const better =
      row.address === null ||
      (row.address.includes(':') && cell.kind === 'address' && !cell.value.includes(':'));
    if (cell.kind === 'address' && better) row.address = cell.value;
    else if (cell.kind === 'hardware') row.hardwareAddress ??= cell.value;
    else if (cell.kind === 'gone') row.gone = true;
  }
  const named = nameAt === undefined ? undefined : line.cells[nameAt];
  const fallback = line.cells.find((cell) => cell.kind === 'name');
  const name = named?.kind === 'name' ? named : nameAt === undefined ? fallback : undefined;
  row.name = name?.kind === 'name' ? name.value : null;
  return row;
}

/** One value in a line, as when cells are copied out of a page: a new host begins where a kind comes again. */
function readColumn(lines: readonly Line[]): TableRow[] {
  const rows: TableRow[] = [];
  let now: TableRow | null = null;
  for (const { at, cells } of lines) {
    for (const cell of cells) {
      if (cell.kind === 'other') continue;
      now ??= { line: at, ...draft() };
      const taken: boolean =
        (cell.kind === 'address' && now.address !== null) ||
        (cell.kind === 'hardware' && now.hardwareAddress !== null) ||
        (cell.kind === 'name' && now.name !== null);
      if (taken) {
        rows.push(now);
        now = { line: at, ...draft() };
      }
      if (cell.kind === 'address') now.address = cell.value;
      else if (cell.kind === 'hardware') now.hardwareAddress = cell.value;
      else if (cell.kind === 'name') now.name = cell.value;
      else now.gone = true;
    }
  }
  if (now) rows.push(now);
  return rows.filter(({ address, hardwareAddress }) => address !== null || hardwareAddress !== null);
}

/** What programs print in lines: told by the content of the cells. */
function readLines(lines: readonly string[]): ReadTable {
  const rows: TableRow[] = [];
  const read: Line[] = [];
  let filled = 0;
  for (const [at, line] of lines.entries()) {
    if (line.trim() === '') continue;
    filled++;
    const hash = readHash(line);
    if (hash) {
      rows.push({ line: at + 1, ...hash });
      continue;
    }
    const titles = cellsOf(line);
    read.push({ at: at + 1, titles, cells: titles.map(readCell) });
  }
  const whole = read.some((line) => has(line, 'address') && has(line, 'hardware'));
  const single = !whole && read.every(({ cells }) => cells.filter(({ kind }) => kind !== 'other').length < 2);
  if (single && read.some((line) => has(line, 'address'))) {
    rows.push(...readColumn(read));
    return { form: 'a column of values', rows: lastOnes(rows), passed: 0 };
  }
  const nameAt = nameColumns(read);
  for (const line of read) {
    const row = rowOf(line, nameAt.get(line.cells.length));
    if (row.address !== null || row.hardwareAddress !== null) rows.push({ line: line.at, ...row });
  }
  return { form: 'a list in lines', rows: lastOnes(rows), passed: filled - rows.length };
}

/** Objects that say something of a host, wherever they stand. */
function readJson(text: string): ReadTable | null {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return null;
  }
  const rows: TableRow[] = [];
  const waiting: unknown[] = [value];
  while (waiting.length > 0) {
    const next = waiting.pop();
    if (typeof next !== 'object' || next === null) continue;
    const row = draft();
    for (const [key, inner] of Object.entries(next)) {
      if (typeof inner === 'object') waiting.push(inner);
      const texts = Array.isArray(inner) ? inner.filter((one) => typeof one === 'string') : [inner];
      for (const one of texts) {
        if (typeof one !== 'string') continue;
        const cell = readCell(one);
        if (cell.kind === 'address') row.address ??= cell.value;
        else if (cell.kind === 'hardware') row.hardwareAddress ??= cell.value;
        else if (cell.kind === 'gone') row.gone = true;
        else if (/host|name/i.test(key) && !Array.isArray(inner)) row.name ??= nameIn(one.split('.')[0]);
      }
    }
    if (row.address !== null || row.hardwareAddress !== null) rows.push({ line: 0, ...row });
  }
  // Deepest last was read first.
  return { form: 'JSON', rows: lastOnes(rows.reverse()), passed: 0 };
}

/** Cells and lines of a page as tabs and line ends, everything else that stands in angle brackets left out. */
function plainOf(html: string): string {
  const parts: string[] = [];
  let at = 0;
  for (;;) {
    const open = html.indexOf('<', at);
    if (open < 0) break;
    parts.push(html.slice(at, open));
    const close = html.indexOf('>', open);
    if (close < 0) break;
    const tag = html.slice(open + 1, Math.min(close, open + 12)).toLowerCase();
    if (/^(?:\/t[dh]\b)/.test(tag)) parts.push('\t');
    else if (/^(?:\/tr\b|br\b|\/li\b|\/p\b|\/div\b)/.test(tag)) parts.push('\n');
    at = close + 1;
  }
  parts.push(at === 0 ? html : html.slice(at));
  return parts.join('').replaceAll('&nbsp;', ' ').replaceAll('&amp;', '&');
}

/**
 * Reads a list of hosts as the network's own equipment has it: lease files, tables of neighbours, and tables copied
 * out of a page. What each column means is told by what stands in it; nothing of it is believed, it says where to look.
 * @throws TableError when it is too long, or has no host in it
 */
export function readTable(text: string): ReadTable {
  if (text.length > TABLE_LIMIT)
    throw new TableError(
      `This list is longer than ${String(TABLE_LIMIT / 1024)} KiB. Take the part in which the boards are.`,
    );
  // Others' text: odd blanks are blanks, and what cannot be seen is nothing.
  const clean = text
    .replace(/\r\n?/g, '\n')
    .replace(/[\u00a0\u2000-\u200a\u202f\u3000]/g, ' ')

    .replace(/[\u0000-\u0008\u000b-\u001f\u007f\u200b-\u200f\u2028-\u202e\ufeff]/g, '');
  const start = clean.trimStart();
  const json = start.startsWith('[') || start.startsWith('{') ? readJson(start) : null;
  const plain = /<t[dr]\b/i.test(clean) ? plainOf(clean) : clean;
  const lines = plain.split('\n');
  const heading = lines[0] ?? '';
  const read =
    json ??
    (lines.some((line) => /^lease\s+[\d.]+\s*\{/.test(line))
      ? readBlocks(lines)
      : heading.startsWith('address,') && heading.includes(',hwaddr,')
        ? readKea(lines)
        : readLines(lines));
  if (read.rows.length === 0)
    throw new TableError(
      'No host was found in this. Copy the whole table, with the column of addresses, or a lease file as it is.',
    );
  return read;
}

/** Whether a name of a list may be a longer one that was cut. */
export const isCutName = (inList: string, hostName: string): boolean =>
  inList.length === CUT_AT &&
  hostName.length > CUT_AT &&
  hostName.toLowerCase().startsWith(inList.toLowerCase());
