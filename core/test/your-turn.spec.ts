import fc from 'fast-check';
import {
  nestName,
  yourTurn,
  type DeviceFacts,
  type Turn,
  type TurnDevice,
  type TurnFacts,
  type TurnSlot,
} from '../src/index';

const NOW = 1_800_000_000_000;
/** Seconds of a usual first boot here. */
/** Before anything was seen, waiting is normal for so many times the usual. */
const LATE = 2;
const USUAL = 90;

const facts = (change: Partial<DeviceFacts> = {}): DeviceFacts => ({
  stopped: false,
  card: null,
  poweredAt: null,
  seen: null,
  handedOverAt: null,
  firstBootSeconds: USUAL,
  ...change,
});
const verified: DeviceFacts['card'] = { state: 'verified', share: 1, at: NOW };
const seen = (standing: 'proved' | 'guess', alsoAt: string[] = []): DeviceFacts['seen'] => ({
  standing,
  at: NOW,
  alsoAt,
});

/** Devices in A1, A2 … with these facts. */
const batch = (...all: Partial<DeviceFacts>[]): TurnDevice[] =>
  all.map((change, at) => ({
    nest: nestName(0, at),
    hostName: `tank-0${String(at + 1)}`,
    facts: facts(change),
  }));
const slots = (...all: [holds: TurnSlot['holds'], nest?: string][]): TurnSlot[] =>
  all.map(([holds, nest = ''], at) => ({ title: `Slot ${String(at + 1)}`, holds, nest }));
const turn = (change: Partial<TurnFacts>, now = NOW): Turn =>
  yourTurn(
    {
      devices: [],
      slots: slots(['nothing'], ['nothing']),
      shelf: 'ready',
      stops: [],
      blockers: [],
      arming: 0,
      held: false,
      secondsLeft: null,
      searching: false,
      look: '',
      ...change,
    },
    now,
  );
const said = (change: Partial<TurnFacts>, now = NOW): [string, Turn['act']] => {
  const { say, act } = turn(change, now);
  return [say, act];
};
const ago = (seconds: number): number => NOW - seconds * 1000;

