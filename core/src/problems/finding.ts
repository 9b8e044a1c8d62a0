import { problemsOf } from './entry';

/** A subnet on which nothing is looked for. */
const subnet = { status: 422, unharmed: 'Nothing was contacted.', says: '{why}' } as const;

export const findingProblems = problemsOf({
  'subnet-empty': subnet,
  'subnet-form': subnet,
  'subnet-wide': subnet,
  'subnet-public': subnet,
  'search-running': { status: 409, says: 'A search is under way already.', todo: 'Wait for it, or stop it.' },
  'search-ended': { status: 409, says: 'This search has ended already.', todo: 'Start another one.' },
});
