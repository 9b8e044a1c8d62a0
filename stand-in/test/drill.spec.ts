import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { cardFilesOf, makeHostKey, noBase, plainExtras, preSharedKey, type Air } from '@nest-mark/core';
import { DrillCauseSchema, type DrillCause } from '@nest-mark/core/api';
import { refuseBoard } from '../src/air/access-point';
import { faultyAir } from '../src/drill/air-faults';
import { Lab, readCard } from '../src/index';
import { blankDisk, cardOf } from './helpers/boot-disk';
import { many } from '../../core/test/helpers/soak';

/** Drills, without a server: what they hide, and that nothing of it stays behind. */

const network = '127.62.23';
const disk = blankDisk('CIDATA');
let folder = '';
let lab: Lab;

const files = (number: number, hidden = false) =>
  cardFilesOf(
    'declarative-seed',
    {
      mark: '7KQ4M',
      nest: `A${String(number)}`,
      deviceId: `d${String(number)}`,
      batchId: 'b',
      batchName: 'Tanks',
      hostName: `tank-0${String(number)}`,
      user: { name: 'keeper', keys: [], passwordHash: null, passwordLogin: false, sudo: 'usual', groups: [] },
      hostKey: makeHostKey(new Uint8Array(32).fill(number), new Uint8Array(4), '7KQ4M'),
      others: [],
      networks: [
        {
          ssid: new TextEncoder().encode('Saltmarsh Bench'),
          security: 'wpa2-psk',
          key: preSharedKey('Saltmarsh Bench', 'low tide at seven'),
          hidden,
          priority: 10,
        },
      ],
      country: 'DK',
      timeZone: 'Europe/Copenhagen',
      locale: 'C.UTF-8',
      ...plainExtras,
      instanceId: 'i-1',
    },
    noBase,
  );

const octets = async (number: number, hidden = false): Promise<Uint8Array> => {
  const named = new Map(files(number, hidden).map(({ path: name, content }) => [name, content]));
  return (await cardOf(disk, named)).read(0, disk.length);
};
const path = (number: number): string => join(folder, 'cards', `card-0${String(number)}.img`);
const state = () =>
  JSON.parse(readFileSync(join(folder, 'lab.json'), 'utf8')) as {
    air: Air;
    boards: { fault: string | null; copyOf: string | null }[];
    drill: { outcome: string } | null;
  };
/** What lies on a card as far as anything was ever written. */
const digest = (number: number): string =>
  createHash('sha256')
    .update(readFileSync(path(number)).subarray(0, disk.length))
    .digest('hex');

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-drill-'));
  lab = await Lab.open(folder, network);
  await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  for (const number of [1, 2]) {
    writeFileSync(path(number), await octets(number));
    // Small, so that the whole of it can be looked at.
    truncateSync(path(number), disk.length);
    await lab.act({ do: 'seatCard', cardId: `card-0${String(number)}`, nest: `A${String(number)}` });
  }
});
afterEach(async () => {
  await lab.close();
  rmSync(folder, { recursive: true, force: true });
});

const begin = (cause: DrillCause | null): Promise<void> => lab.act({ do: 'drill', batchId: 'b', cause });

