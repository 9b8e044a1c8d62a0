import { arrivalsOf, kindOf } from '../boards/arrivals';
import { findBoard, USUAL_FIRST_BOOT_SECONDS, type BoardProfile } from '../boards/profiles';
import { settingsOf } from '../plan/effective';
import { ASKED_SECONDS, measuredBringUp, updatesOf, type BoardTime } from './board-time';
import type { ImageFacts, NetworkFacts, Plan } from '../plan/model';
import { feedBoards } from '../power/power';
import { pooled, quantile, type MeasuredRate } from './rates';
import { simulate, type Bench, type Job, type Run, type SimulatedStep } from './simulate';
import { usesWifi } from '../plan/uses-wifi';

/** What a forecast is made from. */
export interface ForecastInput {
  plan: Plan;
  images: readonly Pick<ImageFacts, 'id' | 'rawSize'>[];
  networks: readonly Pick<NetworkFacts, 'id' | 'poolSize' | 'clientLimit'>[];
  boards: readonly BoardProfile[];
  rates: readonly MeasuredRate[];
  /** Seconds from power-on to proof that this bench has seen, by kind of board. */
  arrivals?: Readonly<Record<string, readonly number[]>>;
  /** How long boards took to be brought up here. */
  times?: readonly BoardTime[];
  /** Devices that still need a card; all when left out. */
  only?: ReadonlySet<string>;
}

/** Where a number comes from, for the screen. */
export interface Basis {
  title: string;
  value: string;
  source: string;
}

export interface Forecast {
  rounds: number;
  /** Seconds until the last device is done: nine of ten runs lie above `early`, nine of ten below `late`. */
  finish: { early: number; middle: number; late: number };
  /** Seconds until the last card is verified. */
  cardsDone: { early: number; middle: number; late: number };
  handsOnSeconds: number;
  /** The resource that was held for the largest share of the time. */
  bottleneck: { resource: string; share: number } | null;
  /** The run with the middle numbers, for the drawing. */
  run: Run;
  /** Number of each resource. */
  resources: Record<string, number>;
  basis: Basis[];
}

/** A forecast cannot be made; the message says what is missing. */
export class ForecastError extends Error {
  override readonly name = 'ForecastError';
}

const MB = 1e6;

/** Factors on a middle value that nobody has measured; a guess, the wider the more honest. */
const bookSpread = { low: 0.65, high: 1.45 };
/** The same for one board among others of its kind. */
const boardSpread = { low: 0.92, high: 1.1 };

