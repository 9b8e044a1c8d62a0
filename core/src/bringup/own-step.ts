import type { OwnStep } from '../plan/own-step';
import { answersText, type Step } from './model';

/** An own step as any other. */
export const stepOf = (own: OwnStep): Step => ({
  id: `own-${own.id}`,
  title: own.title,
  why: own.why,
  source: 'described by a person of this bench',
  questions: () => [{ id: 'done', command: own.question, root: own.root }],
  judge({ answers }) {
    const answer = answers.get('done');
    if (!answer || answer.code === null)
      return { verdict: 'unknown', text: 'The board did not answer the step’s question.', findings: [] };
    if (answer.code === 0) return { verdict: 'well', text: 'Done, as its question says.', findings: [] };
    // A shell's own code for a command that is not there (POSIX.1-2017, section 2.8.2).
    const text =
      answer.code === 127
        ? `Its question names a command that is not on the board: ${answersText(answer)}`
        : `Its question ended with ${String(answer.code)}, so it is to be done.`;
    return {
      verdict: answer.code === 127 ? 'unknown' : 'to-do',
      text,
      findings: [{ severity: 'warns', text, todo: own.does.slice(0, 200) }],
    };
  },
  change: { kind: 'commands', command: own.does, root: own.root, seconds: own.seconds },
  byHand: own.does,
  last: false,
  minutes: own.seconds / 120,
});
