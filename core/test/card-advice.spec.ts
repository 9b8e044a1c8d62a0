import { cardAdvice, targetSteps, updateMinutes, type CardWriting } from '../src/index';

const writing = (fault: string | null, writeRate: number | null = 20e6): CardWriting => ({
  at: 0,
  state: fault ? 'failed' : 'verified',
  fault,
  batchName: 'b',
  hostName: 'h',
  mark: 'm',
  nest: 'A1',
  writeRate,
  verifyRate: null,
});
const advice = (...writings: CardWriting[]): string | null =>
  cardAdvice({ writings, retired: false, capacity: null });

describe('advice on a card', () => {
  it('says nothing of a good card, nor of one that a hand pulled or that failed once', () => {
    expect(advice()).toBeNull();
    expect(advice(writing(null), writing(null))).toBeNull();
    expect(advice(writing('pulled'), writing('pulled'), writing('pulled'))).toBeNull();
    expect(advice(writing('io'), writing(null))).toBeNull();
  });

  it('retires a card that gave back other data once, or failed twice of late', () => {
    expect(advice(writing(null), writing('mismatch'))).toContain('Retire it');
    expect(advice(writing('io'), writing(null), writing('stalled'))).toContain('2 of its last 3');
    const old = [null, null, null, null, null, 'io', 'io'].map((fault) => writing(fault));
    expect(advice(...old)).toBeNull();
  });

  it('tells a card that became half as quick as it was', () => {
    expect(advice(...[8, 8, 20, 20].map((rate) => writing(null, rate * 1e6)))).toContain('8 MB/s');
    expect(advice(...[12, 12, 20, 20].map((rate) => writing(null, rate * 1e6)))).toBeNull();
  });

  it('goes by the capacity, and by what a person said', () => {
    const capacity = { state: 'lies' as const, at: 0, text: 'It lies.', realSize: 1, share: 1 };
    expect(cardAdvice({ writings: [], retired: false, capacity })).toBe('Retire it: It lies.');
    expect(cardAdvice({ writings: [], retired: true, capacity: null })).toContain('Retired');
  });
});

describe('steps around media that are no cards', () => {
  it.each([
    [{ storage: 'card', carrierJumpers: 0, carrierSwitch: false }, null],
    [{ storage: 'usb', carrierJumpers: 0, carrierSwitch: false }, ''],
    [{ storage: 'emmc', carrierJumpers: 0, carrierSwitch: false }, ''],
    [{ storage: 'emmc', carrierJumpers: 1, carrierSwitch: false }, 'the jumper is out'],
    [
      { storage: 'emmc', carrierJumpers: 2, carrierSwitch: true },
      'both jumpers are out and the switch is back',
    ],
    [{ storage: 'emmc', carrierJumpers: 0, carrierSwitch: true }, 'the switch is back'],
  ] as const)('of %o end with what has to be confirmed', (board, check) => {
    const steps = targetSteps(board);
    expect(steps?.check ?? null).toBe(check);
    // What was fitted before is undone after.
    if (steps)
      expect(steps.before.filter((step) => /jumper/.test(step) && /Fit/.test(step)).length).toBe(
        steps.after.filter((step) => /jumper/.test(step)).length,
      );
  });
});

it('updates take longer the older the image: 5 minutes fresh to an hour at two years (common practice)', () => {
  expect(updateMinutes(0)).toEqual({ low: 3, high: 8 });
  expect(updateMinutes(-5)).toEqual(updateMinutes(0));
  const years = updateMinutes(730);
  expect(years.low).toBeLessThan(60);
  expect(years.high).toBeGreaterThan(60);
  expect(updateMinutes(5000)).toEqual(years);
});