describe('your turn', () => {
  it('begins with the boards, then what stops the plan, then the cards', () => {
    expect(said({})).toEqual(['Say how many boards there are, and their names', 'add devices']);
    expect(
      said({ devices: batch({ stopped: true }), shelf: 'empty', stops: ['No image is chosen.'] })[1],
    ).toBe('add image');
    expect(turn({ devices: batch({}), shelf: 'reading', slots: slots(['in work', 'A1']) })).toMatchObject({
      meanwhile: 'a card is being written, the image is being read',
    });
    expect(said({ devices: batch({ stopped: true }), stops: ['No image is chosen.', 'No login.'] })).toEqual([
      'No image is chosen. (first of 2)',
      'see finding',
    ]);
    expect(said({ devices: batch({}, {}, {}) })).toEqual(['Put cards into 2 empty slots', 'put in']);
    expect(said({ devices: batch({}) })).toEqual(['Put a card into 1 empty slot', 'put in']);
  });

  it('takes out before it puts in, and says where to', () => {
    const devices = batch({ card: verified }, {}, { card: verified });
    expect(said({ devices, slots: slots(['verified', 'A1'], ['nothing'], ['verified', 'A3']) })).toEqual([
      'Slots 1 and 3 are verified: take them out, nests A1 and A3',
      'take out',
    ]);
    expect(said({ devices, slots: slots(['nothing'], ['verified', 'A1']) })[0]).toBe(
      'Slot 2 is verified: take it out, nest A1',
    );
  });

  it('arms what is there, asks for the phrase while the question is open, and waits for what is in work', () => {
    const devices = batch({}, {}, {});
    const both = slots(['to write', 'A1'], ['to write', 'A2']);
    expect(said({ devices, slots: both })).toEqual([
      '2 cards can be written: read what will be erased',
      'arm',
    ]);
    expect(said({ devices, slots: both, arming: 2 })).toEqual([
      'Read what will be erased, type erase 2, and confirm',
      null,
    ]);
    expect(said({ devices, slots: both, stops: ['Two devices have one name.'] })).toEqual([
      'Two devices have one name.',
      'see finding',
    ]);
    expect(said({ devices, slots: both, blockers: ['The image is being read.'] })).toEqual([
      'The image is being read.',
      'see cards',
    ]);
    const working = turn({ devices, slots: slots(['in work', 'A1'], ['in work', 'A2']), secondsLeft: 80 });
    expect(working).toEqual({
      say: 'Nothing to do',
      act: null,
      count: 0,
      meanwhile: '2 cards are being written',
      until: NOW + 80_000,
    });
  });

  it('has boards powered while the next cards are written', () => {
    const devices = batch({ card: verified }, { card: { state: 'writing', share: 0.5, at: NOW } });
    const now = turn({ devices, slots: slots(['in work', 'A2']), secondsLeft: 10 });
    expect(now).toMatchObject({
      say: 'Put the card of A1 into its board, power, then press',
      act: 'power',
      meanwhile: 'a card is being written',
    });
    // What is in the reader still is taken out first.
    expect(said({ devices, slots: slots(['verified', 'A1'], ['in work', 'A2']) })[1]).toBe('take out');
  });

  it('searches until boards are there, tells who is late, copied or not proved', () => {
    const booting = (seconds: number): TurnDevice[] => batch({ card: verified, poweredAt: ago(seconds) });
    expect(said({ devices: booting(3) })).toEqual(['Search for 1 board, again until it is there', 'search']);
    expect(turn({ devices: booting(30), searching: true })).toEqual({
      say: 'Nothing to do',
      act: null,
      count: 0,
      meanwhile: 'a search goes on, a board starts',
      until: NOW + 60_000,
    });
    // What is still normal ends later than what is usual.
    expect(turn({ devices: booting(USUAL + 10), searching: true }).until).toBe(
      NOW + (USUAL * LATE - USUAL - 10) * 1000,
    );
    const late = booting(USUAL * LATE + 1);
    expect(said({ devices: late })[1]).toBe('search');
    expect(said({ devices: late, searching: true })).toEqual([
      'tank-01 is late: see what to check',
      'see boot',
    ]);
    // In the words of the search for causes, where the server has them.
    expect(said({ devices: late, searching: true, look: 'Is the power light of A1 (tank-01) on?' })[0]).toBe(
      'tank-01 is late. Is the power light of A1 (tank-01) on?',
    );
    const copied = batch({ card: verified, poweredAt: ago(5), seen: seen('proved', ['127.0.0.9']) });
    expect(said({ devices: copied })[0]).toBe('tank-01 answered at several addresses: a card was copied');
    expect(said({ devices: batch({ card: verified, seen: seen('guess') }) })[0]).toBe(
      'tank-01 answered without proof: see why',
    );
  });

  it('hands over what is proved, and ends', () => {
    const proved = { card: verified, poweredAt: ago(100), seen: seen('proved') };
    expect(said({ devices: batch(proved, proved) })).toEqual([
      'All 2 are proved: hand them over',
      'hand over',
    ]);
    const gone = { ...proved, handedOverAt: NOW };
    expect(said({ devices: batch(gone, proved) })[0]).toBe('Hand over tank-02');
    expect(said({ devices: batch(gone, gone) })).toEqual(['This batch is handed over', null]);
  });

  it('says what a failed, an unfit and a missing reader want', () => {
    const devices = batch({ card: { state: 'failed', share: 0.2, at: NOW } }, {});
    expect(said({ devices, slots: slots(['failed', 'A1'], ['in work', 'A2']) })[1]).toBe('see cards');
    expect(said({ devices, slots: slots(['unfit'], ['unfit']) })[0]).toBe(
      'Slots 1 and 2 cannot be written: put in other cards',
    );
    expect(said({ devices, slots: [] })[0]).toBe('No card reader is here: connect one');
    expect(said({ devices, slots: null })).toEqual(['Looking at the reader', null]);
    expect(said({ devices, held: true, slots: slots(['in work', 'A1']) })[0]).toContain('let it go on');
  });
});

