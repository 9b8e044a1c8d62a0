import { randomBytes, timingSafeEqual } from 'node:crypto';
import { fromBase64 } from '@nest-mark/core';
import { Client, type AnyAuthMethod, type ClientChannel } from 'ssh2';
import { COMMAND_MS, follow, type Done, type RunOptions } from './follow';
import { carryLent, LENDS_NOT } from './lend';
import { ShellError } from './shell-error';
import { Terminal, type TerminalSize } from './terminal';

/** A login service, and the key that it has to sign with. */
export interface ShellPlace {
  address: string;
  port: number;
  /** `ssh-ed25519 AAAA…`, as it is planned. */
  hostKey: string;
}

/** By what the bench logs in; each is tried in this order, and nothing of it is sent before the host key is proved. */
export interface Login {
  user: string;
  /** Private key in OpenSSH's form, without a passphrase. */
  key: string | null;
  /** Path of the agent's socket. */
  agent: string | null;
  /** For sudo where that asks for one. */
  password: string | null;
  /** Whether the password may be used to log in as well. */
  byPassword: boolean;
}

/** How one becomes root on a board. */
export type RootWay = 'is' | 'free' | 'password' | 'none';

const HANDSHAKE_MS = 10_000;

const message = (error: Error & { level?: string; code?: string }): ShellError => {
  const { level, code } = error;
  if (/Host denied|verification failed/.test(error.message))
    return new ShellError('other-key', 'What answers there signs with another key than planned.');
  if (/no matching host key/.test(error.message))
    return new ShellError('no-key', 'What answers there has no key of the planned kind.');
  if (level === 'client-authentication')
    return new ShellError('no-login', 'The board lets us in by nothing that the bench has.');
  if (level === 'client-timeout' || level === 'client-socket' || code !== undefined)
    return new ShellError('away', `Nobody answers there (${code ?? 'no handshake in time'}).`);
  return new ShellError('lost', `The connection broke off (${error.message}).`);
};

/** A login to a board that proved its host key in this very connection. */
export class Shell {
  private rootWay: RootWay | null = null;
  private readonly ended = new AbortController();

  private constructor(
    private readonly client: Client,
    private readonly password: string | null,
    private readonly signal: AbortSignal | undefined,
  ) {}

  /** @throws ShellError */
  static open(place: ShellPlace, login: Login, signal?: AbortSignal): Promise<Shell> {
    const planned = fromBase64(place.hostKey.split(' ')[1] ?? '');
    return new Promise((resolve, reject) => {
      const client = new Client();
      const shell = new Shell(client, login.password, signal);
      let settled = false;
      let failure: ShellError | null = null;
      const give = (error: ShellError | null): void => {
        if (settled) return;
        settled = true;
        signal?.removeEventListener('abort', stop);
        if (error) {
          client.destroy();
          reject(error);
        } else resolve(shell);
      };
      const stop = (): void => give(new ShellError('stopped', 'It was stopped.'));
      signal?.addEventListener('abort', stop, { once: true });
      // Questions are small and wait for their answers: none may lie here until the one before it was acknowledged
      // (Nagle's algorithm, RFC 896, against delayed acknowledgements, RFC 1122 section 4.2.3.2: 40 ms each, measured).
      client.on('connect', () => client.setNoDelay(true));
      client.on('ready', () => give(null));
      client.on('error', (error: Error & { level?: string }) => {
        // An agent that is away is no end: another way may let us in.
        if (error.level === 'agent') failure = new ShellError('agent', 'The SSH agent did not answer.');
        else give(failure ?? message(error));
      });
      // It can end without an error: an account that has expired, for one.
      client.on('close', () => {
        shell.ended.abort();
        give(failure ?? new ShellError('no-login', 'The board let us go without a word.'));
      });
      const ways: AnyAuthMethod[] = [
        ...(login.key === null ? [] : [{ type: 'publickey' as const, username: login.user, key: login.key }]),
        ...(login.agent === null
          ? []
          : [{ type: 'agent' as const, username: login.user, agent: login.agent }]),
        ...(login.password === null || !login.byPassword
          ? []
          : [
              { type: 'password' as const, username: login.user, password: login.password },
              {
                type: 'keyboard-interactive' as const,
                username: login.user,
                prompt: (
                  _name: string,
                  _text: string,
                  _language: string,
                  prompts: { prompt: string }[],
                  finish: (answers: string[]) => void,
                ) => finish(prompts.length === 1 && !asked ? ((asked = true), [login.password ?? '']) : []),
              },
            ]),
      ];
      let asked = false;
      try {
        if (!planned) throw new Error('the planned key is none');
        if (signal?.aborted) {
          stop();
          return;
        }
        client.connect({
          host: place.address,
          port: place.port,
          username: login.user,
          readyTimeout: HANDSHAKE_MS,
          keepaliveInterval: 5000,
          keepaliveCountMax: 3,
          algorithms: { serverHostKey: ['ssh-ed25519'] },
          hostVerifier: (key: Buffer) => key.length === planned.length && timingSafeEqual(key, planned),
          authHandler: ways,
        });
      } catch (error) {
        give(new ShellError('no-login', `The login cannot be tried: ${(error as Error).message}`));
      }
    });
  }

