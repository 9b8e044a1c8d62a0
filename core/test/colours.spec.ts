import {
  differenceCiede2000,
  filterDeficiencyDeuter,
  filterDeficiencyProt,
  filterDeficiencyTrit,
  parse,
  wcagContrast,
  type Color,
} from 'culori';
import { coloursOf, labelColours, type Plan } from '../src/index';
import { soundPlan } from './helpers/plan';

/** Differences by culori, a general-purpose library of colour; dichromacies after Machado, Oliveira, Fernandes (2009). */
const dichromat =
  (filter: (colour: Color) => Color) =>
  (hex: string): Color =>
    filter(parse(hex) ?? { mode: 'rgb', r: 0, g: 0, b: 0 });

const eyes: [string, (hex: string) => Color | string][] = [
  ['usual eyes', (hex) => hex],
  ['deuteranopia', dichromat(filterDeficiencyDeuter(1))],
  ['protanopia', dichromat(filterDeficiencyProt(1))],
  ['tritanopia', dichromat(filterDeficiencyTrit(1))],
];

describe('the twelve colours of labels', () => {
  it.each(eyes)('stay apart for %s: 11.9 or more between any two (CIEDE2000)', (_name, seen) => {
    const differ = differenceCiede2000();
    const differences = labelColours.flatMap(({ hex }, at) =>
      labelColours.slice(at + 1).map((other) => differ(seen(hex), seen(other.hex))),
    );
    expect(Math.min(...differences)).toBeGreaterThan(11.9);
  });

  it('carry their letter in an ink that is read on them (WCAG 2.2, 1.4.3)', () => {
    for (const { hex, ink } of labelColours) expect(wcagContrast(hex, ink)).toBeGreaterThanOrEqual(4.5);
  });

  it('have letters in a row, each once', () => {
    expect(labelColours.map(({ letter }) => letter).join('')).toBe('ABCDEFGHIJKL');
  });
});

describe('the colours of a batch', () => {
  const plan = (colours: Plan['handOver']['colours'], roles: readonly string[]): Plan => {
    const sound = soundPlan(roles.length);
    return {
      ...sound,
      handOver: { colours },
      devices: sound.devices.map((device, at) => ({ ...device, role: roles[at] ?? '' })),
    };
  };

  it('go by role in the order of the plan; a device without one has none', () => {
    const given = coloursOf(plan('role', ['tank', 'gate', 'tank', '']));
    expect([...given.values()].map(({ letter, title }) => `${letter} ${title}`)).toEqual([
      'A tank',
      'B gate',
      'A tank',
    ]);
  });

  it('go by device up to twelve, and are none where none are wanted', () => {
    const many = Array.from({ length: 14 }, () => 'tank');
    expect(coloursOf(plan('device', many)).size).toBe(12);
    expect(coloursOf(plan('none', many)).size).toBe(0);
  });
});
