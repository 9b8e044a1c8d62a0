import fc from 'fast-check';
import { deviceStanding, type DeviceFacts } from '@nest-mark/core';
import { arcPath } from '../src/app/tray/arc-path';
import { moved, within } from '../src/app/tray/tray-keys';
import { standingWords } from '../src/app/tray/words';
import { matching, type Command } from '../src/app/shell/commands';
import { LogActions, logFeature, logPage } from '../src/app/log/log.reducer';

describe('the ring', () => {
  const ends = (path: string): [number, number][] =>
    [...path.matchAll(/(-?[\d.]+) (-?[\d.]+)(?=A|$)/g)].map((match) => [Number(match[1]), Number(match[2])]);

  it('has five arcs on one circle that do not touch, the first one to the right of the top', () => {
    const points = [0, 1, 2, 3, 4].flatMap((index) => ends(arcPath(index)));
    expect(points).toHaveLength(10);
    for (const [x, y] of points) expect(Math.hypot(x - 32, y - 32)).toBeCloseTo(28, 1);
    expect(points[0]![0]).toBeGreaterThan(32);
    for (let arc = 0; arc < 5; arc++) {
      const [x, y] = points[2 * arc + 1]!;
      const [nextX, nextY] = points[(2 * arc + 2) % 10]!;
      expect(Math.hypot(nextX - x, nextY - y)).toBeGreaterThan(5);
    }
  });

  it('draws a share of an arc from its beginning', () => {
    expect(ends(arcPath(2, 0, 0.5))[0]).toEqual(ends(arcPath(2))[0]);
  });
});

describe('moving in the tray', () => {
  it('never leaves it, whatever is pressed', () => {
    const key = fc.constantFrom('ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight', 'Home', 'End');
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 26 }),
        fc.integer({ min: 1, max: 40 }),
        fc.array(key),
        (rows, columns, keys) => {
          let at = { row: 0, column: 0 };
          for (const pressed of keys) at = moved(pressed, at, rows, columns)!;
          expect(at.row >= 0 && at.row < rows && at.column >= 0 && at.column < columns).toBe(true);
        },
      ),
    );
    expect(moved('x', { row: 0, column: 0 }, 3, 4)).toBeNull();
  });

  it('spans the same rectangle from any two of its corners', () => {
    const [a, b] = [
      { row: 0, column: 2 },
      { row: 2, column: 1 },
    ];
    for (const [one, two] of [
      [a, b],
      [b, a],
    ] as const) {
      expect(within({ row: 1, column: 1 }, one, two)).toBe(true);
      expect(within({ row: 1, column: 0 }, one, two)).toBe(false);
    }
  });
});

describe('words beside the ring', () => {
  const facts: DeviceFacts = {
    stopped: false,
    card: null,
    poweredAt: null,
    seen: null,
    handedOverAt: null,
    firstBootSeconds: 120,
  };
  const words = (change: Partial<DeviceFacts>, now = 0) =>
    standingWords(deviceStanding({ ...facts, ...change }, now), now);

  it('say what a hand is needed for before they say the state', () => {
    expect(words({})).toEqual({ word: 'planned', since: '', hand: false });
    expect(words({ stopped: true })).toMatchObject({ word: 'held', hand: true });
    expect(words({ card: { state: 'failed', share: 0, at: 0 } })).toMatchObject({
      word: 'failed',
      hand: true,
    });
    const ready = { card: { state: 'verified' as const, share: 1, at: 0 }, poweredAt: 0 };
    expect(words(ready, 61_000)).toEqual({ word: 'booting', since: '1:01', hand: false });
    expect(words(ready, 300_000)).toMatchObject({ word: 'missing', since: '5:00', hand: true });
  });
});

describe('the command line', () => {
  const command = (title: string, more = ''): Command => ({
    kind: 'device',
    title,
    more,
    run: () => undefined,
  });
  const all = [command('reed-tank'), command('tank-01', '7KQ4M · A1'), command('tank-02', '8KQ4M · A2')];

  it('finds by every word typed, in name, mark and nest; names that begin so come first', () => {
    expect(matching(all, 'tank').map(({ title }) => title)).toEqual(['tank-01', 'tank-02', 'reed-tank']);
    expect(matching(all, 'TANK a2').map(({ title }) => title)).toEqual(['tank-02']);
    expect(matching(all, 'heron')).toEqual([]);
    expect(
      matching(
        Array.from({ length: 200 }, () => command('x')),
        '',
      ),
    ).toHaveLength(9);
  });
});

describe('the log’s pages', () => {
  const entry = (id: number) => ({
    id: String(id),
    at: 0,
    kind: 'k',
    batchId: null,
    deviceId: null,
    cardSerial: null,
    text: '',
  });
  const page = (from: number, count: number) =>
    Array.from({ length: count }, (_, index) => entry(from - index));

  it('join on to each other when new entries come, and begin anew when there is a gap', () => {
    let state = logFeature.reducer(
      undefined,
      LogActions.newestCame({ question: 0, entries: page(250, logPage) }),
    );
    state = logFeature.reducer(state, LogActions.olderCame({ question: 0, entries: page(150, logPage) }));
    state = logFeature.reducer(state, LogActions.newestCame({ question: 0, entries: page(253, logPage) }));
    expect(state.entries?.map(({ id }) => Number(id))).toEqual(page(253, 203).map(({ id }) => Number(id)));
    state = logFeature.reducer(state, LogActions.newestCame({ question: 0, entries: page(900, logPage) }));
    expect(state.entries).toHaveLength(logPage);
    expect(state.ended).toBe(false);
  });
});
