import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import {
  plainOutput,
  questionScript,
  readAnswers,
  shellWord,
  struckOut,
  unasked,
  type BoardAnswer,
  type Answers,
  type Question,
} from '@nest-mark/core/bring-up';
import type { Done } from '../shell/follow';
import { Shell } from '../shell/shell';
import { ShellError } from '../shell/shell-error';
import type { BoardWork } from './board-work';

/** What a line to a board needs of the world. */
export interface LineWork extends Pick<
  BoardWork,
  'login' | 'place' | 'seek' | 'told' | 'signal' | 'patience'
> {
  /** What must not be shown of whatever the board prints, beside the password. */
  secrets: readonly string[];
}

/** Octets of all answers together, and milliseconds that they may take. */
const ANSWERS = 2 << 20;
const ANSWERS_MS = 180_000;

/** What a shell is given before a command, as sudo would have it. */
const AROUND = `LC_ALL=C
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL PATH
`;

/** A command that ends after some seconds, and reads nothing. */
const bounded = (command: string, seconds: number): string => {
  const word = shellWord(command);
  return `${AROUND}if command -v timeout >/dev/null 2>&1; then timeout ${String(seconds)} sh -c ${word} </dev/null
else sh -c ${word} </dev/null; fi
`;
};

/** The line to one board: logs in again when it broke, always to the board that proves its key. */
export class Line {
  private shell: Shell | null = null;

  /** What must not be shown of whatever the board prints. */
  private readonly secrets: readonly string[];

  constructor(private readonly work: LineWork) {
    this.secrets = [...(work.login.password === null ? [] : [work.login.password]), ...work.secrets];
  }

  close(): void {
    this.shell?.close();
    this.shell = null;
  }

  /**
   * A login to the board, where it was proved last.
   * @param seconds for how long it may be away
   * @throws ShellError when it stays away, lets us in by nothing, or is another
   */
  async open(seconds = this.work.patience.away, allowed = false): Promise<Shell> {
    if (this.shell && !this.shell.gone) return this.shell;
    const { signal, patience } = this.work;
    const until = Date.now() + seconds * 1000;
    for (;;) {
      if (signal.aborted) throw new ShellError('stopped', 'It was stopped.');
      try {
        const place = await this.work.place();
        if (!place) throw new ShellError('away', 'It was not proved at any address.');
        this.shell = await Shell.open(place, this.work.login, signal);
        return this.shell;
      } catch (error) {
        const fault = error instanceof ShellError ? error.fault : null;
        // While a system starts it may let nobody in yet (pam_nologin(8)).
        const passing = fault === 'away' || fault === 'lost' || (allowed && fault === 'no-login');
        const moved = (fault === 'other-key' || fault === 'no-key') && (allowed || (await this.hasMoved()));
        if (!(passing || moved) || Date.now() >= until) throw error;
        if (fault === 'away') await this.work.seek();
        await this.wait(patience.look);
      }
    }
  }

  /** Whether the board is somewhere else than where another one answered. */
  private async hasMoved(): Promise<boolean> {
    const before = await this.work.place();
    await this.work.seek();
    const now = await this.work.place();
    return now !== null && (now.address !== before?.address || now.port !== before.port);
  }

  /** Asks many questions at once. @throws ShellError */
  async ask(questions: readonly Question[]): Promise<Answers> {
    return this.within(async (shell) => {
      const answers = new Map<string, BoardAnswer>();
      for (const root of [false, true]) {
        const some = questions.filter((question) => question.root === root);
        if (some.length === 0) continue;
        for (const [id, answer] of await this.askAs(shell, some, root))
          answers.set(id, { ...answer, text: this.clean(answer.text) });
      }
      return answers;
    });
  }

  /** Runs a command that changes something; what it prints is told. @throws ShellError */
  async change(command: string, root: boolean, seconds: number): Promise<Done> {
    const script = bounded(command, seconds);
    const options = {
      limit: 1 << 20,
      milliseconds: (seconds + 20) * 1000,
      onText: (text: string) => this.work.told(this.clean(text)),
    };
    return this.within((shell) =>
      root ? shell.runAsRoot(script, options) : shell.run('sh -s', { ...options, input: script }),
    );
  }

  /**
   * Runs something short as root that holds a secret: it goes by the shell's input alone, so that no list of the board's
   * processes shows it. @throws ShellError
   */
  async put(script: string): Promise<Done> {
    return this.within((shell) => shell.runAsRoot(`${AROUND}${script}\n`));
  }

  /** Runs something short and gives what it printed. @throws ShellError */
  async read(command: string, root = false): Promise<Done> {
    const script = bounded(command, 30);
    return this.within((shell) => (root ? shell.runAsRoot(script) : shell.run('sh -s', { input: script })));
  }

  /** Lends a port of this computer's loopback to the board, while this login lasts. @returns the board's port */
  async lend(port: number): Promise<number> {
    return this.within((shell) => shell.lend(port));
  }

  /** Text as it may be shown and kept. */
  clean(text: string): string {
    return plainOutput(struckOut(text, this.secrets));
  }

  /** @throws ShellError when it is stopped meanwhile */
  async wait(seconds: number): Promise<void> {
    await pause(seconds * 1000, undefined, { signal: this.work.signal }).catch(() => {
      throw new ShellError('stopped', 'It was stopped.');
    });
  }

  /** Does something over the login that there is; one that broke off is not used again. */
  private async within<T>(use: (shell: Shell) => Promise<T>): Promise<T> {
    const shell = await this.open();
    try {
      return await use(shell);
    } catch (error) {
      // It may not know of its own end yet, and whoever asks again at once would be told the same.
      if (error instanceof ShellError && error.fault === 'lost' && this.shell === shell) this.close();
      throw error;
    }
  }

  private async askAs(shell: Shell, questions: readonly Question[], root: boolean): Promise<Answers> {
    const mark = randomBytes(12).toString('hex');
    const input = questionScript(questions, mark);
    const options = { limit: ANSWERS, milliseconds: ANSWERS_MS };
    if (!root) return readAnswers((await shell.run('sh -s', { ...options, input })).text, mark, questions);
    const done = await shell.tryAsRoot(input, (text) => text.includes(mark), options);
    return done ? readAnswers(done.text, mark, questions) : unasked(questions);
  }
}
