import { problemsOf } from './entry';

/** What the browser meets when there is no answer, or none that it understands. */
export const browserProblems = problemsOf({
  unreachable: {
    status: 0,
    says: 'The server does not answer.',
    unharmed: 'What you typed is kept on this page and saved once it does.',
    todo: 'If Nest Mark still runs, cards that are being written go on; if it was stopped, they are unfinished, and it will say so.',
    handling: 'wait',
  },
  unsaved: {
    status: 0,
    says: 'This plan could not be saved, so it stays open.',
    todo: 'See what stands above the tray, then change the batch.',
  },
  unknown: {
    status: 0,
    says: 'The server answered with status {status} and no explanation.',
    todo: 'Reload the page and try again.',
  },
  answer: {
    status: 0,
    says: 'The server’s answer was not understood; it may be of another version.',
    todo: 'Reload the page.',
  },
});
