import fc from 'fast-check';
import { addDevices } from '../src/batch/fill-tray';
import { emptyPlan } from '../src/batch/model';
import { hostNameFault, namesFromList, namesFromPattern, PatternError } from '../src/batch/names';
import { nestsOf, parseNest } from '../src/batch/nests';

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

describe('pasted lists', () => {
  it('reports blanks and duplicates by line, whatever the line ends', () => {
    expect(namesFromList('\uFEFFgate-01\r\n\r\n GATE-01 \rgate-02\n')).toEqual({
      names: ['gate-01', 'gate-02'],
      skipped: [
        { line: 2, text: '', reason: 'blank' },
        { line: 3, text: 'GATE-01', reason: 'duplicate' },
      ],
    });
  });

  it('accounts for every line', () => {
    fc.assert(
      fc.property(fc.array(fc.stringMatching(/^[a-cA-C ]{0,2}$/), { minLength: 1 }), (lines) => {
        const { names, skipped } = namesFromList(lines.join('\n'));
        const trailing = lines.at(-1)?.trim() === '' ? 1 : 0;
        expect(names.length + skipped.length).toBe(lines.length - trailing);
        expect(new Set(names.map((name) => name.toLowerCase())).size).toBe(names.length);
      }),
    );
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