/** A repeatable stream of numbers in [0, 1): mulberry32, a public-domain generator. */
export function seeded(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** A draw from a triangular distribution by its inverse; the lowest and highest value bound it. */
export function triangular(low: number, mode: number, high: number, share: number): number {
  if (high <= low) return mode;
  const cut = (mode - low) / (high - low);
  return share < cut
    ? low + Math.sqrt(share * (high - low) * (mode - low))
    : high - Math.sqrt((1 - share) * (high - low) * (high - mode));
}

interface Rate {
  low: number;
  middle: number;
  high: number;
  count: number;
}

const rateOf = (measured: Rate | null, bookMBps: number): Rate =>
  measured ?? {
    low: (bookMBps * MB) / bookSpread.high,
    middle: bookMBps * MB,
    high: (bookMBps * MB) / bookSpread.low,
    count: 0,
  };

/** The work of a batch as jobs: one for each round of cards, then one for each device. */
function jobsOf(
  input: ForecastInput,
  write: Rate,
  verify: Rate,
  vary: (step: string, seconds: number) => number,
  rate: (rate: Rate) => number,
): { jobs: Job[]; rounds: number } {
  const { plan, only } = input;
  const { bench } = plan;
  const jobs: Job[] = [];
  const devices = plan.devices.map((device) => {
    const settings = settingsOf(plan, device);
    return { device, settings, board: findBoard(input.boards, settings.boardProfileId) };
  });
  const unwritten = devices.filter(({ device }) => !only || only.has(device.id));
  // Cards of one image are written together.
  const byImage = new Map<string | null, typeof devices>();
  for (const entry of unwritten) {
    const group = byImage.get(entry.settings.imageId);
    if (group) group.push(entry);
    else byImage.set(entry.settings.imageId, [entry]);
  }
  const roundOf = new Map<string, string>();
  let rounds = 0;
  for (const [imageId, group] of byImage) {
    const image = input.images.find(({ id }) => id === imageId);
    if (!image) throw new ForecastError('Choose an image first: its size tells how long writing takes.');
    for (let at = 0; at < group.length; at += bench.slots) {
      const cards = group.slice(at, at + bench.slots);
      const id = `round-${String(++rounds)}`;
      for (const { device } of cards) roundOf.set(device.id, id);
      const reader = bench.readerMBps * MB;
      const share = (one: number): number => Math.min(one, reader / cards.length);
      const flow = (name: string, one: number): SimulatedStep => ({
        name,
        take: [],
        work: { seconds: image.rawSize / share(one) },
        give: [],
      });
      jobs.push({
        id,
        // A round begins when the one before it in its reader is out.
        after: rounds > bench.readers ? [`round-${String(rounds - bench.readers)}`] : [],
        steps: [
          {
            name: 'swap',
            take: ['reader', 'hands'],
            work: { seconds: vary('swap', bench.swapSeconds * cards.length) },
            give: ['hands'],
          },
          flow('write', rate(write)),
          { ...flow('verify', rate(verify)), give: ['reader'] },
        ],
      });
    }
  }
  for (const { device, settings, board } of devices) {
    const speed = board?.speed ?? 1;
    const radio = board !== null && usesWifi(board, settings);
    const joined = radio ? ['address', 'client'] : ['address'];
    const hands = (name: string, seconds: number): SimulatedStep => ({
      name,
      take: ['hands'],
      work: { seconds: vary(name, seconds) },
      give: ['hands'],
    });
    const alone = (name: string, seconds: number): SimulatedStep => ({
      name,
      take: [],
      work: { seconds: vary(name, seconds) },
      give: [],
    });
    const learns = bench.useMeasured;
    const own = learns ? (input.arrivals?.[kindOf(settings.boardProfileId, settings.imageId)] ?? []) : [];
    const boot = arrivalsOf(board?.firstBootSeconds ?? USUAL_FIRST_BOOT_SECONDS, own).usual;
    const measured =
      plan.bringUp.wanted && learns ? measuredBringUp(plan, settings, input.times ?? []) : null;
    const updates: SimulatedStep[] = (plan.bringUp.wanted ? bench.update && updatesOf(plan) : bench.update)
      ? [
          {
            name: 'download',
            take: [],
            work: {
              flow: 'internet',
              amount: bench.updateMB * MB,
              most: Math.max(1, (bench.internetMbps * MB) / 8),
            },
            give: [],
          },
          alone('update', bench.updateSeconds / speed),
          alone('reboot', bench.rebootSeconds / speed),
        ]
      : [];
    const round = roundOf.get(device.id);
    jobs.push({
      id: device.id,
      after: round === undefined ? [] : [round],
      steps: [
        {
          name: 'boot',
          take: ['port', ...joined],
          work: { seconds: vary('boot', boot) },
          give: [],
        },
        alone('find', bench.findSeconds),
        ...(!plan.bringUp.wanted
          ? [...updates, hands('check', bench.checkSeconds)]
          : side(
              measured ? [alone('bring up', measured.seconds)] : [...updates, alone('check', ASKED_SECONDS)],
            )),
        { ...alone('shut down', bench.shutDownSeconds), give: ['port', ...joined] },
      ],
    });
  }
  return { jobs, rounds };
}

/** Steps that a board goes through while it is one of so many that are brought up side by side. */
const side = (steps: readonly SimulatedStep[]): SimulatedStep[] =>
  steps.map((step, at) => ({
    ...step,
    take: at === 0 ? [...step.take, 'login'] : step.take,
    give: at === steps.length - 1 ? [...step.give, 'login'] : step.give,
  }));

/** How many sockets are under power at once. */
export function poweredPorts(plan: Plan, boards: readonly BoardProfile[]): number {
  if (plan.bench.poweredPorts !== null) return plan.bench.poweredPorts;
  const fed = feedBoards(plan, boards);
  const sockets = fed.supplies.reduce(
    (sum, supply) => sum + supply.sockets.filter(({ feed }) => feed).length,
    0,
  );
  return Math.max(1, fed.supplies.length > 0 ? sockets : plan.devices.length);
}

/** The smallest of the known numbers, or no limit. */
const least = (values: readonly (number | null)[], none: number): number =>
  Math.max(1, Math.min(none, ...values.flatMap((value) => (value === null ? [] : [value]))));

/**
 * Forecasts a batch: one run is simulated with the middle numbers and drawn, the range comes from it and from runs with
 * numbers drawn from their spread.
 * @param runs number of runs behind the range; with one the answer is that of the middle numbers alone
 * @throws ForecastError when the plan lacks what a forecast needs
 */
export function forecast(input: ForecastInput, runs = 24): Forecast {
  const { plan } = input;
  if (plan.devices.length === 0) throw new ForecastError('Add devices first.');
  const measured = plan.bench.useMeasured ? input.rates : [];
  const write = rateOf(pooled(measured, 'write'), plan.bench.cardWriteMBps);
  const verify = rateOf(pooled(measured, 'verify'), plan.bench.cardReadMBps);
  const joined = input.networks.filter(({ id }) => plan.networks.some(({ networkId }) => networkId === id));
  const many = Math.max(1, plan.devices.length);
  const resources = new Map([
    ['reader', plan.bench.readers],
    ['hands', plan.bench.hands],
    ['port', Math.min(many, poweredPorts(plan, input.boards))],
    ...(plan.bringUp.wanted ? [['login', Math.min(many, plan.bringUp.atOnce)] as const] : []),
    [
      'address',
      least(
        joined.map(({ poolSize }) => poolSize),
        many,
      ),
    ],
    [
      'client',
      least(
        joined.map(({ clientLimit }) => clientLimit),
        many,
      ),
    ],
  ]);
  const lineRate = (plan.bench.internetMbps * MB) / 8;
  const bench: Bench = { resources, flows: new Map([['internet', lineRate]]) };
  const middle = jobsOf(
    input,
    write,
    verify,
    (_step, seconds) => seconds,
    (rate) => rate.middle,
  );
  const run = simulate(middle.jobs, bench);
  const cards = (result: Run): number =>
    result.spans.reduce((last, { step, to }) => (step === 'verify' ? Math.max(last, to) : last), 0);
  const random = seeded(2026);
  const ends: number[] = [run.end];
  const cardEnds: number[] = [cards(run)];
  for (let turn = 1; turn < runs; turn++) {
    // What is wrong about a step is wrong for all boards alike; between them they differ less.
    const factors = new Map<string, number>();
    const common = (step: string): number => {
      const known = factors.get(step) ?? triangular(bookSpread.low, 1, bookSpread.high, random());
      factors.set(step, known);
      return known;
    };
    const quick = random();
    const line = triangular(1 / bookSpread.high, 1, 1 / bookSpread.low, random());
    const drawn = simulate(
      jobsOf(
        input,
        write,
        verify,
        (step, seconds) =>
          seconds * common(step) * triangular(boardSpread.low, 1, boardSpread.high, random()),
        ({ low, middle: mode, high }) => triangular(low, mode, high, quick),
      ).jobs,
      { resources, flows: new Map([['internet', lineRate * line]]) },
    );
    ends.push(drawn.end);
    cardEnds.push(cards(drawn));
  }
  const range = (values: readonly number[]): Forecast['finish'] => ({
    early: quantile(values, 0.1),
    middle: quantile(values, 0.5),
    late: quantile(values, 0.9),
  });
  const shares = [...resources].map(([resource, pieces]) => ({
    resource,
    share: run.end > 0 ? (run.busy.get(resource) ?? 0) / (pieces * run.end) : 0,
  }));
  // A resource for which nobody waits holds nobody up, however much it is held.
  const scarce = shares.filter(({ resource }) => (run.waited.get(resource) ?? 0) > 1);
  const hands = run.spans
    .filter(({ held }) => held.includes('hands'))
    .reduce((sum, { from, to }) => sum + (to - from), 0);
  return {
    rounds: middle.rounds,
    finish: range(ends),
    cardsDone: range(cardEnds),
    handsOnSeconds: hands,
    bottleneck: scarce.sort((a, b) => b.share - a.share)[0] ?? null,
    run,
    resources: Object.fromEntries(resources),
    basis: basisOf(input, write, verify),
  };
}

/** How many boards like those of the plan this bench has seen do something. */
function seenOf({ plan }: ForecastInput, count: (kind: string) => number): number {
  const kinds = new Set(
    plan.devices.map((device) => {
      const { boardProfileId, imageId } = settingsOf(plan, device);
      return kindOf(boardProfileId, imageId);
    }),
  );
  return plan.bench.useMeasured ? [...kinds].reduce((sum, kind) => sum + count(kind), 0) : 0;
}

function basisOf(input: ForecastInput, write: Rate, verify: Rate): Basis[] {
  const { plan } = input;
  const boots = seenOf(input, (kind) => input.arrivals?.[kind]?.length ?? 0);
  const brought = seenOf(
    input,
    (kind) =>
      (input.times ?? []).find((time) => time.kind === kind && time.updated === updatesOf(plan))?.seconds
        .length ?? 0,
  );

  const from = (rate: Rate): string =>
    rate.count > 0 ? `measured here on ${String(rate.count)} cards` : 'book value, nothing measured yet';
  const mega = (rate: Rate): string => `${(rate.middle / MB).toPrecision(3)} MB/s`;
  return [
    { title: 'Writing a card', value: mega(write), source: from(write) },
    { title: 'Reading it back', value: mega(verify), source: from(verify) },
    { title: 'Swapping a card', value: `${String(plan.bench.swapSeconds)} s`, source: 'your bench' },
    {
      title: 'First boot',
      value: boots > 0 ? 'as seen' : 'by profile',
      source: boots > 0 ? `board profile, and ${String(boots)} boots seen here` : 'board profile',
    },
    plan.bringUp.wanted
      ? {
          title: 'Bringing up',
          value: `no hands, ${String(plan.bringUp.atOnce)} at once`,
          source:
            brought > 0 ? `measured here on ${String(brought)} boards` : 'book values, nothing measured yet',
        }
      : { title: 'Checking', value: `${String(plan.bench.checkSeconds)} s by hand`, source: 'your bench' },
    {
      title: 'Updates',
      value: plan.bench.update
        ? `${String(plan.bench.updateMB)} MB, then ${String(plan.bench.updateSeconds)} s`
        : 'none',
      source: 'your bench; common practice: 8 to 12 minutes in all',
    },
  ];
}
