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
  'label-size': {
    status: 422,
    unharmed: 'Nothing was printed.',
    says: '{faults}',
    todo: 'Measure the sheet or the roll again and change its numbers.',
  },
  'letters-missing': {
    status: 422,
    unharmed: 'No file was made.',
    says: 'The shipped type has no letters for “{letters}” of {whom}.',
    todo: 'Print from the page instead: there the browser has the letters. Or write these names in Latin, Greek or Cyrillic letters.',
  },
  'label-size-missing': {
    status: 404,
    says: 'This size of labels is no longer there.',
    todo: 'Load the page again.',
  },
  'known-hosts-file': {
    status: 422,
    unharmed: 'No file was changed.',
    says: '{why}',
    todo: 'Name the file of known hosts that your client reads, such as ~/.ssh/known_hosts.',
  },
  'known-hosts-changed': {
    status: 409,
    unharmed: 'The file was left as it is.',
    says: 'It has changed since you looked at it.',
    todo: 'Look again, then merge.',
  },
  'vpn-not-ready': {
    status: 409,
    unharmed: 'No file was made.',
    says: '{why}',
    todo: 'Complete the VPN in the plan.',
  },
  'no-credentials': {
    status: 409,
    unharmed: 'No file was made.',
    says: 'Nobody logs in to these devices by a password, or the bench has forgotten it.',
    todo: 'They are reached by the keys of the plan.',
  },
  'recipient-unknown': {
    status: 422,
    unharmed: 'No file was made.',
    says: '{what}',
    todo: 'Paste public keys, one a line: of age (age1…), or of SSH (ssh-ed25519 or ssh-rsa); or use a passphrase of 12 characters or more instead.',
  },
  'not-handed-over': {
    status: 409,
    unharmed: 'Nothing was noted.',
    says: '{names} cannot be taken over yet: {why}.',
    todo: 'Bring them up, or leave that out for this batch; then note them as handed over.',
  },
  'device-at-work': {
    status: 409,
    unharmed: 'Nothing was forgotten.',
    says: '{names} are being worked on.',
    todo: 'Wait until the round or the bringing up has ended, or stop it.',
  },
  'not-a-proved-board': {
    status: 409,
    unharmed: 'Nobody was asked anything.',
    says: '{name} is not proved: whoever is at its address could be somebody else.',
    todo: 'Search or listen under Boot & find first. Only proved boards of a batch are looked at.',
  },
  'exposure-running': {
    status: 409,
    unharmed: 'Nothing more was begun.',
    says: 'The boards of this batch are being looked at already.',
    todo: 'Wait until that has ended, or stop it.',
  },
  'exposure-ended': {
    status: 409,
    says: 'Nobody is looking at the boards of this batch any more.',
    todo: 'Look at what came of it.',
  },
  'not-retired': {
    status: 409,
    unharmed: 'Nothing was destroyed.',
    says: 'This device is not retired, or is none of this batch.',
    todo: 'Take it out of the plan first.',
  },
});
