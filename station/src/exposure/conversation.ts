import { connect, type Socket } from 'node:net';
import { connect as connectTls } from 'node:tls';
import { afterAlive } from '../net/tcp-probe';

/** Octets of an answer that are taken. */
const MOST = 16_384;
/** Milliseconds for a connection, or for a whole answer. */
const PATIENCE = 4000;
/** Milliseconds in which a service that speaks first has spoken. */
const FIRST_WORD = 600;

/** One connection to a service of a board: a few words to and fro, bounded in time and octets. */
export class Conversation {
  private heard = Buffer.alloc(0);
  private closed = false;
  private wake: (() => void) | null = null;

  private constructor(private readonly socket: Socket) {
    socket.on('data', (data: Buffer) => {
      if (this.heard.length < MOST)
        this.heard = Buffer.concat([this.heard, data.subarray(0, MOST - this.heard.length)]);
      else socket.destroy();
      this.wake?.();
    });
    const end = (): void => {
      this.closed = true;
      this.wake?.();
    };
    socket.on('close', end);
    socket.on('end', end);
    socket.on('error', end);
  }

  /** @returns null when nobody answers there, or an encrypted connection cannot be had */
  static open(address: string, port: number, encrypted: boolean): Promise<Conversation | null> {
    return new Promise((resolve) => {
      // Whose certificate it is does not matter here: only whether it encrypts, and nothing secret is sent.
      const socket = encrypted
        ? connectTls({ host: address, port, rejectUnauthorized: false })
        : connect({ host: address, port });
      const give = (conversation: Conversation | null): void => {
        stop();
        socket.removeListener('error', refuse);
        if (!conversation) {
          socket.on('error', () => undefined);
          socket.destroy();
        }
        resolve(conversation);
      };
      const refuse = (): void => give(null);
      const stop = afterAlive(PATIENCE, refuse);
      socket.once('error', refuse);
      socket.once('close', refuse);
      socket.once(encrypted ? 'secureConnect' : 'connect', () => {
        socket.removeListener('close', refuse);
        give(new Conversation(socket));
      });
    });
  }

  /** What it said so far, one character an octet. */
  get said(): string {
    return this.heard.toString('latin1');
  }

  get octets(): Buffer {
    return this.heard;
  }

  send(words: string | Uint8Array): void {
    if (!this.closed) this.socket.write(typeof words === 'string' ? Buffer.from(words, 'latin1') : words);
  }

  /** Waits until what it said will do, it has hung up, or time is over. */
  until(enough: (said: string) => boolean, milliseconds = PATIENCE): Promise<void> {
    return new Promise((resolve) => {
      const done = (): void => {
        stop();
        this.wake = null;
        resolve();
      };
      const stop = afterAlive(milliseconds, done);
      const look = (): void => {
        if (this.closed || enough(this.said)) done();
      };
      this.wake = look;
      look();
    });
  }

  /** Waits for what a service says by itself. */
  firstWord(): Promise<void> {
    return this.until((said) => said !== '', FIRST_WORD);
  }

  close(): void {
    this.socket.destroy();
  }
}
