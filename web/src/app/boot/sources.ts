import type { ListeningSource } from '@nest-mark/core';
import { clueTitles } from '@nest-mark/core/find';

/** What each source hears, and what it sends. */
const does: Record<ListeningSource, string> = {
  multicast: 'Hears what boards announce (multicast DNS), and asks for their names.',
  'address-request': 'Only hears: boards that ask the network for an address, also those that get none.',
  neighbours: 'Only looks: the hosts that this computer has spoken with.',
};

/** What can be listened for, in words. */
export const listeningSources = (['multicast', 'address-request', 'neighbours'] as const).map((id) => ({
  id,
  title: clueTitles[id],
  does: does[id],
}));