describe('a drill', () => {
  it('that the program died in is still there, and what it changed on a card can be put back', async () => {
    const before = [digest(1), digest(2)];
    await begin('card-spoilt');
    expect([digest(1), digest(2)]).not.toEqual(before);
    await lab.close();
    lab = await Lab.open(folder, network);
    expect((await lab.view()).drill?.outcome).toBe('open');
    await lab.act({ do: 'endDrill' });
    expect([digest(1), digest(2)]).toEqual(before);
  });

  it('that the program died in between the note and the card puts back what was never changed, without harm', async () => {
    const cards = [readFileSync(path(1)), readFileSync(path(2))];
    await begin('card-spoilt');
    await lab.close();
    cards.forEach((card, at) => writeFileSync(path(at + 1), card));
    lab = await Lab.open(folder, network);
    await lab.act({ do: 'endDrill' });
    expect([readFileSync(path(1)), readFileSync(path(2))].every((card, at) => card.equals(cards[at]!))).toBe(
      true,
    );
  });

  it('renames a file so that the board really reads nothing of it', async () => {
    await begin('card-spoilt');
    const read = await Promise.all(
      [1, 2].map((number) =>
        lab.reader.withSource({ id: `card-0${String(number)}`, size: disk.length } as never, (source) =>
          readCard(source, { kernel: false }),
        ),
      ),
    );
    expect(read.map(({ radio }) => radio.networks.length).sort()).toEqual([0, 1]);
  });

  it('leaves nothing behind, whatever is done in it and however often the program ends', async () => {
    const air = state().air;
    const cards = [digest(1), digest(2)];
    const cause = fc.constantFrom(...DrillCauseSchema.options);
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.oneof(
            fc.record({ do: fc.constant('drill' as const), batchId: fc.constant('b'), cause }),
            fc.record({ do: fc.constant('mend' as const), cause }),
            fc.record({
              do: fc.constant('look' as const),
              check: fc.constantFrom('power-light' as const, 'name-heard' as const),
              nest: fc.constantFrom('A1', 'A2', 'A3'),
            }),
            fc.constant({ do: 'endDrill' as const }),
            fc.constant({ do: 'kill' as const }),
          ),
          { maxLength: 8 },
        ),
        async (actions) => {
          for (const action of actions) {
            if (action.do === 'kill') {
              await lab.close();
              lab = await Lab.open(folder, network);
            } else await lab.act(action).catch(() => undefined);
            const { drill, boards } = state();
            // One fault at most, and none without a drill.
            const faults = boards.filter(({ fault }) => fault !== null).length;
            expect(faults).toBeLessThanOrEqual(drill?.outcome === 'open' ? 1 : 0);
          }
          while ((await lab.view()).drill) await lab.act({ do: 'endDrill' });
          expect(state().air).toEqual(air);
          expect(state().boards.every(({ copyOf }) => copyOf === null)).toBe(true);
          expect([digest(1), digest(2)]).toEqual(cards);
        },
      ),
      { seed: 81, numRuns: many(5, 15) },
    );
  });
});

describe('the air of the practice bench', () => {
  const air: Air = {
    on: true,
    ssid: 'Saltmarsh Bench',
    passphrase: 'low tide at seven',
    country: 'DK',
    network,
    poolStart: 20,
    poolSize: 10,
    port: 2222,
    bands: ['2.4 GHz'],
    hidden: false,
    apart: false,
    elsewhere: false,
    carried: 0,
    clients: null,
    sleepsAfter: null,
  };
  const card = async (hidden: boolean) => {
    writeFileSync(path(1), await octets(1, hidden));
    return lab.reader.withSource({ id: 'card-01', size: disk.length } as never, (source) =>
      readCard(source, { kernel: false }),
    );
  };

  it('is joined when its name is hidden only by a board whose card says so, and on a band that it hears', async () => {
    const [shown, told] = [await card(false), await card(true)];
    expect(refuseBoard(air, shown)).toBeNull();
    expect(refuseBoard({ ...air, hidden: true }, shown)).toContain('hides its name');
    expect(refuseBoard({ ...air, hidden: true }, told)).toBeNull();
    expect(refuseBoard({ ...air, bands: ['5 GHz'] }, shown)).toContain('5 GHz only');
    expect(refuseBoard({ ...air, bands: ['5 GHz', '2.4 GHz'] }, shown)).toBeNull();
  });

  it('changes by one thing for each fault, and by no more than a person could overlook', () => {
    const change = (cause: DrillCause) => faultyAir(air, cause, 4);
    expect(change('other-name')).toEqual({ ssid: 'Saltmarsh bench' });
    expect(change('other-key')).toEqual({ passphrase: 'low tide at sevee' });
    expect(change('other-country')).toEqual({ country: 'SE' });
    expect(change('no-address')).toEqual({ poolSize: 3 });
    expect(change('not-seated')).toBeNull();
    for (const cause of DrillCauseSchema.options) {
      const changed = change(cause);
      if (changed) expect({ ...air, ...changed }).not.toEqual(air);
    }
    // A name of one word, and a key without a small letter, differ too.
    expect(faultyAir({ ...air, ssid: 'bench' }, 'other-name', 4)).toEqual({ ssid: 'Bench' });
    expect(faultyAir({ ...air, passphrase: '1234567' }, 'other-key', 4)).toEqual({ passphrase: '1234561' });
  });
});
