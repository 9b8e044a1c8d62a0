import { noCardFaults, type CardFaults } from '@nest-mark/core';

const GiB = 2 ** 30;

const kind = (id: string, label: string, faults: Partial<CardFaults>) => ({
  id,
  label,
  faults: { ...noCardFaults, ...faults },
});

/** What a stand-in card can be told to do; places lie within the practice image, whose root begins at 49 MiB. */
export const faultKinds = [
  kind('none', 'works', {}),
  kind('wrong', 'gives back a wrong byte', { wrongByteAt: 50_000_003 }),
  kind('dies', 'dies half way', { diesAtByte: 60_000_000 }),
  kind('slow', 'is slow, 3 MB/s', { rate: 3e6 }),
  kind('contact', 'is pulled and put back half way', { losesContactAt: 60_000_000 }),
  kind('late', 'answers 10 s late once', { late: { at: 60_000_000, seconds: 10 } }),
  kind('silent', 'stops answering for 2 min', { late: { at: 60_000_000, seconds: 120 } }),
  kind('locked', 'has its lock set', { locked: true }),
  kind('busy', 'is held by another program', { busy: true }),
  kind('wraps', 'lies: its end is its beginning, 8 GiB', { lies: { realSize: 8 * GiB, beyond: 'wraps' } }),
  kind('loses', 'lies: loses what lies beyond 8 GiB', { lies: { realSize: 8 * GiB, beyond: 'loses' } }),
];

/** The kind that a card's faults are nearest to. */
export function faultOf(faults: CardFaults): string {
  const same = faultKinds.find((candidate) => JSON.stringify(candidate.faults) === JSON.stringify(faults));
  if (same) return same.id;
  if (faults.lies) return faults.lies.beyond;
  if (faults.wrongByteAt !== null) return 'wrong';
  if (faults.diesAtByte !== null) return 'dies';
  return faults.rate !== null ? 'slow' : 'none';
}
