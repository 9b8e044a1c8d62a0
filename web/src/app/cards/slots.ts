import { createSelector } from '@ngrx/store';
import {
  bothSizes,
  cardAdvice,
  findBoard,
  settingsOf,
  targetSteps,
  type CardRecord,
  type Device,
  type ProposedCard,
  type Round,
  type RoundCard,
  type TargetSteps,
} from '@nest-mark/core';
import { batchFeature } from '../state/batch.reducer';
import { stationFeature } from '../state/station.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { goesOn, progressFeature } from '../state/progress.reducer';
import { cardsFeature } from './cards.reducer';

/** One place of the reader with what is in it and what is happening to it. */
export interface SlotView {
  proposed: ProposedCard;
  /** The device that its card shall become, or null. */
  device: Device | null;
  /** Its card in the round that is being written. */
  writing: RoundCard | null;
  writingFor: Device | null;
  /** Whether that round is held. */
  held: boolean;
  /** How its card ended in the newest round, as long as that card is still in it. */
  ended: RoundCard | null;
  endedFor: Device | null;
  /** The round in which it ended, and whether its card can be written again there. */
  endedIn: { roundId: string; again: boolean } | null;
  /** What hands still have to do before the device that it was written for can start; null where there is nothing. */
  steps: TargetSteps | null;
  carrierDone: boolean;
  record: CardRecord | null;
}

/** Whether a card can be part of a round: nothing speaks against it, or nothing that a person could not overrule. */
const mayBeWritten = ({ medium, refusal, overruledBy }: ProposedCard): boolean =>
  medium !== null && (refusal === null || overruledBy !== null);

/**
 * Whether the card of a round is still the one in its slot: by the card's own serial number, else by its record. A
 * card that tells nothing of itself is not taken for another one.
 */
const isSameCard = (card: RoundCard, { medium, record }: ProposedCard): boolean =>
  card.serial !== ''
    ? card.serial === medium?.identity.serial
    : card.cardKey !== null && card.cardKey === record?.key;

const isUnderWay = ({ state }: RoundCard): boolean =>
  state === 'queued' || state === 'writing' || state === 'verifying';

/** Rounds that are being written, the oldest first. */
export const selectOpenRounds = createSelector(progressFeature.selectProgress, (progress): Round[] =>
  (progress?.rounds ?? []).filter(goesOn).reverse(),
);

export const selectSlots = createSelector(
  cardsFeature.selectProposal,
  cardsFeature.selectChosen,
  batchFeature.selectPlan,
  progressFeature.selectProgress,
  stationFeature.selectRecords,
  boardsFeature.selectList,
  (proposal, chosen, plan, progress, records, boards): SlotView[] => {
    const devices = new Map(plan?.devices.map((device) => [device.id, device]));
    const rounds = progress?.rounds ?? [];
    return (proposal?.cards ?? []).map((proposed): SlotView => {
      const { slotId, medium } = proposed;
      const here = (card: RoundCard): boolean => card.slotId === slotId;
      const writer = rounds.find(
        (round) => goesOn(round) && round.cards.some((card) => here(card) && isUnderWay(card)),
      );
      const writing = writer?.cards.find(here) ?? null;
      const lastIn = rounds.find(({ cards }) => cards.some(here));
      const last = lastIn?.cards.find(here);
      const ended =
        !writing && last && !isUnderWay(last) && medium && isSameCard(last, proposed) ? last : null;
      const endedFor = ended ? (devices.get(ended.deviceId) ?? null) : null;
      const wanted = slotId in chosen ? chosen[slotId] : proposed.deviceId;
      const board =
        plan && endedFor ? findBoard(boards, settingsOf(plan, endedFor).boardProfileId) : undefined;
      const key = proposed.record?.key;
      return {
        proposed,
        device: mayBeWritten(proposed) ? (devices.get(wanted ?? '') ?? null) : null,
        writing,
        writingFor: writing ? (devices.get(writing.deviceId) ?? null) : null,
        held: writer?.paused ?? false,
        ended,
        endedFor,
        endedIn:
          ended && lastIn
            ? {
                roundId: lastIn.id,
                again: ended.state !== 'verified' && !takenUpLater(rounds, lastIn, ended),
              }
            : null,
        steps: board && ended?.state === 'verified' ? targetSteps(board) : null,
        carrierDone:
          progress?.devices.find(({ deviceId }) => deviceId === endedFor?.id)?.carrierDoneAt != null,
        record: records?.find((record) => record.key === key) ?? proposed.record,
      };
    });
  },
);

/** The slots of the round that would be armed now. */
export const selectToArm = createSelector(selectSlots, (slots) =>
  slots.filter(({ device, writing }) => device !== null && !writing),
);

/** What a card has been through, in a line; empty for a new one. */
export function recordWords(record: CardRecord | null): string {
  const [last] = record?.writings ?? [];
  if (!record || !last) return '';
  const count = record.writings.length;
  const failures = record.writings.filter(({ fault }) => fault !== null).length;
  const when = new Date(last.at).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
  });
  return `Written ${String(count)} ${count === 1 ? 'time' : 'times'}${failures > 0 ? `, ${String(failures)} failed` : ''}, last on ${when} for ${last.hostName}.`;
}

/** What will be erased, read out for a person. */
export function readOut({ proposed: { medium, verifiedFor }, record }: SlotView): string {
  if (!medium) return 'no card';
  const { model, identity, holds } = medium;
  const whose = verifiedFor
    ? `the verified card of ${verifiedFor.hostName} (${verifiedFor.batchName})`
    : holds;
  const advice = record ? cardAdvice(record) : null;
  return [
    `${model}, ${bothSizes(identity.size)}, serial ${identity.serial || 'not given'}.`,
    `It holds ${whose}.`,
    medium.caution === null ? '' : `Look twice: ${medium.caution}.`,
    recordWords(record) || 'Never written here.',
    advice,
  ]
    .filter((part) => part)
    .join(' ');
}

const takenUpLater = (rounds: readonly Round[], round: Round, card: RoundCard): boolean =>
  rounds.some(
    ({ number, cards }) => number > round.number && cards.some(({ deviceId }) => deviceId === card.deviceId),
  );

/**
 * Cards of a round that were not verified, and whose devices no later round took up.
 * @param only the slot of a single card, also of a round that is still being written
 */
export function unfinishedOf(rounds: readonly Round[], roundId: string, only?: string): RoundCard[] {
  const round = rounds.find(({ id }) => id === roundId);
  if (!round || (goesOn(round) && only === undefined)) return [];
  return round.cards.filter(
    (card) =>
      card.state !== 'verified' &&
      !isUnderWay(card) &&
      (only === undefined || card.slotId === only) &&
      !takenUpLater(rounds, round, card),
  );
}
