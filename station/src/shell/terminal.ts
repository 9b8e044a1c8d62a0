import type { ClientChannel } from 'ssh2';

export interface TerminalSize {
  columns: number;
  rows: number;
}

/** A terminal on a board: octets both ways. */
export class Terminal {
  constructor(
    private readonly channel: ClientChannel,
    private readonly resizes: boolean,
  ) {
    channel.on('error', () => undefined);
  }

  /** Told what is shown, as it comes, and the end. */
  listen(onData: (data: Buffer) => void, onEnd: () => void): void {
    this.channel.on('data', onData);
    this.channel.stderr.on('data', onData);
    this.channel.once('close', onEnd);
  }

  write(keys: Buffer): void {
    this.channel.write(keys);
  }

  resize({ columns, rows }: TerminalSize): void {
    if (this.resizes) this.channel.setWindow(rows, columns, 0, 0);
  }

  /** Lets nothing more come until `resume`: whoever looks is behind. */
  pause(): void {
    this.channel.pause();
  }

  resume(): void {
    this.channel.resume();
  }

  close(): void {
    this.channel.close();
  }
}
