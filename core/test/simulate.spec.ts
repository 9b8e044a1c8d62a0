import fc from 'fast-check';
import { simulate, SimulationError, type Job, type Run, type SimulatedStep } from '../src/forecast/simulate';

const step = (name: string, seconds: number, take: string[] = [], give: string[] = take): SimulatedStep => ({
  name,
  take,
  work: { seconds },
  give,
});
const job = (id: string, ...steps: SimulatedStep[]): Job => ({ id, after: [], steps });
const machines = (count: number) => ({
  resources: new Map([['machine', count]]),
  flows: new Map<string, number>(),
});
/** Jobs of one step on one of several equal machines. */
const tasks = (times: readonly number[]): Job[] =>
  times.map((seconds, index) => job(`job-${String(index)}`, step('work', seconds, ['machine'])));
const makespan = (times: readonly number[], count: number): number =>
  simulate(tasks(times), machines(count)).end;

/** The best that can be: every assignment of the tasks to the machines is looked at. */
function best(times: readonly number[], count: number): number {
  const loads = Array.from({ length: count }, () => 0);
  let least = Infinity;
  const place = (at: number): void => {
    if (at === times.length) {
      least = Math.min(least, Math.max(...loads));
      return;
    }
    for (let machine = 0; machine < count; machine++) {
      loads[machine]! += times[at]!;
      place(at + 1);
      loads[machine]! -= times[at]!;
    }
  };
  place(0);
  return least;
}

function* orders<T>(items: readonly T[]): Generator<T[]> {
  if (items.length < 2) yield [...items];
  for (let at = 0; at < items.length; at++)
    for (const rest of orders([...items.slice(0, at), ...items.slice(at + 1)])) yield [items[at]!, ...rest];
}

describe('the simulation against closed forms', () => {
  it('one machine works off everything one after the other', () => {
    expect(makespan([3, 1, 4, 1, 5], 1)).toBe(14);
  });

  it('without waiting the longest job decides', () => {
    expect(makespan([3, 1, 4, 1, 5], 5)).toBe(5);
  });

  it.each([
    [12, 4, 3],
    [13, 4, 4],
    [1, 4, 1],
    [8, 3, 3],
  ])('%i equal jobs on %i machines take %i turns', (jobs, count, turns) => {
    expect(
      makespan(
        Array.from({ length: jobs }, () => 7),
        count,
      ),
    ).toBe(turns * 7);
  });

  it('a line that all share equally: n jobs of one amount end together after n times as long', () => {
    const load = (id: string): Job =>
      job(id, { name: 'load', take: [], work: { flow: 'line', amount: 100, most: 50 }, give: [] });
    const bench = { resources: new Map<string, number>(), flows: new Map([['line', 20]]) };
    expect(simulate([load('a')], bench).end).toBeCloseTo(5, 9);
    expect(simulate(['a', 'b', 'c', 'd'].map(load), bench).end).toBeCloseTo(20, 9);
    // Nobody goes faster than its own most, however wide the line.
    expect(simulate(['a', 'b'].map(load), { ...bench, flows: new Map([['line', 1000]]) }).end).toBeCloseTo(
      2,
      9,
    );
  });

  it('a late user of the line: worked by hand', () => {
    // a has 100 alone for 2 s at 20: 60 left. Then both share: b's 30 take 3 s at 10, a has 30 left: 1.5 s at 20.
    const flow = (amount: number): SimulatedStep['work'] => ({ flow: 'line', amount, most: 100 });
    const jobs = [
      job('a', { name: 'load', take: [], work: flow(100), give: [] }),
      job('b', step('wait', 2), { name: 'load', take: [], work: flow(30), give: [] }),
    ];
    const run = simulate(jobs, { resources: new Map(), flows: new Map([['line', 20]]) });
    const end = (id: string): number => run.spans.filter((span) => span.job === id).at(-1)?.to ?? NaN;
    expect(end('b')).toBeCloseTo(5, 9);
    expect(end('a')).toBeCloseTo(6.5, 9);
  });

  it('a job begins when those before it have ended', () => {
    const jobs: Job[] = [
      { ...job('late', step('work', 1)), after: ['slow', 'quick'] },
      job('slow', step('work', 5)),
      job('quick', step('work', 2)),
    ];
    expect(simulate(jobs, machines(1)).spans.at(-1)).toMatchObject({ job: 'late', from: 5, to: 6 });
  });

  it('whoever holds one thing and waits for another keeps the first: worked by hand', () => {
    // Two sockets, one pair of hands: boot 10 (socket), check 4 (socket and hands), four boards.
    const board = (id: string): Job =>
      job(id, step('boot', 10, ['socket'], []), {
        ...step('check', 4, ['hands']),
        give: ['hands', 'socket'],
      });
    const run = simulate(['a', 'b', 'c', 'd'].map(board), {
      resources: new Map([
        ['socket', 2],
        ['hands', 1],
      ]),
      flows: new Map(),
    });
    // a 0-14, b 0-18, c 14-28, d 18-32.
    expect(run.end).toBe(32);
    expect(run.busy.get('hands')).toBe(16);
    expect(run.busy.get('socket')).toBe(14 + 18 + 14 + 14);
  });
});

