import { createSelector } from '@ngrx/store';
import type { Image, SlotHolds, TurnFacts, TurnSlot } from '@nest-mark/core';
import { bootFeature } from '../boot/boot.reducer';
import { selectLooking } from '../boot/found';
import { cardsFeature } from '../cards/cards.reducer';
import { selectOpenRounds, selectSlots, selectToArm, unfinishedOf, type SlotView } from '../cards/slots';
import { imagesFeature } from '../state/images.reducer';
import { progressFeature } from '../state/progress.reducer';
import { selectDeviceViews, selectKept, selectStops } from '../state/selectors';

function holdsOf({ proposed, device, writing, ended }: SlotView): SlotHolds {
  if (writing) return 'in work';
  if (proposed.medium === null) return 'nothing';
  if (ended) return ended.state === 'verified' ? 'verified' : 'failed';
  if (device) return 'to write';
  if (proposed.verifiedFor) return 'verified';
  return proposed.refusal === null ? 'left out' : 'unfit';
}

const turnSlot = (slot: SlotView): TurnSlot => ({
  title: slot.proposed.slotTitle,
  holds: holdsOf(slot),
  nest: (slot.writingFor ?? slot.endedFor ?? slot.device ?? slot.proposed.verifiedFor)?.nest ?? '',
});

/** Whether only stand-ins hold cards here: then the hands can be the program's own. */
export const selectPractising = createSelector(
  selectSlots,
  (slots) => slots.length > 0 && slots.every(({ proposed }) => !proposed.slotId.startsWith('reader-')),
);

/** How many cards the question about erasing is about, while it is asked. */
const selectAsked = createSelector(
  cardsFeature.selectArming,
  selectToArm,
  progressFeature.selectProgress,
  (arming, toArm, progress) =>
    arming === null
      ? 0
      : arming === 'new'
        ? toArm.length
        : unfinishedOf(progress?.rounds ?? [], arming.roundId, arming.only).length,
);

const shelfOf = (images: readonly Image[] | null): TurnFacts['shelf'] =>
  images === null || images.some(({ state }) => state === 'ready')
    ? 'ready'
    : images.some(({ state }) => state === 'checking')
      ? 'reading'
      : 'empty';

/** What to look at first where boards are late. */
const selectLook = createSelector(progressFeature.selectProgress, (progress) => progress?.look ?? '');

/** Everything that decides whose turn it is. */
export const selectTurnFacts = createSelector(
  selectDeviceViews,
  selectStops,
  cardsFeature.selectProposal,
  selectSlots,
  selectAsked,
  selectOpenRounds,
  selectLooking,
  selectLook,
  bootFeature.selectRepeat,
  imagesFeature.selectList,
  selectKept,
  (views, stops, proposal, slots, arming, rounds, searching, look, repeat, images, kept): TurnFacts => {
    const left = rounds.flatMap(({ cards }) => cards.flatMap(({ secondsLeft }) => secondsLeft ?? []));
    return {
      devices: views.map(({ device, facts }) => ({ nest: device.nest, hostName: device.hostName, facts })),
      slots: proposal === null ? null : slots.map(turnSlot),
      shelf: shelfOf(images),
      stops: stops.map(({ message }) => message),
      // What the server said of a plan that has changed since is no news.
      blockers: kept === 'saved' ? (proposal?.blockers ?? []) : [],
      arming,
      held: rounds.some(({ paused }) => paused),
      secondsLeft: left.length > 0 ? Math.max(...left) : null,
      searching: repeat || searching,
      look,
    };
  },
);
