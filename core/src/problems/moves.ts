import { problemsOf } from './entry';

export const moveProblems = problemsOf({
  'move-missing': {
    status: 404,
    says: 'There is no such move any more.',
    todo: 'Look whether it was put away.',
  },
  'move-exists': {
    status: 409,
    says: 'The batch is at a move already.',
    todo: 'Go on with it, or put it away first.',
  },
  'move-changed': {
    status: 409,
    says: 'Somebody else changed the move meanwhile; nothing of yours was kept.',
    todo: 'Look at it as it is now, and make your change again.',
  },
  'move-not-ready': { status: 409, unharmed: 'No board was asked.', says: '{why}' },
  'move-running': {
    status: 409,
    says: 'Boards of this batch are being moved.',
    todo: 'Wait until that is over, or stop it.',
  },
  'move-ended': { status: 409, says: 'Nothing is under way.', todo: 'Look at what came of it.' },
});
