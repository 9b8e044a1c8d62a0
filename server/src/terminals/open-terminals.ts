import { createHash, randomBytes } from 'node:crypto';
import { StringDecoder } from 'node:string_decoder';
import { plainOutput, struckOut } from '@nest-mark/core/bring-up';
import type { Shell, Terminal } from '@nest-mark/station';

/** Milliseconds for which a login waits for its browser. */
const WAITS_MS = 30_000;
/** Terminals of a station at once. */
const MOST_OPEN = 16;
/** Characters that are kept of one. */
const KEPT = 200_000;

const digest = (ticket: string): string => createHash('sha256').update(ticket).digest('base64');

/** A terminal that is open, or waits for its browser. */
export interface OpenTerminal {
  id: string;
  batchId: string;
  deviceId: string;
  /** Who asked for it, in words; nobody else gets it. */
  who: string;
  hostName: string;
  shell: Shell;
  terminal: Terminal;
  /** Whether what is shown goes into the record. */
  keep: boolean;
  /** What must not be shown in a record. */
  secrets: readonly string[];
}

/** The text of a record: what was shown, as far as it can be read, and the end of it where it was much. */
export class Shown {
  private text = '';
  // A letter may come in two pieces.
  private readonly letters = new StringDecoder('utf8');

  constructor(private readonly secrets: readonly string[]) {}

  add(data: Buffer): void {
    // Cut before it is cleaned, with room for a secret that lies across two pieces.
    this.text = (this.text + this.letters.write(data)).slice(-2 * KEPT);
  }

  /** As it is kept. */
  get kept(): string {
    return struckOut(plainOutput(this.text), this.secrets).slice(-KEPT);
  }
}

/** Terminals of this station. */
export class OpenTerminals {
  private readonly waiting = new Map<string, { one: OpenTerminal; timer: NodeJS.Timeout }>();
  /** Devices that have one, or for which one is being opened. */
  private readonly devices = new Set<string>();

  constructor(
    /** Whether whoever runs the station lets people open them. */
    readonly allowed: boolean,
  ) {}

  /** Takes the place of a device's one terminal. @returns why not, or null */
  reserve(deviceId: string): string | null {
    if (this.devices.has(deviceId)) return 'A terminal to this board is open already.';
    if (this.devices.size >= MOST_OPEN) return `${String(MOST_OPEN)} terminals are open.`;
    this.devices.add(deviceId);
    return null;
  }

  release(deviceId: string): void {
    this.devices.delete(deviceId);
  }

  /** Has a login wait for its browser. @returns the ticket */
  wait(one: OpenTerminal, gone: () => void): string {
    const ticket = randomBytes(24).toString('base64url');
    const key = digest(ticket);
    const timer = setTimeout(() => {
      if (this.waiting.delete(key)) gone();
    }, WAITS_MS);
    timer.unref();
    this.waiting.set(key, { one, timer });
    return ticket;
  }

  /** Leaves the boards for which nobody came yet: the program stops. */
  leave(): void {
    for (const { one, timer } of this.waiting.values()) {
      clearTimeout(timer);
      one.shell.close();
    }
    this.waiting.clear();
  }

  /** The login of a ticket, once. */
  take(ticket: string, who: string): OpenTerminal | null {
    const key = digest(ticket);
    const found = this.waiting.get(key);
    if (found?.one.who !== who) return null;
    this.waiting.delete(key);
    clearTimeout(found.timer);
    return found.one;
  }
}
