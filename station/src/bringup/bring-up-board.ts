import type { Answers, Judged, Question, Step } from '@nest-mark/core/bring-up';
import type { StepState } from '@nest-mark/core/api';
import { ShellError } from '../shell/shell-error';
import type { BoardEnd, BoardWork } from './board-work';
import { IS_OFF, makeChange, seenOff } from './changes';
import { Line } from './line';

/** States after which the steps behind go on as if nothing were. */
const passed: ReadonlySet<StepState> = new Set(['well', 'done', 'skipped']);

/** Times that the line may break in one step. */
const MOST_BREAKS = 5;
/** Milliseconds for which answers that were had together are still true. */
const FRESH_MS = 30_000;

/** What ends a board's bringing up, whatever is left of it. */
const fatal: ReadonlySet<string> = new Set(['other-key', 'no-key', 'no-login', 'away', 'stopped']);

const fatalWords: Partial<Record<string, string>> = {
  'other-key':
    'What answers at its address signs with another key than it did before: another board has the address now, or the board’s key was changed. Nothing was sent to it. Search for the board again; if it has this address, look who was at it.',
  'no-key': 'It has no key of the planned kind any more. Somebody removed it; write its card anew.',
  'no-login':
    'The board proved who it is and lets the bench in by nothing that it has. Was its card written with the bench’s key, and is that still on it? Choose another way to log in.',
};

const KEY_GONE = 'It is off the board, which lets it in no more.';
const LOCKED_OUT =
  'The bench took its key off and was cut off before this step, so it cannot come back. Do it by hand, or choose another way to log in.';

const sentence = (error: ShellError): string => fatalWords[error.fault] ?? error.message;

/** Answers, and when they were had: halfway between question and answer, in milliseconds since 1970. */
interface Had {
  at: number;
  answers: Answers;
}

/** Brings one board up: asks, does what is due, asks again. */
class BoardRun {
  private readonly line: Line;
  private early: Had | null = null;
  private readonly states = new Map<string, StepState>();

  constructor(private readonly work: BoardWork) {
    const key = /^PrivateKey = (\S+)$/m.exec(work.vpnFile ?? '')?.[1];
    this.line = new Line({ ...work, secrets: key === undefined ? [] : [key] });
  }

  async go(): Promise<BoardEnd> {
    let gone = '';
    try {
      const ended = await this.afterCut();
      if (ended) return ended;
      for (const step of this.work.steps) {
        try {
          await this.through(step);
        } catch (error) {
          if (!(error instanceof ShellError)) throw error;
          if (error.fault === 'stopped') return { state: 'stopped', message: '' };
          const text = error.fault === 'no-login' && this.keyGone ? LOCKED_OUT : sentence(error);
          await this.note(step, 'failed', text);
          if (!fatal.has(error.fault)) continue;
          gone = text;
          break;
        }
      }
    } catch (error) {
      if (error instanceof ShellError && error.fault === 'stopped') return { state: 'stopped', message: '' };
      throw error;
    } finally {
      this.line.close();
    }
    if (gone !== '') return { state: 'hand', message: gone };
    const open = this.work.steps.filter(({ id }) => !passed.has(this.states.get(id) ?? 'queued'));
    // What is held waits for another one, which is told before it.
    const first = open.find(({ id }) => this.states.get(id) !== 'held') ?? open[0];
    return first
      ? { state: 'hand', message: `${first.title}: ${this.texts.get(first.id) ?? ''}` }
      : { state: 'ready', message: '' };
  }

  private readonly texts = new Map<string, string>();
  private keyGone = false;

  private stepThat(kind: 'key-off' | 'shut-down'): Step | null {
    const { steps, skipped } = this.work;
    return steps.find(({ id, change }) => change?.kind === kind && !skipped.has(id)) ?? null;
  }

  /**
   * What a program that died in the middle had ordered, where the board cannot be asked any more: one that is off, and
   * one that lets the bench in no more. Null where it can be asked.
   */
  private async afterCut(): Promise<BoardEnd | null> {
    const { work, line } = this;
    const keyOff = this.stepThat('key-off');
    const shutDown = this.stepThat('shut-down');
    if (shutDown && (await work.recall(shutDown.id)) && (await seenOff(work, line, await work.place(), 10))) {
      await this.note(shutDown, 'done', IS_OFF);
      return { state: 'ready', message: '' };
    }
    if (!keyOff || !(await work.recall(keyOff.id))) return null;
    try {
      await line.open();
      return null;
    } catch (error) {
      // Whatever else it is, its first step tells it.
      if (!(error instanceof ShellError) || error.fault !== 'no-login') return null;
    }
    await this.note(keyOff, 'done', KEY_GONE);
    if (!shutDown) return { state: 'ready', message: '' };
    await this.note(shutDown, 'failed', LOCKED_OUT);
    return { state: 'hand', message: `${shutDown.title}: ${LOCKED_OUT}` };
  }

