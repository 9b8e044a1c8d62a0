import { problemsOf } from './entry';

export const signalProblems = problemsOf({
  'nothing-to-hear': { status: 409, unharmed: 'Nothing was noted.', says: '{why}' },
  'board-tells-nothing': { status: 409, unharmed: 'Nothing was noted.', says: '{why}' },
  'board-not-proved': {
    status: 409,
    unharmed: 'No board was asked.',
    says: 'That board is not proved now.',
    todo: 'Search for it first, or listen with an adapter of this computer.',
  },
  'walked-place-missing': {
    status: 404,
    says: 'Nothing was read at a place of that name.',
    todo: 'Reload the page.',
  },
});