describe('the simulation against every possible plan', () => {
  const times = fc.array(fc.integer({ min: 1, max: 20 }), { minLength: 1, maxLength: 8 });

  it('longest task first stays within 4/3 - 1/(3m) of the best (Graham 1969)', () => {
    fc.assert(
      fc.property(times, fc.integer({ min: 2, max: 3 }), (list, count) => {
        const longestFirst = makespan(
          [...list].sort((a, b) => b - a),
          count,
        );
        const optimum = best(list, count);
        expect(longestFirst).toBeGreaterThanOrEqual(optimum);
        expect(longestFirst).toBeLessThanOrEqual((4 / 3 - 1 / (3 * count)) * optimum + 1e-9);
      }),
      { numRuns: 60 },
    );
  });

  it('reaches the bound where Graham’s example says so', () => {
    // Two machines, tasks 3 3 2 2 2: longest first ends at 7, the best is 6; 7/6 = 4/3 - 1/6.
    expect(makespan([3, 3, 2, 2, 2], 2)).toBe(7);
    expect(best([3, 3, 2, 2, 2], 2)).toBe(6);
  });

  it('the best order of the jobs is the best plan there is', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 6 }), (list) => {
        const found = Math.min(...[...orders(list)].map((order) => makespan(order, 2)));
        expect(found).toBe(best(list, 2));
      }),
      { numRuns: 12 },
    );
  });
});

describe('the simulation keeps its promises', () => {
  const resources = { socket: 2, hands: 1, reader: 1 };
  const names = Object.keys(resources);
  const anyJob = fc
    .array(
      fc.record({
        seconds: fc.integer({ min: 0, max: 9 }),
        // At most one at a time, so that nobody can wait for each other in a ring.
        take: fc.option(fc.constantFrom(...names), { nil: null }),
      }),
      { minLength: 1, maxLength: 5 },
    )
    .map((steps) =>
      steps.map(({ seconds, take }, at) => step(`s${String(at)}`, seconds, take ? [take] : [])),
    );

  const used = (run: Run, name: string, at: number): number =>
    run.spans.filter(({ held, from, to }) => held.includes(name) && from <= at && at < to).length;

  it('nothing is held more often than it is there, every step happens, in order', () => {
    fc.assert(
      fc.property(fc.array(anyJob, { minLength: 1, maxLength: 7 }), (list) => {
        const jobs = list.map((steps, index): Job => job(`j${String(index)}`, ...steps));
        const run = simulate(jobs, { resources: new Map(Object.entries(resources)), flows: new Map() });
        expect(run.spans).toHaveLength(list.flat().length);
        for (const { from } of run.spans)
          for (const name of names)
            expect(used(run, name, from)).toBeLessThanOrEqual(resources[name as keyof typeof resources]);
        for (const one of jobs) {
          const own = run.spans.filter((span) => span.job === one.id);
          expect(own.map((span) => span.step)).toEqual(one.steps.map(({ name }) => name));
          own.slice(1).forEach((span, at) => expect(span.from).toBeGreaterThanOrEqual(own[at]!.to));
        }
        const work = (name: string): number =>
          list
            .flat()
            .reduce(
              (sum, { take, work: given }) =>
                sum + (take.includes(name) && 'seconds' in given ? given.seconds : 0),
              0,
            );
        for (const name of names) expect(run.busy.get(name) ?? 0).toBe(work(name));
      }),
    );
  });

  it('says so when something is missing, has no rate, or waits for ever', () => {
    const bench = { resources: new Map([['a', 1]]), flows: new Map([['line', 0]]) };
    expect(() => simulate([job('x', step('s', 1, ['b']))], bench)).toThrow('no b on the bench');
    const flow: SimulatedStep = { name: 's', take: [], work: { flow: 'line', amount: 1, most: 1 }, give: [] };
    expect(() => simulate([job('x', flow)], bench)).toThrow('no rate');
    const ring: Job[] = [
      { ...job('x', step('s', 1)), after: ['y'] },
      { ...job('y', step('s', 1)), after: ['x'] },
    ];
    expect(() => simulate(ring, bench)).toThrow(SimulationError);
  });
});
