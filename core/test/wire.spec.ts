import fc from 'fast-check';
import { awgDiameter, longestCable, ohmsPerMetre, pathOhms, voltsAtBoard } from '../src/power/wire';
import type { Cable } from '../src/plan/power-plan';

describe('wire by the American gauge (ASTM B258)', () => {
  // Published table of solid copper at 20 °C, from memory: gauge, diameter in mm, resistance in mΩ/m.
  it.each([
    [10, 2.588, 3.277],
    [14, 1.628, 8.286],
    [18, 1.024, 20.95],
    [22, 0.6438, 52.96],
    [26, 0.4049, 133.9],
    [30, 0.2546, 338.6],
  ])('AWG %i: %s mm, %s mΩ/m', (awg, millimetres, milliohms) => {
    expect(awgDiameter(awg) * 1000).toBeCloseTo(millimetres, 2);
    expect(Math.abs(ohmsPerMetre(awg, 20) * 1000 - milliohms) / milliohms).toBeLessThan(0.005);
  });

  it('is defined by its two ends: AWG 36 is 0.127 mm, AWG 0000 (n = -3) is 11.684 mm', () => {
    expect(awgDiameter(36)).toBeCloseTo(0.127e-3, 9);
    expect(awgDiameter(-3)).toBeCloseTo(11.684e-3, 9);
  });

  it('warm copper resists more: 0.393 % for each kelvin (IEC 60028)', () => {
    expect(ohmsPerMetre(24, 30) / ohmsPerMetre(24, 20)).toBeCloseTo(1.0393, 6);
  });
});

describe('voltage at the board', () => {
  const cable: Cable = { metres: 1, awg: 22, contactMilliohm: 50, celsius: 20, sourceVolts: 5.1 };

  it('worked by hand', () => {
    // AWG 22: 0.05296 Ω/m. There and back over 1 m: 0.10592 Ω, with 0.05 Ω of contacts 0.15592 Ω.
    // At 1.5 A: 0.23388 V are lost, 4.866 V are left.
    expect(pathOhms(cable)).toBeCloseTo(0.1559, 3);
    expect(voltsAtBoard(cable, 1.5)).toBeCloseTo(4.866, 3);
    // At least 4.63 V: 0.47 V may be lost, that is 0.3133 Ω at 1.5 A, less 0.05 Ω: 0.2633 Ω, or 2.486 m.
    expect(longestCable(cable, 1.5, 4.63)).toBeCloseTo(2.486, 2);
  });

  it('is the source’s without a load, and never below zero', () => {
    expect(voltsAtBoard(cable, 0)).toBe(5.1);
    expect(voltsAtBoard({ ...cable, metres: 100, awg: 30 }, 3)).toBe(0);
    expect(longestCable(cable, 0, 4.63)).toBe(Infinity);
    expect(longestCable({ ...cable, contactMilliohm: 1000 }, 2, 4.63)).toBe(0);
  });

  it('at the longest cable exactly the least voltage is left', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 14, max: 30 }),
        fc.double({ min: 0.1, max: 4, noNaN: true }),
        fc.double({ min: 4, max: 4.9, noNaN: true }),
        (awg, amps, least) => {
          const metres = longestCable({ ...cable, awg }, amps, least);
          fc.pre(metres > 0);
          expect(voltsAtBoard({ ...cable, awg, metres }, amps)).toBeCloseTo(least, 9);
        },
      ),
    );
  });
});
