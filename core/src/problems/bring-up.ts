import { problemsOf } from './entry';

export const bringUpProblems = problemsOf({
  'way-missing': { status: 422, unharmed: 'No board was asked.', says: '{why}' },
  'no-steps': {
    status: 422,
    unharmed: 'No board was asked.',
    says: 'All steps are left out.',
    todo: 'Choose what is to be done.',
  },
  'packages-away': {
    status: 409,
    unharmed: 'No board was asked.',
    says: 'The boards are to get their packages through this computer, and nothing answers on its port {port}.',
    todo: 'Start the package cache, give its port under Steps, or let each board fetch by its own line.',
  },
  'not-proved': {
    status: 409,
    unharmed: 'No board was asked.',
    says: 'None of these boards can be brought up now: only those that are proved, were not handed over, and at which nobody is.',
    todo: 'Search for them first, or wait until the work on them has ended.',
  },
  'key-off': {
    status: 409,
    unharmed: 'No board was asked.',
    says: 'The bench’s key is off this board, so it lets the bench in no more.',
    todo: 'Log in by this computer’s agent or by the password, or write its card anew.',
  },
  'bring-up-running': {
    status: 409,
    says: 'One of these boards is being brought up already.',
    todo: 'Wait for it, or stop it.',
  },
  'bring-up-ended': { status: 409, says: 'Nothing is under way.', todo: 'Look at what came of it.' },
  'terminals-off': {
    status: 403,
    unharmed: 'No board was asked.',
    says: 'Terminals are off on this station.',
    todo: 'Whoever runs it can start it with --terminals.',
  },
  'terminal-open': {
    status: 409,
    says: '{why}',
    todo: 'Close one first.',
  },
  'board-refuses': {
    status: 409,
    says: '{why}',
    todo: 'Look at the board, search for it again, or choose another way to log in.',
  },
  'step-missing': {
    status: 409,
    says: 'There is no such step in this batch any more.',
    todo: 'Look at the list of steps again.',
  },
});
