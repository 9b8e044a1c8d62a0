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
  'watch-running': {
    status: 409,
    says: 'The bench listens for this batch already.',
    todo: 'Stop it first, if you want to listen elsewhere.',
  },
  'watch-ended': { status: 409, says: 'This listening has ended already.', todo: 'Begin it anew.' },
  'place-missing': {
    status: 422,
    unharmed: 'Nothing was contacted.',
    says: 'This computer is not on the network {place} any more.',
    todo: 'Look at the list of networks again.',
  },
  'place-none': {
    status: 422,
    unharmed: 'Nothing was contacted.',
    says: 'No network was chosen on which to listen.',
    todo: 'Choose one that is yours, or on which you may.',
  },
  'case-changed': {
    status: 409,
    says: 'This has changed in the meantime.',
    todo: 'Look at what is asked now.',
  },
  'nobody-heard': {
    status: 409,
    says: 'Nobody listened for this batch yet, so it is not known who is here.',
    todo: 'Listen first, for half a minute at least, and then remember.',
  },
  'naming-unknown': {
    status: 409,
    says: 'A host with that hardware address was not heard for this batch.',
    todo: 'Look at the list of those that were heard again.',
  },
  'naming-proved': {
    status: 409,
    says: '{name} was proved by its key, which tells more than anybody can say.',
    todo: 'Choose another device for that host.',
  },
  'table-unread': { status: 422, unharmed: 'Nothing was contacted.', says: '{why}' },
});