  private async note(step: Step, state: StepState, text: string, judged?: Judged): Promise<void> {
    this.states.set(step.id, state);
    this.texts.set(step.id, text);
    await this.work.note(step.id, { state, text, findings: judged?.findings ?? [] });
  }

  /** Something over as many broken lines as may be: the board is asked anew where it is; what was done is seen then. */
  private async overBreaks<T>(work: () => Promise<T>): Promise<T> {
    for (let breaks = 0; ; breaks++) {
      try {
        return await work();
      } catch (error) {
        if (!(error instanceof ShellError) || error.fault !== 'lost' || breaks >= MOST_BREAKS) throw error;
        this.work.told('the line broke; logging in again\n');
        this.early = null;
      }
    }
  }

  private async through(step: Step): Promise<void> {
    try {
      await this.overBreaks(() => this.step(step));
    } catch (error) {
      const lockedOut = error instanceof ShellError && error.fault === 'no-login';
      if (!lockedOut || step.change?.kind !== 'key-off' || !(await this.work.recall(step.id))) throw error;
      // The line broke between the taking off and its answer.
      this.keyGone = true;
      await this.note(step, 'done', KEY_GONE);
    }
  }

  private async step(step: Step): Promise<void> {
    const reason = this.work.skipped.get(step.id);
    if (reason !== undefined) return this.note(step, 'skipped', reason);
    if (step.last && [...this.states].some(([id, state]) => id !== step.id && !passed.has(state)))
      return this.note(
        step,
        'held',
        'It waits for what is before it: after it nothing can be mended from here.',
      );
    await this.note(step, 'asking', '');
    const judged = await this.waited(step, await this.judge(step, true));
    if (judged.verdict !== 'to-do' || step.change === null) {
      const state =
        judged.verdict === 'well'
          ? 'well'
          : judged.verdict === 'unknown'
            ? 'unknown'
            : judged.verdict === 'wait'
              ? 'failed'
              : 'differs';
      return this.note(step, state, judged.text, judged);
    }
    await this.note(step, 'doing', judged.text, judged);
    this.work.told(`\n${step.title}\n`);
    this.early = null;
    const changed = await makeChange(this.work, this.line, step, step.change);
    this.early = null;
    if (step.change.kind === 'shut-down')
      return this.note(step, changed.failed ? 'failed' : 'done', changed.text);
    if (changed.failed) return this.note(step, 'failed', changed.text, judged);
    // What is done is what the board says, not what the command says. A line that breaks now must not hide what was done.
    const after = await this.overBreaks(() => this.judge(step, false));
    if (after.verdict === 'well')
      return this.note(step, 'done', changed.text === 'Done.' ? after.text : changed.text, after);
    return this.note(
      step,
      after.verdict === 'unknown' ? 'unknown' : 'failed',
      `It was done, and the board says: ${after.text}`,
      after,
    );
  }

  /** Waits while the board is still at something. */
  private async waited(step: Step, first: Judged): Promise<Judged> {
    let judged = first;
    const until = Date.now() + this.work.patience.wait * 1000;
    while (judged.verdict === 'wait' && Date.now() < until) {
      await this.note(step, 'waiting', judged.text);
      await this.line.wait(this.work.patience.look);
      this.early = null;
      judged = await this.judge(step, false);
    }
    return judged;
  }

  private async judge(step: Step, first: boolean): Promise<Judged> {
    const { expected } = this.work;
    const { at, answers } = await this.answers(step, first);
    return step.judge({ answers, expected, now: at / 1000 });
  }

  /** Answers to a step's questions; those of the steps that follow are had with them, as long as nothing changes. */
  private async answers(step: Step, first: boolean): Promise<Had> {
    const { steps, expected, skipped } = this.work;
    const named = (one: Step): Question[] =>
      one.questions(expected).map((question) => ({ ...question, id: `${one.id}.${question.id}` }));
    const of = ({ at, answers }: Had): Had => ({
      at,
      answers: new Map(
        [...answers].flatMap(([id, answer]) =>
          id.startsWith(`${step.id}.`) ? [[id.slice(step.id.length + 1), answer] as const] : [],
        ),
      ),
    });
    const ask = async (some: readonly Step[]): Promise<Had> => {
      const before = Date.now();
      const answers = await this.line.ask(some.flatMap(named));
      return { at: (before + Date.now()) / 2, answers };
    };
    if (!first) return of(await ask([step]));
    if (this.early && Date.now() - this.early.at < FRESH_MS) {
      const had = of(this.early);
      if (had.answers.size > 0) return had;
    }
    const together = steps
      .slice(steps.indexOf(step))
      .filter((one) => one === step || (!one.last && !skipped.has(one.id)));
    this.early = await ask(together);
    return of(this.early);
  }
}

/**
 * Brings a board up, step by step, until it is ready, needs a person, or is stopped. It can be begun again at any time:
 * what is done already is seen by asking the board.
 * @throws what `note`, `recall` and `remember` throw
 */
export const bringUpBoard = (work: BoardWork): Promise<BoardEnd> => new BoardRun(work).go();
