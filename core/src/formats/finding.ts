import type { Severity } from '../plan/finding';
import { utf8 } from '../bytes';
import type { LineChange } from './line-change';

/** A file of the boot partition's root. */
export interface BootFile {
  name: string;
  content: Uint8Array;
}

/** What can be done about a finding by a program: other octets for a file, another name, or no file at all. */
export type CheckFix =
  | { do: 'replace'; file: string; content: Uint8Array }
  | { do: 'rename'; file: string; to: string };

/** Something that is wrong with a card, or that should be known of it. */
export interface CheckFinding {
  id: string;
  severity: Severity;
  file: string;
  /** Line from 1, or null where the whole file is meant. */
  line: number | null;
  /** Octet from 0, or null. */
  byte: number | null;
  message: string;
  /** What happens because of it. */
  why: string;
  /** What to write instead, in words or as the corrected line. */
  advice: string;
  fix: CheckFix | null;
}

/** A network that the card tells its board to join. */
export interface CheckedNetwork {
  ssid: string;
  security: 'open' | 'wep' | 'psk' | 'sae';
  hidden: boolean;
  priority: number;
}

export interface CheckedUser {
  name: string;
  keys: number;
  password: boolean;
}

/** What the card will make of its board. */
export interface CheckedSettings {
  hostName: string | null;
  country: string | null;
  networks: CheckedNetwork[];
  /** The file that names the networks, when all of it is refused; then none of them is joined. */
  refusedFile: string | null;
  users: CheckedUser[];
  passwordLogin: boolean;
  /** Whether the login service is turned on; null where the image decides. */
  loginService: boolean | null;
}

export const noSettings = (): CheckedSettings => ({
  hostName: null,
  country: null,
  networks: [],
  refusedFile: null,
  users: [],
  passwordLogin: false,
  loginService: null,
});

/** What an editor does to a file that makes its reader refuse it. */
const unreadable: readonly string[] = ['utf-16', 'not-utf-8', 'byte-order-mark', 'control-character'];

/** Whether an editor did something to a file because of which nothing of it is taken. */
export const isUnreadable = (list: readonly CheckFinding[]): boolean =>
  list.some(({ severity, id }) => severity === 'stops' && unreadable.includes(id));

/** Whether something was found because of which a file is refused as a whole. */
export const isRefused = ({ refusing, list }: Findings): boolean => refusing || isUnreadable(list);

/** Where something was found, and what mends it. */
interface FoundAt {
  line?: number | null;
  byte?: number | null;
  fix?: CheckFix | null;
  mend?: LineChange;
}

type AddRefusing = [id: string, message: string, why: string, advice: string, at?: FoundAt];

/** Collects findings of one file. */
export class Findings {
  readonly list: CheckFinding[] = [];
  /** The whole file with plain line ends, once it was read; single lines can be mended then. */
  text: string | null = null;

  /** Whether one of them has the whole file refused. */
  refusing = false;

  constructor(private readonly file: string) {}

  /** Adds a finding because of which the whole file is refused. */
  addRefusing(...[id, message, why, advice, at]: AddRefusing): void {
    this.refusing = true;
    this.add('stops', id, message, why, advice, at);
  }

  add(severity: Severity, id: string, message: string, why: string, advice: string, at: FoundAt = {}): void {
    const { line = null, byte = null, mend } = at;
    const fix = at.fix ?? (mend && line !== null ? this.withLine(line, mend) : null);
    this.list.push({ id, severity, file: this.file, line, byte, message, why, advice, fix });
  }

  /** The file with one line mended; null where that changes nothing. */
  private withLine(line: number, mend: LineChange): CheckFix | null {
    const lines = this.text?.split('\n') ?? [];
    const before = lines[line - 1];
    if (before === undefined) return null;
    const after = mend(before);
    if (after === before) return null;
    const content = utf8(lines.toSpliced(line - 1, 1, ...(after === null ? [] : [after])).join('\n'));
    return { do: 'replace', file: this.file, content };
  }
}
