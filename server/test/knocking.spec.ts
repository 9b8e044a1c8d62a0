import * as fc from 'fast-check';
import { Epochs } from '../src/finding/epochs';
import { Knocking, type Answer } from '../src/finding/knocking';

interface World {
  /** Addresses whose login service is up, and whether it signs. */
  up: Map<string, { signs: boolean }>;
  asked: string[];
  answers: Answer[];
  now: number;
}

function wired() {
  const world: World = { up: new Map(), asked: [], answers: [], now: 1 };
  const knocking = new Knocking(
    {
      probe: (address) => {
        world.asked.push(address);
        const open = world.up.has(address);
        return Promise.resolve({
          address,
          answer: open ? 'open' : 'refused',
          banner: open ? 'SSH-2.0-x' : null,
        });
      },
      key: (address) =>
        Promise.resolve({ hostKey: `key of ${address}`, proven: world.up.get(address)?.signs ?? false }),
      now: () => world.now,
    },
    (answer) => world.answers.push(answer),
  );
  /** Lets time pass, a tenth of a second at a time. */
  const pass = async (milliseconds: number): Promise<void> => {
    for (const end = world.now + milliseconds; world.now < end; world.now += 100) {
      knocking.turn();
      for (let tick = 0; tick < 8; tick++) await Promise.resolve();
    }
  };
  return { world, knocking, pass };
}

describe('knocking at addresses that clues speak of', () => {
  it('begins at once, goes on while the login service is not up, and finds it within a second', async () => {
    const { world, knocking, pass } = wired();
    knocking.heard('10.0.0.5');
    await pass(10_000);
    expect(world.asked.length).toBeGreaterThan(10);
    expect(world.answers).toEqual([]);
    world.up.set('10.0.0.5', { signs: true });
    const before = world.now;
    await pass(1000);
    expect(world.answers).toMatchObject([{ address: '10.0.0.5', key: { proven: true } }]);
    expect(world.now - before).toBeLessThanOrEqual(1000);
  });

  it('what was asked for is told to nobody after the end, and nobody else is asked', async () => {
    const { world, knocking, pass } = wired();
    world.up.set('10.0.0.5', { signs: true });
    knocking.heard('10.0.0.5');
    expect(world.asked).toEqual(['10.0.0.5']);
    knocking.close();
    await pass(5000);
    knocking.heard('10.0.0.6');
    await pass(1000);
    expect(world.answers).toEqual([]);
    expect(world.asked).toEqual(['10.0.0.5']);
  });

  it('leaves a host alone that signed, until it is heard of anew', async () => {
    const { world, knocking, pass } = wired();
    world.up.set('10.0.0.5', { signs: true });
    knocking.heard('10.0.0.5');
    await pass(60_000);
    expect(world.asked).toHaveLength(1);
    for (let times = 0; times < 50; times++) knocking.heard('10.0.0.5');
    await pass(60_000);
    expect(world.asked).toHaveLength(2);
  });

  it('asks rarely where nobody has answered for long', async () => {
    const { world, knocking, pass } = wired();
    knocking.heard('10.0.0.5');
    await pass(700_000);
    world.asked.length = 0;
    await pass(120_000);
    expect(world.asked.length).toBeLessThanOrEqual(5);
  });

  it('is settled when every address was asked, one that answers without signing several times', async () => {
    const { world, knocking, pass } = wired();
    expect(knocking.settled).toBe(true);
    world.up.set('10.0.0.6', { signs: false });
    knocking.heard('10.0.0.5');
    knocking.heard('10.0.0.6');
    expect(knocking.settled).toBe(false);
    await pass(200);
    expect(knocking.settled).toBe(false);
    await pass(5000);
    expect(knocking.settled).toBe(true);
    expect(world.asked.filter((address) => address === '10.0.0.6').length).toBeGreaterThanOrEqual(4);
  });

  it('contacts no more than 4,096 addresses, whoever speaks of more', async () => {
    const { world, knocking, pass } = wired();
    for (let at = 0; at < 6000; at++) knocking.heard(`10.0.${String(at >> 8)}.${String(at & 255)}`);
    await pass(60_000);
    expect(new Set(world.asked).size).toBe(4096);
  });
});

describe('a board that moves and a card that was copied', () => {
  it('whatever happens, copies share a look, and a place that signs no more does not (1,000 stories)', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.record({ at: fc.integer({ min: 0, max: 3 }), cut: fc.integer({ min: 0, max: 7 }) }), {
          maxLength: 12,
        }),
        async (story) => {
          const on = new Set<string>();
          const epochs = new Epochs('first', (address) => Promise.resolve(on.has(address)));
          let last: { look: string; signing: string[] } | null = null;
          for (const { at, cut } of story) {
            on.delete(`10.0.0.${String(cut)}`);
            const address = `10.0.0.${String(at)}`;
            on.add(address);
            const { look, still } = await epochs.proved('k', address);
            // Only who signs now stands beside it.
            for (const one of still) expect(on.has(one)).toBe(true);
            // A look that goes on had somebody in it who signs still, or only this address.
            if (last && look === last.look) {
              const others = last.signing.filter((one) => one !== address);
              expect(others.length === 0 || others.some((one) => on.has(one))).toBe(true);
            }
            last = { look, signing: [...still, address] };
          }
        },
      ),
      { numRuns: 1000 },
    );
  });

  it('an address of either kind of the same board is no copy', async () => {
    const epochs = new Epochs('first', () => Promise.resolve(true));
    await epochs.proved('k', 'fe80::1%eth0');
    expect(await epochs.proved('k', '10.0.0.5')).toEqual({ look: 'first', still: [] });
  });
});
