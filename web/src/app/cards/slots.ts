import { createSelector } from '@ngrx/store';
import { bothSizes, type Device, type ProposedCard, type Round, type RoundCard } from '@nest-mark/core';
import { batchFeature } from '../state/batch.reducer';
import { progressFeature } from '../state/progress.reducer';
import { cardsFeature } from './cards.reducer';

/** One place of the reader with what is in it and what is happening to it. */
export interface SlotView {
  proposed: ProposedCard;
  /** The device that its card shall become, or null. */
  device: Device | null;
  /** Its card in the round that is being written. */
  writing: RoundCard | null;
  writingFor: Device | null;
  /** How its card ended in the newest round, as long as that card is still in it. */
  ended: RoundCard | null;
  endedFor: Device | null;
}

const isOpen = ({ state }: Round): boolean => state === 'queued' || state === 'running';

export const selectOpenRound = createSelector(
  progressFeature.selectProgress,
  (progress): Round | null => progress?.rounds.find(isOpen) ?? null,
);

export const selectSlots = createSelector(
  cardsFeature.selectProposal,
  cardsFeature.selectChosen,
  batchFeature.selectPlan,
  progressFeature.selectProgress,
  (proposal, chosen, plan, progress): SlotView[] => {
    const devices = new Map(plan?.devices.map((device) => [device.id, device]));
    const rounds = progress?.rounds ?? [];
    return (proposal?.cards ?? []).map((proposed): SlotView => {
      const { slotId, medium } = proposed;
      const here = (card: RoundCard): boolean => card.slotId === slotId;
      const writing = rounds.find(isOpen)?.cards.find(here) ?? null;
      const last = rounds.find(({ cards }) => cards.some(here))?.cards.find(here);
      const ended = !writing && last && medium && last.serial === medium.identity.serial ? last : null;
      const wanted = slotId in chosen ? chosen[slotId] : proposed.deviceId;
      return {
        proposed,
        device: medium && !proposed.refusal ? (devices.get(wanted ?? '') ?? null) : null,
        writing,
        writingFor: writing ? (devices.get(writing.deviceId) ?? null) : null,
        ended,
        endedFor: ended ? (devices.get(ended.deviceId) ?? null) : null,
      };
    });
  },
);

/** The slots of the round that would be armed now. */
export const selectToArm = createSelector(selectSlots, (slots) =>
  slots.filter(({ device, writing }) => device !== null && !writing),
);

/** What will be erased, read out for a person. */
export function readOut({ proposed: { medium, verifiedFor } }: SlotView): string {
  if (!medium) return 'no card';
  const { model, identity, holds } = medium;
  const whose = verifiedFor
    ? `the verified card of ${verifiedFor.hostName} (${verifiedFor.batchName})`
    : holds;
  return `${model}, ${bothSizes(identity.size)}, serial ${identity.serial || 'not given'}. It holds ${whose}.`;
}

/** Cards of an ended round that were not verified, and whose devices no later round took up. */
export function unfinishedOf(rounds: readonly Round[], roundId: string): RoundCard[] {
  const round = rounds.find(({ id }) => id === roundId);
  if (!round || isOpen(round)) return [];
  const later = new Set(
    rounds
      .filter(({ number }) => number > round.number)
      .flatMap(({ cards }) => cards.map(({ deviceId }) => deviceId)),
  );
  return round.cards.filter(({ state, deviceId }) => state !== 'verified' && !later.has(deviceId));
}
