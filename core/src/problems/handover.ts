import { problemsOf } from './entry';

export const handOverProblems = problemsOf({
  'card-copied': {
    status: 409,
    unharmed: 'Nothing was handed over.',
    says: '{copies}.',
    todo: 'Switch the copy off, write its card anew, and search again.',
  },
  'export-gone': {
    status: 404,
    says: 'This export can no longer be fetched.',
    todo: 'Export the card again.',
  },
});
