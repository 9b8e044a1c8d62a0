import type { SystemFault } from '@nest-mark/core';

/** What a practice board’s system can be told to do once it has started. */
export const systemFaults: readonly { id: SystemFault; label: string }[] = [
  { id: 'lock-held', label: 'another update holds the lock' },
  { id: 'broken-download', label: 'a package comes broken' },
  { id: 'bad-package', label: 'a package breaks while it is installed' },
  { id: 'slow-package', label: 'a package takes long to install' },
  { id: 'disk-full', label: 'the card is full' },
  { id: 'weak-supply', label: 'its supply is weak' },
  { id: 'service-failed', label: 'a service has failed' },
  { id: 'slow-clock', label: 'its clock is two hours slow' },
  { id: 'more-accounts', label: 'it has an account more' },
  { id: 'open-screen', label: 'its screen is open to all' },
  { id: 'open-password', label: 'it lets people in by password' },
  { id: 'no-root', label: 'its user may not become root' },
  { id: 'never-returns', label: 'it never comes back from a reboot' },
  { id: 'key-changed', label: 'it has another host key after a reboot' },
  { id: 'slow-line', label: 'its line is slow' },
  { id: 'mangles-key', label: 'it takes the key of a new network over wrongly' },
];
