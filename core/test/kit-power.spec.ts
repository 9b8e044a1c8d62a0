import fc from 'fast-check';
import Papa from 'papaparse';
import { shippedBoards } from '../src/boards/profiles';
import type { Plan } from '../src/plan/model';
import { kitList } from '../src/kit/kit';
import { feedBoards } from '../src/power/power';
import type { Supply } from '../src/plan/power-plan';
import { kitCsv } from '../src/handover/kit-csv';
import { soundPlan } from './helpers/plan';

const plan = (count: number, change: (plan: Plan) => void = () => undefined): Plan => {
  const given = soundPlan(count);
  change(given);
  return given;
};
const needed = (given: Plan): Record<string, number> =>
  Object.fromEntries(kitList(given, shippedBoards).lines.map((line) => [line.id, line.needed]));

describe('the kit list', () => {
  it('counts what twelve full-size boards need', () => {
    expect(needed(plan(12))).toEqual({
      'board:full-64': 12,
      'card:32:class-10': 12,
      'reader-slots': 4,
      'supply:single:3|USB-C': 12,
      'cable:USB-C': 12,
      'video:micro': 1,
      label: 12,
    });
  });

  it('counts by each device’s own board: carriers, adapters, ribbons of both widths', () => {
    const mixed = plan(4, (given) => {
      given.kit.camera = true;
      given.devices[1]!.overrides = { boardProfileId: 'module-emmc-two' };
      given.devices[2]!.overrides = { boardProfileId: 'compact-64' };
      given.devices[3]!.overrides = { boardProfileId: 'compact-32-offline' };
    });
    expect(needed(mixed)).toMatchObject({
      'card:32:class-10': 3,
      jumper: 2,
      'data-cable': 1,
      'network-adapter': 1,
      'network-cable': 2,
      'usb:micro': 1,
      camera: 4,
      'ribbon:wide': 2,
      'ribbon:narrow': 2,
    });
  });

  it('adds spares of what wears, rounded up, and takes off what is in stock', () => {
    const given = plan(12, ({ kit }) => {
      kit.sparePercent = 10;
      kit.stock = { 'card:32:class-10': 5, 'supply:single:3|USB-C': 40 };
      kit.prices = { 'card:32:class-10': 7.5 };
    });
    const { lines, total, unpriced } = kitList(given, shippedBoards);
    const line = (id: string) => lines.find((entry) => entry.id === id);
    expect(line('card:32:class-10')).toMatchObject({ spare: 2, stock: 5, buy: 9, cost: 67.5 });
    expect(line('supply:single:3|USB-C')).toMatchObject({ buy: 0 });
    expect(line('reader-slots')).toMatchObject({ spare: 0 });
    expect(total).toBe(67.5);
    expect(unpriced).toBe(lines.filter(({ price, buy }) => price === null && buy > 0).length);
  });

  it('never asks for less than nothing, whatever lies in stock', () => {
    fc.assert(
      fc.property(fc.nat(500), fc.nat(200), fc.integer({ min: 1, max: 40 }), (stock, percent, count) => {
        const given = plan(count, ({ kit }) => {
          kit.sparePercent = percent;
          kit.stock = { 'card:32:class-10': stock };
        });
        for (const { buy, needed: wanted, spare, stock: have } of kitList(given, shippedBoards).lines) {
          expect(buy).toBeGreaterThanOrEqual(0);
          expect(buy + have).toBeGreaterThanOrEqual(wanted + spare);
        }
      }),
    );
  });

  it('is empty without devices, and as CSV reads back with its total', () => {
    expect(
      kitList(
        plan(1, (given) => (given.devices = [])),
        shippedBoards,
      ).lines,
    ).toEqual([]);
    const given = plan(2, ({ kit }) => (kit.prices = { label: 0.25 }));
    const rows = Papa.parse<string[]>(kitCsv(kitList(given, shippedBoards), 'EUR').trim()).data;
    expect(rows[0]).toEqual(['what', 'needed', 'spare', 'in stock', 'to buy', 'EUR each', 'EUR']);
    expect(rows.at(-1)).toEqual(['total', '', '', '', '', '', '0.75']);
  });
});

const supply = (change: Partial<Supply> = {}): Supply => ({
  id: 's',
  title: 'Six',
  count: 1,
  ports: [3, 3, 3, 3, 3, 3],
  totalAmps: 12,
  ...change,
});

