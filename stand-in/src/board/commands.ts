import type { ServerChannel } from 'ssh2';
import type { BoardSystem } from '../system/board-system';
import type { InsideChild } from './sandbox';
import { passwordFits } from './password-fits';

/**
 * Commands of somebody who is logged in, really run in the board's scratch root. sudo(8) itself cannot work there, since
 * a user of a namespace gains no rights; what it asks and answers is here, by the root's own rules.
 */

/** `sudo` with the options that are known here, and what is to be run. */
interface Sudo {
  /** Whether it asks for no password. */
  quiet: boolean;
  prompt: string;
  command: string;
}

const readSudo = (command: string): Sudo | null => {
  const [, options = '', rest = ''] =
    /^(?:env LC_ALL=C )?sudo((?: -[nkS]| -p '[^']*')*)(?: --)? (.+)$/s.exec(command) ?? [];
  if (rest === '') return null;
  return {
    quiet: / -n\b/.test(options),
    prompt: / -p '([^']*)'/.exec(options)?.[1] ?? '[sudo] password: ',
    command: rest,
  };
};

/** By which rule of sudoers(5) a user becomes root. */
async function rightsOf(system: BoardSystem, user: string): Promise<'free' | 'ask' | 'none'> {
  if (user === 'root') return 'free';
  const [rule = ''] = await system.read(`/etc/sudoers.d/nest-${user}`);
  return rule === '' ? 'none' : rule.includes('NOPASSWD') ? 'free' : 'ask';
}

async function hashOf(system: BoardSystem, user: string): Promise<string> {
  const [shadow = ''] = await system.read('/etc/shadow');
  return (
    shadow
      .split('\n')
      .find((line) => line.startsWith(`${user}:`))
      ?.split(':')[1] ?? ''
  );
}

/** Reads one line of what is sent, and leaves the rest. */
function nextLine(channel: ServerChannel): Promise<string | null> {
  return new Promise((resolve) => {
    let typed = '';
    const take = (data: Buffer): void => {
      typed += data.toString('utf8');
      const at = typed.indexOf('\n');
      if (at < 0) return;
      channel.off('data', take);
      channel.off('end', end);
      channel.pause();
      const rest = typed.slice(at + 1);
      if (rest !== '') channel.unshift(Buffer.from(rest));
      resolve(typed.slice(0, at));
    };
    const end = (): void => resolve(null);
    channel.on('data', take);
    channel.once('end', end);
    channel.resume();
  });
}

/** Whether sudo lets a user through, with the words that it says. */
async function becomesRoot(
  system: BoardSystem,
  user: string,
  sudo: Sudo,
  channel: ServerChannel,
): Promise<boolean> {
  const rights = await rightsOf(system, user);
  if (rights === 'free') return true;
  if (sudo.quiet) {
    channel.stderr.write('sudo: a password is required\n');
    return false;
  }
  const hash = await hashOf(system, user);
  for (let tries = 1; tries <= 3; tries++) {
    channel.stderr.write(sudo.prompt);
    const typed = await nextLine(channel);
    if (typed === null) break;
    if (await passwordFits(typed, hash)) {
      if (rights === 'ask') return true;
      channel.stderr.write(`${user} is not in the sudoers file.\n`);
      return false;
    }
    if (tries < 3) channel.stderr.write('Sorry, try again.\n');
  }
  channel.stderr.write('sudo: 3 incorrect password attempts\n');
  return false;
}

/** Milliseconds for which a resolver waits for a name server that says nothing, cut short (resolv.conf(5), "timeout": 5 s). */
const NAME_SERVER_MS = 1500;

/** sudo looks its own host up; where the name server hangs it waits, says so, and goes on. */
async function looksItselfUp(system: BoardSystem, channel: ServerChannel): Promise<void> {
  const [hangs = '', name = ''] = await system.read('/board/no-names', '/etc/hostname');
  if (hangs === '') return;
  await new Promise((resolve) => setTimeout(resolve, NAME_SERVER_MS));
  channel.stderr.write(`sudo: unable to resolve host ${name.trim()}: Temporary failure in name resolution\n`);
}

