import fc from 'fast-check';
import { addDevices } from '../src/plan/fill-tray';
import { emptyPlan } from '../src/plan/model';
import {
  asLabel,
  fillPattern,
  hostNameFault,
  namesFromPattern,
  parseRanges,
  PatternError,
} from '../src/plan/names';
import { nestsOf, parseNest } from '../src/plan/nests';

describe('host names (RFC 1123 section 2.1, RFC 1035 section 2.3.4)', () => {
  it.each([
    ['tank-01', null],
    ['3com', null], // RFC 1123: a digit may come first
    ['a', null],
    ['x'.repeat(63), null],
    ['x'.repeat(64), 'long'],
    ['', 'empty'],
    ['tank_01', 'character'],
    ['tank 01', 'character'],
    ['tank.01', 'character'],
    ['tänk', 'character'],
    ['-tank', 'edge'],
    ['tank-', 'edge'],
  ])('%s → %s', (name, fault) => {
    expect(hostNameFault(name)).toBe(fault);
  });
});

describe('name patterns', () => {
  it('pads and counts', () => {
    expect(namesFromPattern('tank-{n:02}', 3, 9)).toEqual(['tank-09', 'tank-10', 'tank-11']);
    expect(namesFromPattern('{n}-a-{n:03}', 1)).toEqual(['1-a-001']);
  });

  it.each(['tank-{m}', 'tank-{n', 'tank-}', 'tank-{n:2}', 'tank'])('refuses %s with a reason', (pattern) => {
    expect(() => namesFromPattern(pattern, 2)).toThrow(PatternError);
  });

  it.each([0, -1, 1.5, 1001])('refuses a count of %s', (count) => {
    expect(() => namesFromPattern('a{n}', count)).toThrow('between 1 and 1000');
  });
});

describe('patterns with what a device is', () => {
  const at = (n: number, nest: string) => ({ n, nest, role: 'Tank Monitör', site: 'Øst, hall 2' });

  it('write nest, role and site as a host name can hold them', () => {
    expect(fillPattern('{role}-{nest}-{n:02}', [at(7, 'B3')])).toEqual(['tank-monitoer-b3-07']);
    expect(fillPattern('{site}-{nest}', [at(1, 'A1'), at(2, 'A2')])).toEqual([
      'ost-hall-2-a1',
      'ost-hall-2-a2',
    ]);
  });

  it('refuse a pattern that gives all devices one name', () => {
    expect(() => fillPattern('{role}', [at(1, 'A1'), at(2, 'A2')])).toThrow('all devices get the same name');
  });

  it.each([
    ['Øst hall 2', 'ost-hall-2'],
    ['Łódź', 'lodz'],
    ['Straße', 'strasse'],
    ['Ærø', 'aero'],
    ['  Tank monitor! ', 'tank-monitor'],
    ['ﬁsh №5', 'fish-no5'],
    ['Москва', 'moskva'],
    ['***', ''],
  ])('%s becomes %s', (text, label) => {
    expect(asLabel(text)).toBe(label);
  });

  it('letters and digits of a host name stay, in small letters', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a-zA-Z0-9]{1,20}$/), (text) => {
        expect(asLabel(text)).toBe(text.toLowerCase());
      }),
    );
  });

  it('whatever stands in role and site, the name is a host name', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', minLength: 1, maxLength: 12 }), (role) => {
        const label = asLabel(role);
        expect(label === '' || hostNameFault(label) === null).toBe(true);
      }),
    );
  });
});

describe('ranges of numbers', () => {
  it.each([
    ['1-4', [1, 2, 3, 4]],
    ['7', [7]],
    ['1-2, 5; 9–10', [1, 2, 5, 9, 10]],
    ['0-1', [0, 1]],
  ])('%s', (text, numbers) => {
    expect(parseRanges(text)).toEqual(numbers);
  });

  it.each([
    ['', 'Say which numbers'],
    ['a-b', 'not a number or a range'],
    ['-5', 'not a number or a range'],
    ['9-1', 'runs backwards; write 1-9'],
    ['1-3, 2', 'comes twice'],
    ['1-999999', 'between 1 and 1000'],
    ['99999999', 'not a number'],
  ])('refuses "%s" with a reason', (text, reason) => {
    expect(() => parseRanges(text)).toThrow(reason);
  });
});

describe('the tray', () => {
  it('names nests row by row and reads them back', () => {
    expect(nestsOf(2, 3)).toEqual(['A1', 'A2', 'A3', 'B1', 'B2', 'B3']);
    expect(parseNest('B3')).toEqual({ row: 1, column: 2 });
    expect(parseNest('b3')).toBeNull();
    expect(parseNest('A0')).toBeNull();
  });

  it('fills free nests in order and grows when it is full', () => {
    let id = 0;
    let turn = 0;
    const draw = { random: (below: number) => (turn++ * 7) % below, id: () => `id-${String(++id)}` };
    const names = namesFromPattern('t{n}', 12);
    const plan = addDevices({ ...emptyPlan('x'), tray: { rows: 2, columns: 4 } }, names, 'tank', draw);
    expect(plan.tray).toEqual({ rows: 3, columns: 4 });
    expect(plan.devices.map((device) => device.nest)).toEqual(nestsOf(3, 4));
    const without = { ...plan, devices: plan.devices.filter((device) => device.nest !== 'B2') };
    expect(addDevices(without, ['new'], '', draw).devices.at(-1)?.nest).toBe('B2');
  });
});
