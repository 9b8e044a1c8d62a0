import { createHash, randomBytes } from 'node:crypto';
import type { IncomingMessage, Server } from 'node:http';
import type { Socket } from 'node:net';
import type { RequestHandler } from 'express';
import { accountBehind } from './kernel-account';
import { problem } from '../http/problems';
import { noteWho } from '../http/route';

/** Milliseconds for which a session lasts. */
const SESSION_LASTS = 12 * 3_600_000;
/** Sessions at once; the oldest goes. */
const MOST_SESSIONS = 50;

/** Accounts whose connections come in as they are. */
export function ownAccounts(): ReadonlySet<number> {
  const own = process.getuid?.();
  const behind = Number(process.env['SUDO_UID'] ?? '');
  return new Set([
    0,
    ...(own === undefined ? [] : [own]),
    // Only sudo can have set it for root; for anybody else it is a word like any other.
    ...(own === 0 && Number.isInteger(behind) && behind > 0 ? [behind] : []),
  ]);
}

const digest = (token: string): string => createHash('sha256').update(token).digest('base64');

export interface AdmissionOptions {
  accounts: ReadonlySet<number>;
  /** Told a new one-time address whenever one was used, to be printed where the program was started. */
  onKey: (address: string) => void;
}

/**
 * Who may use this program. It can erase disks and holds keys, so being on the same computer is not enough: the kernel
 * tells whose a connection is. The account that started it, the one behind sudo and root come in; everybody else needs
 * the address with a one-time key that the start prints, which is traded for a session.
 */
export class Admission {
  private readonly accounts = new WeakMap<Socket, Promise<number | null>>();
  private readonly sessions = new Map<string, number>();
  private key = '';
  private url = '';

  constructor(private readonly options: AdmissionOptions) {}

  /** Looks at each connection as it opens, before its port can belong to somebody else. */
  watch(server: Server, url: string): void {
    this.url = url;
    server.on('connection', (socket: Socket) => void this.look(socket));
  }

  /** The address that lets one browser in, once. */
  address(): string {
    this.key ||= randomBytes(24).toString('base64url');
    return `${this.url}/enter?key=${this.key}`;
  }

  /** Trades the one-time key for a session. */
  readonly enter: RequestHandler = (request, response, next) => {
    const { key } = request.query;
    if (this.key === '' || typeof key !== 'string' || digest(key) !== digest(this.key)) {
      next(problem('key-used'));
      return;
    }
    this.key = '';
    const token = randomBytes(32).toString('base64url');
    const now = Date.now();
    for (const [known, until] of this.sessions) if (until < now) this.sessions.delete(known);
    const [oldest] = this.sessions.keys();
    if (this.sessions.size >= MOST_SESSIONS && oldest !== undefined) this.sessions.delete(oldest);
    this.sessions.set(digest(token), now + SESSION_LASTS);
    this.options.onKey(this.address());
    response
      .cookie(cookieName(request), token, {
        httpOnly: true,
        sameSite: 'strict',
        path: '/',
        maxAge: SESSION_LASTS,
      })
      .set('Cache-Control', 'no-store')
      .redirect(303, '/');
  };

  /** Lets those in who may; the others get a problem that says what to do. */
  readonly guard: RequestHandler = (request, response, next) => {
    this.admits(request).then((who) => {
      if (who !== null) {
        noteWho(response, who);
        next();
        return;
      }
      next(problem('key-needed'));
    }, next);
  };

  private look(socket: Socket): Promise<number | null> {
    let account = this.accounts.get(socket);
    if (!account) {
      account = accountBehind(socket).catch(() => null);
      this.accounts.set(socket, account);
      // What the kernel did not tell is asked again with the next request of the connection.
      void account.then((found) => found ?? this.accounts.delete(socket));
    }
    return account;
  }

  /** Who asks, in words; null for somebody who is not let in. */
  async admits(request: IncomingMessage): Promise<string | null> {
    if (this.inSession(request)) return 'a browser with the one-time address';
    const account = await this.look(request.socket);
    return account !== null && this.options.accounts.has(account) ? `the account ${String(account)}` : null;
  }

  private inSession(request: IncomingMessage): boolean {
    const name = cookieName(request);
    const token = (request.headers.cookie ?? '')
      .split(';')
      .map((part) => part.trim())
      .find((part) => part.startsWith(`${name}=`))
      ?.slice(name.length + 1);
    return token !== undefined && (this.sessions.get(digest(token)) ?? 0) > Date.now();
  }
}

/** Cookies know no ports, so the name has it: another program on this computer gets its own. */
const cookieName = (request: IncomingMessage): string => `nm-${String(request.socket.localPort ?? 0)}`;
