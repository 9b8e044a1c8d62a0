import fc from 'fast-check';
import { adviseImages, widthAdvice } from '../src/images/advice';
import { boardProfiles, findBoard, shippedBoards, type BoardProfile } from '../src/boards/profiles';
import { batchSettings, settingsOf, variantsOf, withOverrides } from '../src/plan/effective';
import { emptyPlan, PlanSchema, type ImageFacts } from '../src/plan/model';
import { BoardProfileSchema } from '../src/boards/profiles';
import { PlanFileError, readPlanFile, type PlanFile } from '../src/handover/plan-file';
import { networkId, soundNetwork, soundPlan, viewOf } from './helpers/plan';

const file = (): PlanFile => {
  const { secret: _secret, tried: _tried, ...network } = soundNetwork();
  return {
    format: 'nest-mark-plan',
    version: 1,
    savedAt: '2026-11-25T04:00:00.000Z',
    plan: soundPlan(3),
    networks: [network],
    boards: [boardProfiles[0]!],
    images: [],
  };
};

describe('plan files', () => {
  it('are read back as they were written, with or without a byte-order mark', () => {
    expect(readPlanFile(`\uFEFF${JSON.stringify(file())}`)).toEqual(file());
  });

  it.each([
    ['no JSON', '{"format":', 'it is not JSON'],
    ['other JSON', '{"a":1}', 'is no plan file'],
    ['a newer version', JSON.stringify({ ...file(), version: 2 }), 'saved by a newer program (version 2'],
    [
      'a damaged one',
      JSON.stringify({ ...file(), plan: { ...soundPlan(1), tray: 7 } }),
      'damaged at plan.tray',
    ],
    [
      'absurd numbers',
      JSON.stringify({ ...file(), plan: { ...soundPlan(1), bench: { slots: -4 } } }),
      'damaged at plan.bench.slots',
    ],
    [
      'a board without data',
      JSON.stringify({ ...file(), boards: [{ id: 'x', title: 'x' }] }),
      'damaged at boards.0',
    ],
  ])('%s: a sentence that says what to do', (_name, text, reason) => {
    expect(() => readPlanFile(text)).toThrow(PlanFileError);
    expect(() => readPlanFile(text)).toThrow(reason);
  });

  it('a plan of the first version opens with everything new at its default', () => {
    const { networks: _n, power: _p, kit: _k, bench: _b, ...old } = soundPlan(1);
    const { notes: _notes, overrides: _o, ...device } = old.devices[0]!;
    const { others: _others, passwordScope: _s, ...access } = old.access;
    const opened = PlanSchema.parse({
      ...old,
      access,
      devices: [device],
      wifi: { ssid: 'x', hidden: false },
    });
    expect(opened).toMatchObject({
      networks: [],
      access: { others: [], passwordScope: 'shared' },
      devices: [{ notes: '', overrides: {} }],
      power: { marginPercent: 20, supplies: [] },
      kit: { cardGB: 32 },
      bench: { slots: 4 },
    });
    expect(opened).not.toHaveProperty('wifi');
  });
});

describe('what devices have otherwise than their batch', () => {
  it('is laid over the batch, and taken back', () => {
    const plan = soundPlan(3);
    const ids = new Set([plan.devices[1]!.id]);
    const own = withOverrides(plan, ids, { country: 'DK', userName: 'helper' });
    expect(settingsOf(own, own.devices[1]!)).toMatchObject({
      country: 'DK',
      userName: 'helper',
      timeZone: plan.timeZone,
    });
    expect(settingsOf(own, own.devices[0]!)).toEqual(batchSettings(plan));
    expect(variantsOf(own).map(({ devices }) => devices.length)).toEqual([2, 1]);
    const back = withOverrides(own, ids, { country: undefined, userName: undefined });
    expect(back).toEqual(plan);
  });

  it('groups alike devices, whatever the order in which they were set', () => {
    const plan = soundPlan(3);
    plan.devices[0]!.overrides = { country: 'DK', locale: 'C.UTF-8' };
    plan.devices[1]!.overrides = { locale: 'C.UTF-8', country: 'DK' };
    plan.devices[2]!.overrides = { networks: [{ networkId, priority: 1 }] };
    expect(variantsOf(plan).map(({ devices }) => devices.length)).toEqual([0, 2, 1]);
  });

  it('every device is in one variant, and has its settings', () => {
    const some = fc.record(
      { country: fc.constantFrom('DK', 'FO'), locale: fc.constantFrom('C.UTF-8') },
      { requiredKeys: [] },
    );
    fc.assert(
      fc.property(fc.array(some, { minLength: 1, maxLength: 8 }), (list) => {
        const plan = soundPlan(list.length);
        plan.devices.forEach((device, at) => (device.overrides = { ...list[at] }));
        const variants = variantsOf(plan);
        expect(variants.flatMap(({ devices }) => devices)).toHaveLength(list.length);
        for (const { settings, devices } of variants)
          for (const device of devices) expect(settingsOf(plan, device)).toEqual(settings);
      }),
    );
  });
});