describe('boards at their supplies', () => {
  it('each on its own: the rating that its profile asks for', () => {
    const { single } = feedBoards(plan(2), shippedBoards);
    expect(single.map(({ amps, rating, standing }) => [amps, rating, standing])).toEqual([
      [1.6, 3, 'fits'],
      [1.6, 3, 'fits'],
    ]);
  });

  it('port by port, the total with its margin as well: six boards of 1.6 A need 9.6 of 12 A', () => {
    const six = feedBoards(
      plan(6, ({ power }) => (power.supplies = [supply()])),
      shippedBoards,
    );
    expect(six.unfed).toEqual([]);
    expect(six.supplies[0]?.load).toBeCloseTo(9.6, 9);
    expect(six.supplies[0]?.standing).toBe('fits');
    // 25 % of margin leave 9 A: five boards fit with it, the sixth without, and the supply is then tight.
    const tight = feedBoards(
      plan(6, ({ power }) => Object.assign(power, { supplies: [supply()], marginPercent: 25 })),
      shippedBoards,
    );
    expect(tight.unfed).toEqual([]);
    expect(tight.supplies[0]?.standing).toBe('tight');
  });

  it('a socket that is used beyond its margin is called tight, one within it is not', () => {
    const fed = feedBoards(
      plan(2, ({ power, devices }) => {
        power.supplies = [supply({ totalAmps: 30, ports: [3, 3] })];
        power.peripherals = [{ title: 'drive', milliamp: 1200, role: 'pump' }];
        devices[0]!.role = 'pump';
      }),
      shippedBoards,
    );
    // 2.8 A of 3 A leave less than a fifth, 1.6 A of 3 A leave more.
    expect(fed.supplies[0]?.sockets.map(({ feed }) => feed?.standing)).toEqual(['tight', 'fits']);
    expect(fed.supplies[0]?.standing).toBe('fits');
  });

  it('who finds no socket is named', () => {
    const { unfed } = feedBoards(
      plan(8, ({ power }) => (power.supplies = [supply({ totalAmps: 30 })])),
      shippedBoards,
    );
    expect(unfed.map(({ device }) => device.hostName)).toEqual(['tank-007', 'tank-008']);
  });

  it('an unknown current is said to be unknown, and counted as its supply', () => {
    const boards = shippedBoards.map((board) => ({ ...board, peakMilliamp: null }));
    expect(feedBoards(plan(1), boards).single[0]).toMatchObject({
      amps: null,
      standing: 'unknown',
      volts: null,
    });
    const fed = feedBoards(
      plan(1, ({ power }) => (power.supplies = [supply({ totalAmps: 30 })])),
      boards,
    );
    // 3 A do not fit into 3 A with a fifth left unused, but without it they do.
    expect(fed.supplies[0]?.sockets[0]?.feed).toMatchObject({ amps: null, standing: 'unknown' });
    expect(fed.supplies[0]?.load).toBe(3);
  });

  it('no supply is ever loaded beyond its rating, and every board is somewhere', () => {
    const anySupply = fc.record({
      ports: fc.array(fc.double({ min: 0.5, max: 5, noNaN: true }), { maxLength: 6 }),
      totalAmps: fc.double({ min: 0, max: 15, noNaN: true }),
      count: fc.integer({ min: 0, max: 3 }),
    });
    fc.assert(
      fc.property(
        fc.array(anySupply, { minLength: 1, maxLength: 3 }),
        fc.integer({ min: 1, max: 12 }),
        (list, count) => {
          const given = plan(count, ({ power }) => {
            power.supplies = list.map((entry, at) => supply({ ...entry, id: String(at) }));
          });
          const { supplies, unfed } = feedBoards(given, shippedBoards);
          for (const { load, totalAmps, sockets } of supplies) {
            expect(load).toBeLessThanOrEqual(totalAmps + 1e-6);
            for (const { rating, feed } of sockets)
              expect(feed?.amps ?? 0).toBeLessThanOrEqual(rating + 1e-6);
          }
          const plugged = supplies.flatMap(({ sockets }) => sockets.filter(({ feed }) => feed)).length;
          expect(plugged + unfed.length).toBe(count);
        },
      ),
    );
  });
});
