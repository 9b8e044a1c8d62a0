import type { ClueSource } from '@nest-mark/core';

/** Where clues come from, in words: what each hears, and what it sends. */
export const sourceTexts: Record<ClueSource, { title: string; does: string }> = {
  sweep: { title: 'search', does: 'Connects to each address of a subnet.' },
  multicast: {
    title: 'announcements',
    does: 'Hears what boards announce (multicast DNS), and asks for their names.',
  },
  'address-request': {
    title: 'requests for addresses',
    does: 'Only hears: boards that ask the network for an address, also those that get none.',
  },
  neighbours: {
    title: 'neighbours',
    does: 'Only looks: the hosts that this computer has spoken with.',
  },
  table: { title: 'a list', does: 'What the network’s own equipment has on its lists.' },
  hand: { title: 'typed', does: 'Addresses that somebody typed.' },
};