  /** Whether the connection has ended. */
  get gone(): boolean {
    return this.ended.signal.aborted;
  }

  /** Runs a command as the user. @throws ShellError when the connection breaks off */
  run(command: string, options: RunOptions = {}): Promise<Done> {
    return this.within(command, (channel) => follow(channel, options, this.signal));
  }

  /**
   * Runs a script as root, by whatever way the board has.
   * @throws ShellError `useless` when it has none
   */
  async runAsRoot(script: string, options: Omit<RunOptions, 'input'> = {}): Promise<Done> {
    const way = await this.root();
    if (way === 'none') throw new ShellError('useless', 'The user may not become root.');
    if (way === 'is') return this.run('sh -s', { ...options, input: script });
    if (way === 'free') return this.run('sudo -n -- sh -s', { ...options, input: script });
    return this.byPassword(script, options);
  }

  /**
   * Runs a script as root where nobody asks for a password, and not at all elsewhere: what would have to be asked first is
   * seen by trying. It must hold no secret, since it is sent also where nothing runs it.
   * @param ran whether what was printed shows that it ran
   * @returns null where it did not run
   * @throws ShellError
   */
  async tryAsRoot(
    script: string,
    ran: (text: string) => boolean,
    options: Omit<RunOptions, 'input'> = {},
  ): Promise<Done | null> {
    if (this.rootWay !== null) return this.rootWay === 'none' ? null : this.runAsRoot(script, options);
    const input = `[ "$(id -u)" = 0 ] || exit 1\n${script}`;
    const done = await this.run('env LC_ALL=C sudo -n -- sh -s', { ...options, input });
    if (ran(done.text)) {
      this.rootWay = 'free';
      return done;
    }
    return (await this.root()) === 'none' ? null : this.runAsRoot(script, options);
  }

  /** How one becomes root here; asked once. @throws ShellError */
  async root(): Promise<RootWay> {
    if (this.rootWay !== null) return this.rootWay;
    // The first way that there is in most cases is tried at once, and says who it is.
    const free = await this.run('env LC_ALL=C sudo -n id -u');
    // sudo may say something first: of a host name that nobody resolves, for one.
    if (free.code === 0 && /(?:^|\n)0\s*$/.test(free.text)) return (this.rootWay = 'free');
    if ((await this.run('id -u')).text.trim() === '0') return (this.rootWay = 'is');
    if (this.password === null) return (this.rootWay = 'none');
    // Only trying tells a password that is right from one that does not help.
    const tried = await this.byPassword('exit 0', {}).catch((error: unknown) => {
      if (error instanceof ShellError && error.fault === 'useless') return null;
      throw error;
    });
    return (this.rootWay = tried?.code === 0 ? 'password' : 'none');
  }

  /**
   * Lends the board a port of this computer's loopback, for as long as the login lasts.
   * @returns the port of the board's own loopback whose connections come out there
   * @throws ShellError `useless` when the board does not allow it
   */
  lend(port: number): Promise<number> {
    return this.asked((give, refuse) => {
      this.client.forwardIn('127.0.0.1', 0, (error, lent) => {
        if (error) {
          refuse(new ShellError('useless', LENDS_NOT));
          return;
        }
        carryLent(this.client, lent, port, this.ended.signal);
        give(lent);
      });
    });
  }

