import {
  overrules,
  sameMedium,
  samePlace,
  type CardError,
  type Medium,
  type MediumIdentity,
  type Refusal,
  type Slot,
} from '@nest-mark/station';
import { problem, type Problem } from '../platform/http/problems';
import type { HeldSlot } from '../platform/runs/model';
import type { Cards } from './domain';

/** Whether two identities may be one medium, as two stations see it: by serial, or at one place of one computer. */
const maybeSame = (a: MediumIdentity, b: MediumIdentity): boolean =>
  a.size === b.size && (a.serial !== '' ? a.serial === b.serial : a.path === b.path);

/** Why the card of a slot is not free; null when it is. @param inUse what runs of all stations hold */
export function heldBy(
  { station }: Pick<Cards, 'station'>,
  inUse: readonly HeldSlot[],
  slotId: string,
  identity: MediumIdentity | null,
): string | null {
  const here = inUse.find((held) => held.station === station && held.slotId === slotId);
  if (here?.kind === 'capacity-check') return 'The capacity of the card in this slot is being checked.';
  if (here) return 'A round is using this slot.';
  const elsewhere = identity && inUse.find((held) => maybeSame(held.identity, identity));
  return elsewhere ? `This card is in use at the station "${elsewhere.station}".` : null;
}

/** What a guard says of a medium in a slot. */
export const refused = (title: string, { code, message, overruledBy }: Refusal): Problem =>
  problem(`card-${code}`, { title, why: message, sentence: overruledBy ?? '' });

/** What the reader says of the card in a slot. */
export const ofReader = (title: string, { code, message }: CardError): Problem =>
  problem(`card-${code}`, { title, why: message });

/** Refuses a medium that a guard speaks against, unless the person overruled it and may. @throws Problem */
export function needFit(title: string, refusal: Refusal | null, overrule: string | undefined): void {
  if (refusal && !overrules(overrule, refusal)) throw refused(title, refusal);
}

/**
 * The medium in a slot, if it is the one that was looked at, with the same things on it.
 * @param slot as it was looked at anew just now
 * @throws Problem
 */
export function needSame(slot: Slot | undefined, slotId: string, identity: MediumIdentity): Medium {
  const title = slot?.title ?? slotId;
  if (!slot?.medium) throw problem('card-missing', { title });
  const { identity: now, holds } = slot.medium;
  if (!samePlace(now, identity))
    throw problem('card-changed', {
      title,
      why: 'This is another card than the one you looked at. Look again.',
    });
  if (now.content === '') throw problem('card-unreadable', { title });
  if (!sameMedium(now, identity))
    throw problem('card-changed', {
      title,
      why: `The card is another one than you looked at, or other things are on it now: it holds ${holds}. Look again.`,
    });
  return slot.medium;
}
