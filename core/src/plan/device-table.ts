import Papa from 'papaparse';
import type { BoardProfile } from '../boards/profiles';
import type { NewDevice } from './fill-tray';
import type { Device, Overrides, Plan } from './model';
import { BATCH_LIMIT, hostNameFault, type HostNameFault } from './names';
import { parseNest } from './nests';

/** Columns that a table of devices may have, with the titles by which they are known. */
const columns = {
  mark: ['mark'],
  hostName: ['host name', 'hostname', 'host', 'name', 'device'],
  nest: ['nest', 'place'],
  role: ['role', 'purpose'],
  notes: ['notes', 'note', 'remark', 'comment'],
  board: ['board', 'board profile'],
  userName: ['user', 'user name'],
  country: ['country'],
  timeZone: ['time zone', 'timezone'],
  locale: ['locale'],
} as const;
type Column = keyof typeof columns;

const columnOf = (title: string): Column | null => {
  const wanted = title.trim().toLowerCase().replace(/[_-]/g, ' ');
  const found = (Object.keys(columns) as Column[]).find((column) =>
    (columns[column] as readonly string[]).includes(wanted),
  );
  return found ?? null;
};

/** What one line of a table comes to. */
export interface TableLine {
  /** Counted from 1 in the file. */
  line: number;
  action: 'add' | 'change' | 'skip';
  hostName: string;
  /** Why it is left out, or what about it wants a look. */
  problems: string[];
}

export interface TablePreview {
  /** Titles that were recognised, and those that were not. */
  columns: string[];
  unknownColumns: string[];
  lines: TableLine[];
  additions: NewDevice[];
  changes: { id: string; change: Partial<Omit<Device, 'id' | 'mark'>> }[];
}

const faultTexts: Record<HostNameFault, string> = {
  empty: 'has no host name',
  long: 'has a host name of more than 63 characters',
  character: 'has a host name with characters outside a to z, digits and hyphens',
  edge: 'has a host name that begins or ends with a hyphen',
};

interface Row {
  line: number;
  cells: string[];
  broken: string | null;
}

/** Splits a table into rows with their line numbers; commas, semicolons and tabs are told apart by what fits. */
function rowsOf(text: string): Row[] {
  // A mixture of line ends would otherwise be read as one long line.
  const clean = text.replace(/^\uFEFF/, '').replace(/\r\n|\r/g, '\n');
  const parsed = Papa.parse<string[]>(clean, {
    delimitersToGuess: [',', ';', '\t'],
    skipEmptyLines: false,
    newline: '\n',
  });
  const broken = new Map(
    parsed.errors.flatMap((error) =>
      error.type === 'Quotes' && error.row !== undefined ? [[error.row, error.message] as const] : [],
    ),
  );
  let line = 1;
  return parsed.data.map((cells, index): Row => {
    const row = { line, cells: cells.map((cell) => cell.trim()), broken: broken.get(index) ?? null };
    line += 1 + cells.reduce((sum, cell) => sum + cell.split('\n').length - 1, 0);
    return row;
  });
}

/** Values of a row by column; a table without titles has host name, role, nest and notes in this order. */
const untitled: readonly Column[] = ['hostName', 'role', 'nest', 'notes'];

function overridesOf(
  value: (column: Column) => string,
  plan: Plan,
  boards: readonly BoardProfile[],
  problems: string[],
): Overrides {
  const own: Overrides = {};
  const board = value('board');
  if (board !== '') {
    const found = boards.find(({ id, title }) => id === board || title.toLowerCase() === board.toLowerCase());
    if (!found) problems.push(`names a board profile that is not on the shelf: "${board.slice(0, 60)}"`);
    else if (found.id !== plan.boardProfileId) own.boardProfileId = found.id;
  }
  if (value('userName') && value('userName') !== plan.access.userName)
    own.userName = value('userName').slice(0, 64);
  if (value('country') && value('country') !== plan.country) own.country = value('country').slice(0, 8);
  if (value('timeZone') && value('timeZone') !== plan.timeZone) own.timeZone = value('timeZone').slice(0, 64);
  if (value('locale') && value('locale') !== plan.locale) own.locale = value('locale').slice(0, 64);
  return own;
}

/**
 * Reads a table of devices (CSV by RFC 4180, or cells copied from a spreadsheet) against a plan: a line whose mark, or
 * without a mark whose name, is in the plan changes that device, any other adds one. Nothing is changed here.
 */