/** Asked anew each time: it changes while something is waited for. */
const hasLeft = ({ left }: { left: boolean }): boolean => left;

/**
 * Runs what somebody asked for, until it ends or the channel is closed.
 * @param slow milliseconds by which each answer is late, as over a bad line
 */
export async function runCommand(
  system: BoardSystem,
  user: string,
  command: string,
  channel: ServerChannel,
  slow = 0,
): Promise<void> {
  const leave = (code: number): void => {
    channel.exit(code);
    channel.end();
  };
  const at: { left: boolean; child: InsideChild | null } = { left: false, child: null };
  channel.on('close', () => {
    at.left = true;
    at.child?.kill();
  });
  channel.on('error', () => undefined);
  try {
    const sudo = readSudo(command);
    if (sudo && !(await becomesRoot(system, user, sudo, channel))) {
      leave(1);
      return;
    }
    if (sudo) await looksItselfUp(system, channel);
    if (slow > 0) await new Promise((resolve) => setTimeout(resolve, slow));
    const child = await system.start(sudo ? 'root' : user, sudo?.command ?? command, {
      onOutput: (data) => {
        if (!at.left) channel.write(data);
      },
      onError: (data) => {
        if (!at.left) channel.stderr.write(data);
      },
    });
    at.child = child;
    // Whoever left while it was being started.
    if (hasLeft(at)) child.kill();
    channel.pipe(child.input);
    const code = await child.ended;
    if (!hasLeft(at)) leave(code ?? 137);
  } catch (error) {
    if (hasLeft(at)) return;
    channel.stderr.write(`this practice board cannot run commands: ${(error as Error).message}\n`);
    leave(126);
  }
}

/**
 * A login without a command: lines are run one by one, since a scratch root has no terminals.
 * @param terminal whether what is typed is shown, and can be taken back
 */
export function serveShell(
  system: BoardSystem,
  user: string,
  hostName: string,
  channel: ServerChannel,
  terminal: boolean,
): void {
  let typed = '';
  let child: InsideChild | null = null;
  let busy = false;
  const prompt = (): boolean => channel.write(`${user}@${hostName}:~$ `);
  const leave = (): void => {
    channel.exit(0);
    channel.end();
  };
  const next = async (): Promise<void> => {
    const [whole, line = ''] = /^(.*?)[\r\n]+/.exec(typed) ?? [];
    if (busy || whole === undefined) return;
    typed = typed.slice(whole.length);
    if (line.trim() === 'exit') {
      leave();
      return;
    }
    if (!terminal) channel.write(`${line}\r\n`);
    if (line.trim() !== '') {
      busy = true;
      const sudo = readSudo(line.trim());
      const root = sudo && (await rightsOf(system, user)) === 'free';
      const write = (data: Buffer): boolean => channel.write(data.toString('utf8').replaceAll('\n', '\r\n'));
      child = await system.start(root ? 'root' : user, root ? sudo.command : line, {
        onOutput: write,
        onError: write,
      });
      child.input.end();
      await child.ended;
      child = null;
      busy = false;
    }
    prompt();
    await next();
  };
  /** Shows keys as a terminal's line discipline does (termios(3), ECHO and ISIG). */
  const key = (letter: string): void => {
    if (letter === '\x03') {
      channel.write('^C\r\n');
      typed = '';
      if (child) child.kill();
      else prompt();
    } else if (letter === '\x04' && typed === '') leave();
    else if (letter === '\x7f') {
      if (typed !== '' && !/[\r\n]$/.test(typed)) {
        typed = typed.slice(0, -1);
        channel.write('\b \b');
      }
    } else if (letter === '\r' || letter === '\n') {
      typed += '\n';
      channel.write('\r\n');
    } else if (letter >= ' ') {
      typed += letter;
      channel.write(letter);
    }
  };
  channel.on('data', (data: Buffer) => {
    const text = data.toString('utf8');
    if (terminal) [...text].forEach(key);
    else typed += text;
    next().catch(leave);
  });
  channel.on('close', () => child?.kill());
  channel.on('error', () => undefined);
  prompt();
}
