import ssh2, { type AuthContext, type Connection, type Session } from 'ssh2';
import type { BoardSystem } from '../system/board-system';
import { runCommand, serveShell } from './commands';
import { lendPorts } from './lent-ports';
import { ownKey } from './own-key';
import { passwordFits } from './password-fits';
import type { BoardSettings } from './settings';

/** Who may log in, and by what. */
interface Account {
  keys: readonly string[];
  hash: string | null;
  byPassword: boolean;
}

/** The board's own files say who may log in once it has started, and its card before. */
async function accountOf(
  name: string,
  settings: BoardSettings,
  system: BoardSystem | null,
  byPassword: boolean,
): Promise<Account | null> {
  if (!system?.made) {
    const user = settings.users.find((candidate) => candidate.name === name);
    return user ? { keys: user.keys, hash: user.hash, byPassword } : null;
  }
  const [shadow = '', keys = ''] = await system.read('/etc/shadow', `/home/${name}/.ssh/authorized_keys`);
  const entry = shadow.split('\n').find((line) => line.startsWith(`${name}:`));
  if (entry === undefined) return null;
  return {
    keys: keys.split('\n').filter((line) => line.trim() !== ''),
    hash: entry.split(':')[1] ?? null,
    byPassword,
  };
}

/** A key's line without what limits it (sshd(8), "AUTHORIZED_KEYS FILE FORMAT"). */
const withoutOptions = (line: string): string =>
  /(?:^|\s)((?:ssh|ecdsa|sk)-\S+ AAAA.*)$/.exec(line)?.[1] ?? line;

/** What somebody may do who is let in. */
interface Leave {
  /** Whether ports may be lent to the board. */
  lends: boolean;
  /** Whether a terminal may be had. */
  terminal: boolean;
}

/** What a key's options leave; whatever else they say is none of ours here. */
const leaveOf = (line: string): Leave => {
  const options = line
    .slice(0, line.length - withoutOptions(line).length)
    .trim()
    .toLowerCase();
  const has = (option: string): boolean => new RegExp(`(?:^|,)${option}(?:,|$)`).test(options);
  const may = (what: string): boolean => has(what) || !(has('restrict') || has(`no-${what}`));
  return { lends: may('port-forwarding'), terminal: may('pty') };
};

/** @returns null when the login is refused */
async function allow(
  context: AuthContext,
  accountFor: (name: string) => Promise<Account | null>,
): Promise<Leave | null> {
  if (context.method !== 'password' && context.method !== 'publickey') return null;
  const account = await accountFor(context.username);
  if (!account) return null;
  if (context.method === 'password')
    return account.byPassword && account.hash !== null && (await passwordFits(context.password, account.hash))
      ? { lends: true, terminal: true }
      : null;
  for (const line of account.keys) {
    const key = ssh2.utils.parseKey(withoutOptions(line));
    if (key instanceof Error || !key.getPublicSSH().equals(context.key.data)) continue;
    // The first question is only whether the key would do; the second brings a signature.
    if (!context.signature || !context.blob) return leaveOf(line);
    // Of a signature that cannot be read it says an error, not false.
    const verified: unknown = key.verify(context.blob, context.signature, context.hashAlgo);
    return verified === true ? leaveOf(line) : null;
  }
  return null;
}

function serveSession(
  session: Session,
  system: BoardSystem | null,
  user: string,
  hostName: string,
  slow: () => number,
  leave: () => Leave,
): void {
  let terminal = false;
  session.on('pty', (accept, reject) => {
    terminal = leave().terminal;
    if (terminal) accept();
    else reject();
  });
  session.on('exec', (accept, _reject, { command }) => {
    const channel = accept();
    if (system && /^TERM=\S+; export TERM; exec script -q -c '[^']*' \/dev\/null$/.test(command)) {
      serveShell(system, user, hostName, channel, true);
      return;
    }
    if (system) {
      void runCommand(system, user, command, channel, slow());
      return;
    }
    channel.stderr.write('this practice board cannot run commands\n');
    channel.exit(126);
    channel.end();
  });
  session.on('shell', (accept) => {
    if (system) serveShell(system, user, hostName, accept(), terminal);
    else accept().end('this practice board cannot run commands\r\n');
  });
}

function serve(
  connection: Connection,
  settings: BoardSettings,
  system: BoardSystem | null,
  slow: () => number,
  byPassword: () => boolean,
): void {
  let user = '';
  let leave: Leave = { lends: false, terminal: false };
  // A client asks whether a key would do and then brings its signature: the files are read once for both.
  const known = new Map<string, Promise<Account | null>>();
  const accountFor = (name: string): Promise<Account | null> => {
    const account = known.get(name) ?? accountOf(name, settings, system, byPassword());
    known.set(name, account);
    return account;
  };
  connection.on('authentication', (context) => {
    const refuse = (): void => context.reject(byPassword() ? ['publickey', 'password'] : ['publickey']);
    allow(context, accountFor).then((allowed) => {
      if (!allowed) {
        refuse();
        return;
      }
      leave = allowed;
      user = context.username;
      context.accept();
    }, refuse);
  });
  connection.on('ready', () => {
    if (system) lendPorts(connection, system.root, () => leave.lends);
    connection.on('session', (accept) => {
      serveSession(accept(), system, user, settings.hostName, slow, () => leave);
    });
  });
  // Probes and clients that leave early are no fault of the board.
  connection.on('error', () => undefined);
}

/** A login service that runs. */
export interface LoginService {
  /** Stops it; connections are cut, as when the power goes. */
  stop(): Promise<void>;
  /** Cuts the connections that there are, as a bad line does. */
  cut(): void;
}

/**
 * Starts a board's SSH server.
 * @throws when the address or port cannot be had, or the host key cannot be read
 */
export function startLoginService(
  settings: BoardSettings,
  address: string,
  port: number,
  system: BoardSystem | null = null,
  slow: () => number = () => 0,
  byPassword: () => boolean = () => settings.passwordLogin,
): Promise<LoginService> {
  const connections = new Set<Connection>();
  const server = new ssh2.Server(
    { hostKeys: [settings.hostKey ?? ownKey()], ident: 'practice' },
    (connection) => {
      connections.add(connection);
      // As OpenSSH does (its source, misc.c, set_nodelay); the package's types do not know of it.
      (connection as Connection & { setNoDelay(on: boolean): void }).setNoDelay(true);
      connection.on('close', () => connections.delete(connection));
      serve(connection, settings, system, slow, byPassword);
    },
  );
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, address, () => {
      const cut = (): void => {
        for (const connection of connections) connection.end();
      };
      resolve({
        stop: () =>
          new Promise((stopped) => {
            server.close(() => stopped());
            cut();
          }),
        cut,
      });
    });
  });
}