/** A bench on which somebody does nothing but what the line says. */
class Bench {
  now = NOW;
  readonly slots: TurnSlot[];
  readonly devices: TurnDevice[];
  searching = false;
  arming = 0;

  constructor(
    count: number,
    places: number,
    /** Whether a card fails, a board does not answer: drawn once for each question. */
    private readonly luck: () => boolean,
  ) {
    this.slots = slots(...Array.from({ length: places }, (): ['nothing'] => ['nothing']));
    this.devices = batch(...Array.from({ length: count }, () => ({})));
  }

  private change(nest: string, change: Partial<DeviceFacts>): void {
    const device = this.devices.find((one) => one.nest === nest);
    if (device) Object.assign(device.facts, change);
  }

  private holds(what: TurnSlot['holds']): TurnSlot[] {
    return this.slots.filter(({ holds }) => holds === what);
  }

  turn(): Turn {
    const { devices, slots: held, searching, arming } = this;
    return turn({ devices, slots: held, searching, arming }, this.now);
  }

  /** What the person does, or the time that passes while nobody does anything. */
  follow({ act, until }: Turn): void {
    this.now += 1000;
    const open = this.devices.filter(({ facts: { card } }) => card?.state !== 'verified');
    if (this.arming > 0) {
      this.arming = 0;
      for (const slot of this.holds('to write')) {
        slot.holds = 'in work';
        this.change(slot.nest, { card: { state: 'writing', share: 0, at: this.now } });
      }
    } else if (act === 'put in')
      this.holds('nothing').forEach((slot, at) => {
        const device = open[at];
        if (device) Object.assign(slot, { holds: 'to write', nest: device.nest });
      });
    else if (act === 'arm') this.arming = this.holds('to write').length;
    else if (act === 'take out' || act === 'see cards')
      for (const slot of [...this.holds('verified'), ...this.holds('failed')])
        Object.assign(slot, { holds: 'nothing', nest: '' });
    else if (act === 'power') {
      for (const { facts: known } of this.devices)
        if (known.card?.state === 'verified') known.poweredAt ??= this.now;
    } else if (act === 'search' || act === 'see boot') {
      this.searching = true;
      // Whoever is late was looked after: its card seated anew, its light seen.
      for (const { facts: known } of this.devices)
        if (known.poweredAt !== null && this.luck()) known.seen ??= seen('proved');
    } else if (act === 'hand over')
      this.devices.forEach(({ facts: known }) => (known.handedOverAt = this.now));
    else {
      this.now = Math.max(this.now, until ?? 0);
      if (this.searching)
        for (const { facts: known } of this.devices)
          if (known.poweredAt !== null && this.luck()) known.seen ??= seen('proved');
      for (const slot of this.holds('in work')) {
        const state = this.luck() ? 'verified' : 'failed';
        slot.holds = state;
        this.change(slot.nest, { card: { state, share: 1, at: this.now } });
      }
    }
  }
}

it('whoever does nothing but what the line says gets every board handed over, whatever fails on the way', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 9 }),
      fc.integer({ min: 1, max: 6 }),
      fc.array(fc.boolean(), { maxLength: 12 }),
      (count, places, drawn) => {
        const left = [...drawn];
        // After the bad luck that was drawn everything goes well.
        const bench = new Bench(count, places, () => left.pop() ?? true);
        const way: string[] = [];
        for (let step = 0; step < 40 + 12 * count + 6 * drawn.length; step++) {
          const next = bench.turn();
          if (next.say === 'This batch is handed over') return;
          way.push(next.say);
          bench.follow(next);
        }
        throw new Error(`never handed over:\n${way.slice(-15).join('\n')}`);
      },
    ),
    { numRuns: 300 },
  );
});
