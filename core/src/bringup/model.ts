import type { Expected } from './expected';

/**
 * A step of bringing a board up, as data: what is asked of the board, what follows from the answer, and what is done.
 * Every step can be done again and can be cut anywhere; where a board is, is learnt by asking it and never remembered.
 */

/** One question, as a command for a POSIX shell; it changes nothing. */
export interface Question {
  id: string;
  command: string;
  /** Whether only root gets the answer. */
  root: boolean;
}

/** What a board answered. */
export interface BoardAnswer {
  /** Exit code; null when it was not asked or did not answer. */
  code: number | null;
  /** What it printed, both streams, without secrets. */
  text: string;
}

/** Answers by the question's id. */
export type Answers = ReadonlyMap<string, BoardAnswer>;

/** What a check of a running board says. */
export interface BoardFinding {
  severity: 'stops' | 'warns' | 'note';
  /** What is so, in one sentence. */
  text: string;
  /** What to do about it. */
  todo: string;
}

/**
 * `well`: nothing is to be done. `to-do`: what the step does is due. `wait`: the board is still at it. `differs`: it is
 * otherwise than it should be, and a person decides. `unknown`: it could not be told.
 */
export type Verdict = 'well' | 'to-do' | 'wait' | 'differs' | 'unknown';

export interface Judged {
  verdict: Verdict;
  /** In one sentence. */
  text: string;
  findings: readonly BoardFinding[];
}

/** What a judge is told beside the answers. */
export interface Asked {
  answers: Answers;
  expected: Expected;
  /** Seconds since 1970 by this computer's clock, halfway between question and answer. */
  now: number;
}

/** How a step changes a board. */
export type Change =
  /** Commands that end soon. */
  | { kind: 'commands'; command: string; root: boolean; seconds: number }
  /** Work that goes on without us, in a service of the board's own; see `job.ts`. */
  | { kind: 'job'; script: string; seconds: number; /** Whether it fetches packages. */ fetches: boolean }
  /** The planned boot lines are merged into what the board has. */
  | { kind: 'boot-lines' }
  /** The board's file of the tunnel is put there, then what the script says is done as a job. */
  | { kind: 'vpn'; script: string; seconds: number }
  | { kind: 'reboot' }
  | { kind: 'key-off' }
  | { kind: 'shut-down' };

export interface Step {
  id: string;
  title: string;
  why: string;
  /** Where its questions come from. */
  source: string;
  questions(expected: Expected): readonly Question[];
  judge(asked: Asked): Judged;
  change: Change | null;
  /** The exact commands for a person at the board, where the step can be done by hand. */
  byHand: string;
  /** Whether it waits until everything before it is in order, since nothing can be mended from here after it. */
  last: boolean;
  /** Minutes that it takes as a rule, where it has something to do. */
  minutes: number;
}

export const well = (text: string, findings: readonly BoardFinding[] = []): Judged => ({
  verdict: 'well',
  text,
  findings,
});

export const unknown = (text: string): Judged => ({ verdict: 'unknown', text, findings: [] });

/** What findings come to: differences where one of them is more than a note. */
export function judgedBy(findings: readonly BoardFinding[], wellText: string): Judged {
  const grave = findings.filter(({ severity }) => severity !== 'note');
  if (grave.length === 0) return well(wellText, findings);
  return {
    verdict: 'differs',
    text: grave.length === 1 ? (grave[0]?.text ?? '') : `${String(grave.length)} things are otherwise.`,
    findings,
  };
}

/** The text of an answer whose command ended well; null otherwise. */
export function said(answers: Answers, id: string): string | null {
  const answer = answers.get(id);
  return answer?.code === 0 ? answer.text.trim() : null;
}

/** The last line of an answer, short enough for a sentence. */
export const answersText = ({ text }: BoardAnswer): string =>
  text.trim().split('\n').at(-1)?.slice(0, 160) ?? '';
