import type { ProposedCard } from '@nest-mark/core';
import type { SlotView } from '../../src/app/cards/slots';

/** A card in the first slot that is to become nobody's. */
export const proposedCard = (change: Partial<ProposedCard> = {}): ProposedCard => ({
  slotId: 'slot-1',
  slotTitle: 'Slot 1',
  medium: {
    identity: { path: 'p', size: 16e9, serial: 'p51a7', content: 'c' },
    model: 'Practice card',
    removable: true,
    readOnly: false,
    mounted: [],
    system: false,
    holds: 'holiday pictures',
    caution: null,
    label: null,
  },
  deviceId: null,
  refusal: null,
  overruledBy: null,
  record: null,
  verifiedFor: null,
  ...change,
});

/** A slot in which nothing happens. */
export const slotView = (change: Partial<SlotView> = {}): SlotView => ({
  proposed: proposedCard(),
  device: null,
  writing: null,
  writingFor: null,
  held: false,
  ended: null,
  endedFor: null,
  endedIn: null,
  steps: null,
  carrierDone: false,
  record: null,
  ...change,
});
