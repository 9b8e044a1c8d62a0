import { clueTitles, ListeningSourceSchema, type ListeningSource } from '@nest-mark/core/find';

/** What each source hears, and what it sends. */
const does: Record<ListeningSource, string> = {
  multicast: 'Hears what boards announce (multicast DNS), and asks for their names.',
  'address-request': 'Only hears: boards that ask the network for an address, also those that get none.',
  neighbours: 'Only looks: the hosts that this computer has spoken with.',
  'call-in': 'Opens a port for the calls that this batch’s boards make once, and for nothing else.',
  'list-file': 'Only reads: the list of who gives out addresses here, whenever it changes.',
};

/** What can be listened for, in words. */
export const listeningSources = ListeningSourceSchema.options.map((id) => ({
  id,
  title: clueTitles[id],
  does: does[id],
}));
