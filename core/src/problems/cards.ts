import { problemsOf } from './entry';

/** A medium that a guard, or the reader, speaks against. */
const refused = { status: 409, unharmed: 'Nothing was erased.', says: '{title}: {why}' } as const;

/** What the reader says while a card is open: nothing is said of what was written before. */
const broken = { status: 409, says: '{title}: {why}' } as const;

export const cardProblems = problemsOf({
  'card-unknown': {
    status: 404,
    says: 'There is no record of such a card.',
    todo: 'Look at the card records.',
  },
  'card-missing': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: 'There is no card in {title}.',
    todo: 'Put it back, or leave it out.',
  },
  'card-changed': refused,
  'card-unreadable': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: 'The card in {title} cannot be read, so it cannot be told from another one.',
    todo: 'Take it out and put it in again; if that does not help, this account may lack the right to read it.',
  },
  'card-content': refused,
  'card-system': refused,
  'card-mounted': refused,
  'card-fixed': refused,
  'card-protected': refused,
  'card-large': refused,
  'card-small': refused,
  'card-holds': { ...refused, todo: 'If nothing on it is wanted, type "{sentence}".' },
  'card-pulled': broken,
  'card-busy': refused,
  'card-rights': refused,
  'card-io': broken,
  'card-stalled': broken,
  'card-mismatch': broken,
  'card-image': broken,
  'card-retired': refused,
  'card-not-ready': { status: 409, unharmed: '{harmless}', says: '{why}' },
  'slot-busy': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: '{title}: {held}',
    todo: 'Wait for that to end.',
  },
  'not-confirmed': {
    status: 422,
    unharmed: 'Nothing was erased.',
    says: 'This has to be confirmed.',
    todo: 'Type "{phrase}".',
  },
  'not-mendable': {
    status: 409,
    unharmed: 'Nothing was changed.',
    says: 'This is not on the card any more, or has to be mended by hand.',
    todo: 'Check the card again.',
  },
  'settings-not-again': { status: 409, unharmed: 'Nothing was changed.', says: '{why}' },
  'check-ended': {
    status: 409,
    says: 'The capacity of this card is not being checked.',
    todo: 'Look at its record.',
  },
  'image-not-chosen': {
    status: 409,
    says: 'This device has no image yet, which says what files it reads.',
    todo: 'Choose one in the plan first.',
  },
  'files-not-ready': { status: 409, says: 'The files cannot be made yet: {why}' },
});
