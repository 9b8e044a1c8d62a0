import { problemsOf } from './entry';

export const roundProblems = problemsOf({
  'round-missing': { status: 404, says: 'There is no such round.', todo: 'Look at the list of rounds.' },
  'plan-stops': { status: 409, unharmed: '{harmless}', says: 'The plan cannot be written yet: {why}' },
  'look-ahead': {
    status: 422,
    unharmed: 'Nothing was erased.',
    says: 'The look at these cards lies in the future.',
    todo: 'Compare the clocks of this computer and of the browser’s, then look again.',
  },
  'look-again': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: 'You looked at these cards more than {minutes} minutes ago.',
    todo: 'Look again.',
  },
  'card-twice': {
    status: 422,
    unharmed: 'Nothing was erased.',
    says: 'A slot or a device is named twice in this round.',
    todo: 'Look again.',
  },
  'device-gone': {
    status: 422,
    unharmed: 'Nothing was erased.',
    says: 'A device of this round is no longer in the plan.',
    todo: 'Look again.',
  },
  'device-busy': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: 'A card of {hostName} is being written already.',
    todo: 'Wait for that to end.',
  },
  'changed-while-arming': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: '{what} was changed while the round was armed.',
    todo: 'Look at it and arm again.',
  },
  'round-elsewhere': {
    status: 409,
    says: 'This round is of another station.',
    todo: 'Write its cards there.',
  },
  'round-running': {
    status: 409,
    says: 'This round is still being written.',
    todo: 'Wait for the end, or stop it.',
  },
  'round-ended': {
    status: 409,
    says: 'This round is not being written.',
    todo: 'Look at how its cards ended.',
  },
  'round-complete': {
    status: 409,
    says: 'Every card of this round was verified or written in a later round.',
    todo: 'There is nothing to resume.',
  },
  'round-card-changed': {
    status: 409,
    unharmed: 'Nothing was erased.',
    says: 'A slot of this round holds another card than it was armed with, or none.',
    todo: 'Put the card back and look again, or write the device anew with another one.',
  },
});
