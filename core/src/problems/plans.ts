import { problemsOf } from './entry';

export const planProblems = problemsOf({
  'batch-missing': {
    status: 404,
    says: 'There is no such batch.',
    todo: 'It may have been removed; go back to the list.',
  },
  'device-missing': { status: 404, says: 'There is no such device in the plan.', todo: 'Reload the plan.' },
  'device-twice': {
    status: 422,
    unharmed: 'Nothing was saved.',
    says: 'One device is listed twice.',
    todo: 'Reload the plan.',
  },
  'device-elsewhere': {
    status: 409,
    unharmed: 'Nothing was saved.',
    says: 'A device of this list belongs to another batch.',
    todo: 'Reload the plan.',
  },
  'mark-taken': {
    status: 409,
    says: 'The mark {marks} is or was used by another device.',
    todo: 'Remove the device and add it anew to draw another mark.',
  },
  'plan-changed': {
    status: 412,
    unharmed: 'Nothing was overwritten.',
    says: 'Somebody else saved this plan in the meantime.',
    todo: 'Reload it, then make your change again.',
    handling: 'reload',
  },
  'plan-passphrase': {
    status: 422,
    unharmed: 'Nothing was taken over.',
    says: 'The secrets could not be opened: the passphrase is not the one that they were saved under, or the file is damaged.',
    todo: 'Try again, or leave the passphrase empty to take the plan without them.',
  },
  'plan-file': { status: 422, unharmed: 'Nothing was taken over.', says: '{why}' },
});
