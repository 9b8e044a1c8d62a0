import { StringDecoder } from 'node:string_decoder';
import type { ClientChannel } from 'ssh2';
import { ShellError } from './shell-error';

/** What a command did. */
export interface Done {
  /** Exit code; null when it was ended by a signal, or by us. */
  code: number | null;
  /** Standard output and, unless they are kept apart, error output; up to the bound. */
  text: string;
  /** Whether it printed more than was taken, and was ended. */
  cut: boolean;
  /** Whether it took longer than it may, and was ended. */
  late: boolean;
}

export interface RunOptions {
  /** What it reads. */
  input?: string;
  /** Octets of its output that are taken. */
  limit?: number;
  milliseconds?: number;
  /** Told what comes, as it comes. */
  onText?: (text: string) => void;
}

const LIMIT = 4 << 20;
/** Milliseconds that a command may take where nothing else is said. */
export const COMMAND_MS = 60_000;

/**
 * Goes along with a command to its end.
 * @param signal aborted when nobody waits for it any more
 * @throws ShellError `lost` when the connection breaks off, `stopped` when it is aborted
 */
export function follow(
  channel: ClientChannel,
  options: RunOptions,
  signal: AbortSignal | undefined,
): Promise<Done> {
  const { input, limit = LIMIT, milliseconds = COMMAND_MS, onText } = options;
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    // A letter may come in two pieces.
    const letters = new StringDecoder('utf8');
    let length = 0;
    let code: number | null = null;
    let told = false;
    let cut = false;
    let late = false;
    const timer = setTimeout(() => {
      late = true;
      channel.close();
    }, milliseconds);
    // What runs there may take long; whoever stops does not wait for it.
    const stop = (): void => {
      channel.close();
      reject(new ShellError('stopped', 'It was stopped.'));
    };
    signal?.addEventListener('abort', stop, { once: true });
    if (signal?.aborted) stop();
    const take = (data: Buffer): void => {
      if (cut) return;
      const part = data.subarray(0, limit - length);
      length += part.length;
      parts.push(part);
      onText?.(letters.write(part));
      if (part.length < data.length) {
        cut = true;
        channel.close();
      }
    };
    channel.on('data', take);
    channel.stderr.on('data', take);
    channel.on('exit', (exit: number | null) => {
      told = true;
      code = exit;
    });
    channel.once('close', () => {
      clearTimeout(timer);
      signal?.removeEventListener('abort', stop);
      // A board that shuts down tells no code; whoever ordered that knows.
      if (!told && !cut && !late) reject(new ShellError('lost', 'The connection broke off.'));
      else resolve({ code, text: Buffer.concat(parts).toString('utf8'), cut, late });
    });
    channel.on('error', () => undefined);
    if (input !== undefined) channel.end(input);
  });
}
