import { makerOf } from '@nest-mark/core/find';
import { allMakers } from '../src/finding/makers';

/** Against the lists of the IEEE registration authority, as the package oui-data carries them. */

const addressOf = (prefix: string): string =>
  (prefix.padEnd(12, '0').match(/../g) ?? []).join(':').toLowerCase();
const authority = /^(IEEE Registration|Private)/i;
/** Addresses that a maker gives have the local bit off; a few old entries have it on. */
const given = (prefix: string): boolean => (parseInt(prefix[1] ?? '0', 16) & 2) === 0;

it.each([6, 7, 9])(
  'of prefixes of %i digits the maker is the one of the list, where no longer one fits',
  async (length) => {
    const makers = await allMakers();
    expect(makers.size).toBeGreaterThan(40_000);
    let tried = 0;
    const wrong: string[] = [];
    for (const [prefix, maker] of makers) {
      if (prefix.length !== length || !given(prefix) || authority.test(maker)) continue;
      const padded = prefix.padEnd(9, '0');
      if ([7, 9].some((longer) => longer > length && makers.has(padded.slice(0, longer)))) continue;
      if (makerOf(addressOf(prefix), makers) !== maker) wrong.push(prefix);
      tried++;
    }
    expect(wrong).toEqual([]);
    expect(tried).toBeGreaterThan(1000);
  },
);

it('a block that is divided further belongs to whoever has the part, or to nobody that is known', async () => {
  const makers = await allMakers();
  const parts = [...makers].filter(
    ([prefix, maker]) =>
      prefix.length > 6 &&
      given(prefix) &&
      authority.test(makers.get(prefix.slice(0, 6)) ?? '') &&
      !authority.test(maker),
  );
  expect(parts.length).toBeGreaterThan(1000);
  for (const [prefix, maker] of parts.slice(0, 300)) expect(makerOf(addressOf(prefix), makers)).toBe(maker);
  const blocks = new Set(parts.map(([prefix]) => prefix.slice(0, 6)));
  // A part of such a block that nobody has, where there is one.
  let free = 0;
  for (const block of blocks)
    for (const rest of ['7', '3', 'D']) {
      const address = `${block}${rest}77777`;
      if ([7, 9].some((length) => makers.has(address.slice(0, length)))) continue;
      expect(makerOf(addressOf(address), makers)).toBe('');
      free++;
    }
  expect(free).toBeGreaterThan(0);
});

it('made-up addresses and those for examples (RFC 7042 section 2.1.2) have no maker', async () => {
  const makers = await allMakers();
  expect(makerOf('02:00:5e:00:53:15', makers)).toBe('a made-up address');
  expect(makerOf('00:00:5e:00:53:15', makers)).toBe('an address for examples');
});
