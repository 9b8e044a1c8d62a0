import { execFile } from 'node:child_process';
import { generateKeyPairSync, timingSafeEqual } from 'node:crypto';
import ssh2, { type AuthContext, type Connection, type Session } from 'ssh2';
import type { BoardSettings } from './settings';

/** Whether a password fits a SHA-512-crypt string; openssl computes it. */
function passwordFits(password: string, hash: string): Promise<boolean> {
  const salt = /^\$6\$((?:rounds=\d+\$)?[^$]*)\$/.exec(hash)?.[1];
  if (salt === undefined) return Promise.resolve(false);
  return new Promise((resolve) => {
    const child = execFile('openssl', ['passwd', '-6', '-salt', salt, '-stdin'], (error, stdout) => {
      const got = Buffer.from(stdout.trim());
      const wanted = Buffer.from(hash);
      resolve(!error && got.length === wanted.length && timingSafeEqual(got, wanted));
    });
    child.stdin?.end(password);
  });
}

async function allow(context: AuthContext, settings: BoardSettings): Promise<boolean> {
  const user = settings.users.find((candidate) => candidate.name === context.username);
  if (!user) return false;
  if (context.method === 'password')
    return settings.passwordLogin && user.hash !== null && passwordFits(context.password, user.hash);
  if (context.method !== 'publickey') return false;
  for (const line of user.keys) {
    const key = ssh2.utils.parseKey(line);
    if (key instanceof Error || !key.getPublicSSH().equals(context.key.data)) continue;
    // The first question is only whether the key would do; the second brings a signature.
    return (
      !context.signature || !context.blob || key.verify(context.blob, context.signature, context.hashAlgo)
    );
  }
  return false;
}

/** The few commands that a stand-in board knows. */
function runCommand(
  command: string,
  settings: BoardSettings,
  user: string,
): { output: string; code: number } {
  const [name, argument] = command.trim().split(/\s+/);
  const file = settings.files.find((candidate) => candidate.path === argument);
  if (name === 'hostname') return { output: `${settings.hostName}\n`, code: 0 };
  if (name === 'whoami') return { output: `${user}\n`, code: 0 };
  if (name === 'true') return { output: '', code: 0 };
  if (name === 'cat' && file) return { output: file.content, code: 0 };
  return { output: `${name ?? ''}: this practice board knows hostname, whoami, true and cat\n`, code: 127 };
}

function serveSession(session: Session, settings: BoardSettings, user: string): void {
  session.on('pty', (accept) => accept());
  session.on('exec', (accept, _reject, { command }) => {
    const stream = accept();
    const { output, code } = runCommand(command, settings, user);
    stream.write(output);
    stream.exit(code);
    stream.end();
  });
  session.on('shell', (accept) => {
    const stream = accept();
    const prompt = (): boolean => stream.write(`${user}@${settings.hostName}:~$ `);
    let typed = '';
    prompt();
    stream.on('data', (data: Buffer) => {
      typed += data.toString();
      const line = /^(.*?)[\r\n]/.exec(typed)?.[1];
      if (line === undefined) return;
      typed = '';
      if (line.trim() === 'exit') {
        stream.exit(0);
        stream.end();
        return;
      }
      stream.write(
        `${line}\r\n${line.trim() ? runCommand(line, settings, user).output.replaceAll('\n', '\r\n') : ''}`,
      );
      prompt();
    });
  });
}

function serve(connection: Connection, settings: BoardSettings): void {
  let user = '';
  connection.on('authentication', (context) => {
    void allow(context, settings).then((allowed) => {
      if (allowed) {
        user = context.username;
        context.accept();
      } else context.reject(settings.passwordLogin ? ['publickey', 'password'] : ['publickey']);
    });
  });
  connection.on('ready', () => {
    connection.on('session', (accept) => {
      serveSession(accept(), settings, user);
    });
  });
  // Probes and clients that leave early are no fault of the board.
  connection.on('error', () => undefined);
}

/** A board that got no host key makes one of its own, as real ones do. */
const ownKey = (): string =>
  generateKeyPairSync('rsa', { modulusLength: 2048 })
    .privateKey.export({ type: 'pkcs1', format: 'pem' })
    .toString();

/**
 * Starts a board's SSH server.
 * @returns how to stop it; connections are cut, as when the power goes
 * @throws when the address or port cannot be had, or the host key cannot be read
 */
export function startLoginService(
  settings: BoardSettings,
  address: string,
  port: number,
): Promise<() => Promise<void>> {
  const connections = new Set<Connection>();
  const server = new ssh2.Server(
    { hostKeys: [settings.hostKey ?? ownKey()], ident: 'practice' },
    (connection) => {
      connections.add(connection);
      connection.on('close', () => connections.delete(connection));
      serve(connection, settings);
    },
  );
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, address, () => {
      resolve(
        () =>
          new Promise((stopped) => {
            server.close(() => stopped());
            for (const connection of connections) connection.end();
          }),
      );
    });
  });
}
