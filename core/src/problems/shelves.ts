import { problemsOf } from './entry';

export const networkProblems = problemsOf({
  'network-missing': {
    status: 404,
    says: 'There is no such network.',
    todo: 'It may have been removed; look at the shelf.',
  },
  'key-not-there': {
    status: 409,
    unharmed: 'Nothing was tried or shown.',
    says: 'The network has no name, or no key that could be right.',
    todo: 'Type both, and ask again.',
  },
  'network-changed': {
    status: 412,
    unharmed: 'Nothing was overwritten.',
    says: 'Somebody else saved this network in the meantime.',
    todo: 'It is shown as it is now; make your change again.',
    handling: 'reload',
  },
  'network-needed': {
    status: 409,
    unharmed: 'The network stays.',
    says: 'It is planned in {plans}.',
    todo: 'Take it out of the plan there first.',
  },
});

export const methodProblems = problemsOf({
  'method-missing': {
    status: 404,
    says: 'There is no such first-boot method.',
    todo: 'It may have been removed; look at the shelf.',
  },
  'method-senseless': { status: 422, unharmed: 'Nothing was saved.', says: '{why}' },
  'method-changed': {
    status: 412,
    unharmed: 'Nothing was overwritten.',
    says: 'Somebody else saved or removed this first-boot method in the meantime.',
    todo: 'It is shown as it is now; make your change again.',
    handling: 'reload',
  },
  'method-needed': {
    status: 409,
    unharmed: 'The method stays.',
    says: 'It is how {images} takes its settings.',
    todo: 'Choose another method for that image first.',
  },
});

export const boardProblems = problemsOf({
  'board-missing': {
    status: 404,
    says: 'There is no such board profile.',
    todo: 'It may have been removed; look at the shelf.',
  },
  'board-id': {
    status: 422,
    says: 'The profile has another id than its address.',
    todo: 'Send it to its own address.',
  },
  'board-changed': {
    status: 412,
    unharmed: 'Nothing was overwritten.',
    says: 'Somebody else saved this profile in the meantime.',
    todo: 'It is shown as it is now; make your change again.',
    handling: 'reload',
  },
  'board-shipped': {
    status: 409,
    says: 'This profile ships with the program and is unchanged.',
    todo: 'It cannot be removed.',
  },
  'board-needed': {
    status: 409,
    unharmed: 'The profile stays.',
    says: 'It is planned in {plans}.',
    todo: 'Choose another one there first.',
  },
});
