import { randomBytes } from 'node:crypto';
import type { FoundOpen, Inside, ReachedPort } from '@nest-mark/core';
import {
  askedPorts,
  insideQuestions,
  questionScript,
  readAnswers,
  readInside,
  type Expected,
} from '@nest-mark/core/bring-up';
import pLimit from 'p-limit';
import { Shell, type Login, type ShellPlace } from '../shell/shell';
import { ShellError } from '../shell/shell-error';
import { loginWays } from './login-ways';
import { speaksAt } from './speak';

/** Ports that are asked at once on one board. */
const AT_ONCE = 16;

/** What is wanted of one look. */
export interface LookWanted {
  place: ShellPlace;
  expected: Expected;
  /** By what the bench may look inside; null where it has nothing. */
  login: Login | null;
  signal: AbortSignal;
}

/** What the board says of itself. */
async function inside({ place, expected, login, signal }: LookWanted): Promise<Inside | string> {
  if (login === null) return 'A look inside was not wanted.';
  let shell: Shell;
  try {
    shell = await Shell.open(place, login, signal);
  } catch (error) {
    if (signal.aborted || !(error instanceof ShellError)) throw error;
    return error.message;
  }
  try {
    const questions = insideQuestions(expected);
    const mark = randomBytes(12).toString('hex');
    const script = questionScript(questions, mark);
    // Without root it tells less, and what it does not tell is no finding.
    const done =
      (await shell.root()) === 'none'
        ? await shell.run('sh -s', { input: script })
        : await shell.runAsRoot(script);
    return (
      readInside(readAnswers(done.text, mark, questions), expected) ?? 'It did not answer what it was asked.'
    );
  } catch (error) {
    if (signal.aborted || !(error instanceof ShellError)) throw error;
    return error.message;
  } finally {
    shell.close();
  }
}

/**
 * Looks at one board: its host key first, and nothing else is asked before it has signed; then what its login service
 * offers, what answers on its ports, and what it says of itself.
 * @throws ShellError when another host is there by now, or nobody
 */
export async function lookAtBoard(wanted: LookWanted): Promise<FoundOpen> {
  const { place, expected, signal } = wanted;
  const ways = await loginWays(place, expected.userName);
  const limit = pLimit(AT_ONCE);
  const ports = await Promise.all(
    askedPorts
      .filter(([port]) => port !== place.port)
      .map(([port]) =>
        limit(async (): Promise<ReachedPort | null> =>
          signal.aborted ? null : speaksAt(place.address, port),
        ),
      ),
  );
  const found = await inside(wanted);
  return {
    address: place.address,
    port: place.port,
    loginWays: ways,
    ports: ports.filter((port): port is ReachedPort => port !== null),
    inside: typeof found === 'string' ? null : found,
    outsideOnly: typeof found === 'string' ? found : '',
  };
}