describe('board profiles that ship', () => {
  it('are a dozen, whole, each with an id and a title of its own', () => {
    expect(boardProfiles).toHaveLength(12);
    for (const board of boardProfiles) expect(BoardProfileSchema.safeParse(board).success).toBe(true);
    expect(new Set(boardProfiles.map(({ id }) => id)).size).toBe(12);
    expect(new Set(boardProfiles.map(({ title }) => title)).size).toBe(12);
    for (const { idleMilliamp, typicalMilliamp, peakMilliamp, supplyAmps } of boardProfiles) {
      expect(idleMilliamp!).toBeLessThan(typicalMilliamp!);
      expect(typicalMilliamp!).toBeLessThan(peakMilliamp!);
      expect(peakMilliamp! / 1000).toBeLessThan(supplyAmps!);
    }
  });
});

describe('advice on images', () => {
  const image = (id: string, change: Partial<ImageFacts>): ImageFacts => ({
    ...viewOf(emptyPlan('x')).images[0]!,
    id,
    title: id,
    ...change,
  });
  const board = (id: string) => findBoard(shippedBoards, id) as BoardProfile;
  const shelf = [
    image('desktop-64', { flavour: 'desktop' }),
    image('minimal-64', {}),
    image('minimal-32', { wordBits: 32 }),
    image('unknown', { wordBits: null, flavour: null, method: 'none' }),
  ];
  const best = (id: string): string[] => adviseImages(board(id), shelf, 32e9).map((entry) => entry.image.id);

  it('puts minimal before desktop, and never forbids the desktop', () => {
    expect(best('full-64').slice(0, 2)).toEqual(['minimal-64', 'desktop-64']);
    const desktop = adviseImages(board('full-64'), shelf, 32e9).find(
      ({ image: { id } }) => id === 'desktop-64',
    );
    expect(desktop?.lines.some(({ stands }) => stands === 'against')).toBe(false);
  });

  it('keeps 64 bit away from boards that cannot run it, and says why', () => {
    expect(best('compact-32')[0]).toBe('minimal-32');
    const wide = adviseImages(board('compact-32'), shelf, 32e9).find(
      ({ image: { id } }) => id === 'minimal-64',
    );
    expect(wide?.score).toBeLessThan(0);
    expect(wide?.lines).toContainEqual({
      stands: 'against',
      text: 'It is 64 bit, the board runs 32 bit only.',
      source: 'board profile',
    });
  });

  it('goes by memory where both run', () => {
    expect(widthAdvice(board('full-64')).text).toContain('64 bit');
    expect(widthAdvice(board('compact-64')).text).toContain('32 bit image saves memory');
    expect(widthAdvice(board('compact-32')).text).toContain('nothing wider');
  });

  it('speaks against an image that is larger than the card', () => {
    const [entry] = adviseImages(board('full-64'), [image('large', { rawSize: 9e9 })], 8e9);
    expect(entry?.lines.find(({ stands }) => stands === 'against')?.text).toContain('9 GB');
  });

  it('every line has a source', () => {
    for (const { lines } of adviseImages(board('full-64'), shelf, 32e9))
      for (const { source } of lines) expect(source).not.toBe('');
  });
});
