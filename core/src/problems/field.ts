import { problemsOf } from './entry';

export const fieldProblems = problemsOf({
  'field-changed': {
    status: 409,
    says: 'Somebody else changed the trip meanwhile; nothing of yours was kept.',
    todo: 'Look at it as it is now, and make your change again.',
  },
  'field-not-ready': { status: 409, unharmed: 'Nobody was looked for.', says: '{why}' },
  'rehearsal-missing': {
    status: 404,
    says: 'There is no such rehearsal any more.',
    todo: 'Look at the list of them as it is now.',
  },
  'rehearsal-running': {
    status: 409,
    says: 'Boards of this batch are being looked for in the field’s network already.',
    todo: 'Wait until that is over, or end it.',
  },
  'rehearsal-ended': { status: 409, says: 'It has ended already.', todo: 'Look at its verdict.' },
});
