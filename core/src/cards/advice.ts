import type { CardRecord, CardWriting } from './record';
import { quantile } from '../forecast/rates';

/** Faults that are the card's own, not the hand's that pulled it. */
const ownFaults = new Set(['io', 'mismatch', 'stalled']);
/** Writings that are looked at, newest first. */
const LOOK_BACK = 5;

const ownFault = ({ fault }: CardWriting): boolean => fault !== null && ownFaults.has(fault);

/**
 * Whether a card should be used again, in words; null when nothing speaks against it. A card that gave back other
 * octets than were written loses data unseen, so once is enough (common practice); errors that were noticed count
 * from the second one on, since a reader or a bad contact causes them as well.
 */
export function cardAdvice(record: Pick<CardRecord, 'writings' | 'retired' | 'capacity'>): string | null {
  const { writings, retired, capacity } = record;
  if (retired) return 'Retired. Do not use it.';
  if (capacity?.state === 'lies' || capacity?.state === 'bad') return `Retire it: ${capacity.text}`;
  const last = writings.slice(0, LOOK_BACK);
  if (last.some(({ fault }) => fault === 'mismatch'))
    return 'Retire it: it gave back other data than was written.';
  const failures = last.filter(ownFault).length;
  if (failures >= 2)
    return `Retire it: ${String(failures)} of its last ${String(last.length)} writings failed.`;
  const rates = writings.flatMap(({ writeRate }) => (writeRate === null ? [] : [writeRate]));
  if (rates.length >= 4) {
    const half = Math.floor(rates.length / 2);
    const now = quantile(rates.slice(0, half), 0.5);
    const before = quantile(rates.slice(-half), 0.5);
    if (now < before / 2)
      return `It wears out: it writes at ${(now / 1e6).toFixed(0)} MB/s, and did at ${(before / 1e6).toFixed(0)} MB/s before.`;
  }
  return null;
}