  /**
   * A terminal. A key that may have none on the board's side gets one that the board's own script(1) makes; its size stays
   * as it was at first.
   * @throws ShellError
   */
  terminal({ columns, rows }: TerminalSize): Promise<Terminal> {
    return this.asked((give, refuse) => {
      this.client.shell({ term: 'xterm-256color', cols: columns, rows }, (refused, channel) => {
        if (!refused) {
          give(new Terminal(channel, true));
          return;
        }
        const inner = `stty cols ${String(columns)} rows ${String(rows)}; exec "$SHELL" -l`;
        this.client.exec(
          `TERM=xterm-256color; export TERM; exec script -q -c '${inner}' /dev/null`,
          (error, plain) => {
            if (error) refuse(new ShellError('useless', `The board opens no terminal (${error.message}).`));
            else give(new Terminal(plain, false));
          },
        );
      });
    });
  }

  close(): void {
    this.client.end();
  }

  /**
   * Opens a channel for a command and hands it over at once: what a quick command says comes with the channel itself, and
   * would be lost on whoever begins to listen later.
   */
  private within<T>(command: string, use: (channel: ClientChannel) => Promise<T>): Promise<T> {
    return this.asked((give, refuse) => {
      this.client.exec(command, (error, channel) => {
        if (error) refuse(new ShellError('lost', `The board opens no channel (${error.message}).`));
        else give(use(channel));
      });
    });
  }

  /** Asks the board for something, and gives up where the connection breaks off before it answered. */
  private asked<T>(
    ask: (give: (value: T | Promise<T>) => void, refuse: (error: ShellError) => void) => void,
  ): Promise<T> {
    return new Promise((resolve, reject) => {
      const { signal } = this.ended;
      const lost = (): void => reject(new ShellError('lost', 'The connection broke off.'));
      const answered = (): void => signal.removeEventListener('abort', lost);
      if (this.gone) {
        lost();
        return;
      }
      signal.addEventListener('abort', lost, { once: true });
      try {
        ask(
          (value) => {
            answered();
            resolve(value);
          },
          (error) => {
            answered();
            reject(error);
          },
        );
      } catch {
        // Between the end of a connection and the word of it.
        lost();
      }
    });
  }

  /** The password is sent only when it is asked for: where it is not, it would be read as a command. */
  private byPassword(script: string, options: RunOptions): Promise<Done> {
    const mark = randomBytes(12).toString('hex');
    return this.within(
      `env LC_ALL=C sudo -k -S -p '${mark}-password ' -- sh -c 'echo ${mark}-ready; exec sh -s'`,
      (channel) => this.answerSudo(channel, mark, script, options),
    );
  }

  private answerSudo(
    channel: ClientChannel,
    mark: string,
    script: string,
    options: RunOptions,
  ): Promise<Done> {
    return new Promise((resolve, reject) => {
      let before = '';
      let sent = false;
      const refuse = (why: string): void => {
        channel.removeAllListeners('data');
        channel.stderr.removeAllListeners('data');
        channel.close();
        reject(new ShellError('useless', why));
      };
      const timer = setTimeout(() => refuse('sudo did not answer.'), COMMAND_MS);
      const listen = (data: Buffer): void => {
        before = (before + data.toString('latin1')).slice(-65_536);
        if (before.includes(`${mark}-ready\n`)) {
          clearTimeout(timer);
          channel.off('data', listen);
          channel.stderr.off('data', listen);
          channel.off('close', ended);
          follow(channel, { ...options, input: script }, this.signal).then(resolve, reject);
          return;
        }
        const prompts = before.split(`${mark}-password `).length - 1;
        if (prompts >= 2) {
          clearTimeout(timer);
          refuse('The board does not take the planned password for sudo.');
        } else if (prompts === 1 && !sent) {
          sent = true;
          channel.write(`${this.password ?? ''}\n`);
        }
      };
      const ended = (): void => {
        clearTimeout(timer);
        reject(
          this.gone
            ? new ShellError('lost', 'The connection broke off.')
            : new ShellError('useless', 'The user may not become root.'),
        );
      };
      channel.on('data', listen);
      channel.stderr.on('data', listen);
      channel.once('close', ended);
    });
  }
}
