import { problemsOf } from './entry';

export const airProblems = problemsOf({
  'air-closed': { status: 409, unharmed: 'Nothing was changed.', says: '{why}' },
  'adapter-missing': {
    status: 404,
    says: 'This computer has no such adapter any more.',
    todo: 'Plug it in again, or choose another one.',
  },
  'profile-missing': {
    status: 404,
    unharmed: 'Nothing was taken.',
    says: 'This computer has no such network saved any more.',
    todo: 'Ask for their names again.',
  },
  'profile-closed': { status: 409, unharmed: 'Nothing was taken.', says: '{why}' },
  'adapter-busy': {
    status: 409,
    unharmed: 'The adapter goes on with what it does.',
    says: 'The adapter is listening, or trying a key, already.',
    todo: 'Wait until that is over.',
  },
  'adapter-in-use': {
    status: 409,
    unharmed: 'Nothing was tried.',
    says: 'This computer is on a network with that adapter, and nobody agreed to leave it.',
    todo: 'Agree to it, or choose another adapter.',
  },
  'adapter-not-for-trials': { status: 409, unharmed: 'Nothing was tried.', says: '{why}' },
});