export function previewTable(text: string, plan: Plan, boards: readonly BoardProfile[]): TablePreview {
  const rows = rowsOf(text);
  while (rows.length > 0 && rows.at(-1)?.cells.every((cell) => cell === '')) rows.pop();
  const titles = rows[0]?.cells ?? [];
  const known = titles.map(columnOf);
  const titled = known.includes('hostName') || known.includes('mark');
  const order: readonly (Column | null)[] = titled ? known : untitled;
  const preview: TablePreview = {
    columns: order.flatMap((column) => (column ? [columns[column][0]] : [])),
    unknownColumns: titled ? titles.filter((title, index) => title !== '' && !known[index]) : [],
    lines: [],
    additions: [],
    changes: [],
  };
  const byMark = new Map(plan.devices.map((device) => [device.mark.toUpperCase(), device]));
  const byName = new Map(plan.devices.map((device) => [device.hostName.toLowerCase(), device]));
  const nests = new Map<string, string>();
  const seen = new Map<string, number>();
  const changed = new Set<string>();
  for (const row of titled ? rows.slice(1) : rows) {
    const value = (column: Column): string => {
      const at = order.indexOf(column);
      return at < 0 ? '' : (row.cells[at] ?? '');
    };
    const hostName = value('hostName');
    const problems: string[] = [];
    const skip = (problem: string): void => {
      preview.lines.push({ line: row.line, action: 'skip', hostName, problems: [problem] });
    };
    if (row.broken !== null) {
      skip('has a quotation mark that is not closed');
      continue;
    }
    if (row.cells.every((cell) => cell === '')) {
      skip('is blank');
      continue;
    }
    const mark = value('mark').toUpperCase();
    const marked = mark === '' ? undefined : byMark.get(mark);
    if (mark !== '' && !marked)
      problems.push(`has the mark ${mark.slice(0, 8)}, which is not in this plan; it gets a new one`);
    const device = marked ?? (hostName === '' ? undefined : byName.get(hostName.toLowerCase()));
    const fault = hostNameFault(hostName);
    if (fault === 'empty' && !device) {
      skip(faultTexts.empty);
      continue;
    }
    if (hostName.length > 255) {
      skip(faultTexts.long);
      continue;
    }
    if (fault && fault !== 'empty') problems.push(faultTexts[fault]);
    const first = seen.get(hostName.toLowerCase());
    if (hostName !== '' && first !== undefined) {
      skip(`repeats the name of line ${String(first)}`);
      continue;
    }
    if (hostName !== '') seen.set(hostName.toLowerCase(), row.line);
    const nest = value('nest').toUpperCase();
    if (nest !== '' && !parseNest(nest))
      problems.push(`has the nest "${nest.slice(0, 12)}", which is none; write A1`);
    const usable = nest !== '' && parseNest(nest) ? nest : '';
    const before = usable === '' ? undefined : nests.get(usable);
    if (before !== undefined) problems.push(`takes nest ${usable}, which ${before} has already`);
    if (usable !== '') nests.set(usable, hostName);
    const overrides = overridesOf(value, plan, boards, problems);
    const has = (column: Column): boolean => order.includes(column);
    if (device) {
      if (changed.has(device.id)) {
        skip('changes a device that an earlier line changes');
        continue;
      }
      changed.add(device.id);
      preview.changes.push({
        id: device.id,
        change: {
          ...(hostName === '' ? {} : { hostName }),
          ...(usable === '' ? {} : { nest: usable }),
          ...(has('role') ? { role: value('role').slice(0, 80) } : {}),
          ...(has('notes') ? { notes: value('notes').slice(0, 400) } : {}),
          overrides: { ...device.overrides, ...overrides },
        },
      });
    } else if (plan.devices.length + preview.additions.length >= BATCH_LIMIT) {
      skip(`is beyond the ${String(BATCH_LIMIT)} devices that one batch holds`);
      continue;
    } else
      preview.additions.push({
        hostName,
        nest: before === undefined ? usable : '',
        role: value('role').slice(0, 80),
        notes: value('notes').slice(0, 400),
        overrides,
      });
    preview.lines.push({ line: row.line, action: device ? 'change' : 'add', hostName, problems });
  }
  return preview;
}

/** The devices of a plan as CSV (RFC 4180) that `previewTable` reads back. */
export function deviceTable(plan: Plan, boards: readonly BoardProfile[]): string {
  const titles = (Object.keys(columns) as Column[]).map((column) => columns[column][0]);
  const rows = plan.devices.map(({ mark, hostName, nest, role, notes, overrides }) => [
    mark,
    hostName,
    nest,
    role,
    notes,
    boards.find(({ id }) => id === overrides.boardProfileId)?.title ?? '',
    overrides.userName ?? '',
    overrides.country ?? '',
    overrides.timeZone ?? '',
    overrides.locale ?? '',
  ]);
  return `${Papa.unparse([titles, ...rows], { escapeFormulae: true, newline: '\r\n' })}\r\n`;
}
