import { mod37_36 } from 'cdigit';
import { checkCharacter, drawMark, isMark, normaliseMark } from '../src/plan/marks';

const alphabet = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';

/** A small repeatable generator (mulberry32), so that a failure can be run again. */
function seeded(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) % below;
  };
}

describe('marks', () => {
  // A published MOD 37,36 number: the sample identifier of the Global Release Identifier standard (from memory),
  // which the general-purpose package cdigit confirms below.
  it('computes the check character of a published number', () => {
    expect(checkCharacter('A12425GABC1234002')).toBe('M');
  });

  it('agrees with the package cdigit on 5,000 payloads', () => {
    const random = seeded(1);
    const wrong: string[] = [];
    for (let round = 0; round < 5000; round++) {
      const payload = Array.from({ length: 1 + random(12) }, () => alphabet.charAt(random(36))).join('');
      if (checkCharacter(payload) !== mod37_36.compute(payload)) wrong.push(payload);
    }
    expect(wrong).toEqual([]);
  });

  it('catches every single wrong character, exhaustively over 200 marks', () => {
    const random = seeded(2);
    const taken = new Set<string>();
    const missed: string[] = [];
    for (let round = 0; round < 200; round++) {
      const mark = drawMark(random, taken);
      taken.add(mark);
      expect(isMark(mark)).toBe(true);
      for (let at = 0; at < mark.length; at++)
        for (const char of alphabet) {
          const other = mark.slice(0, at) + char + mark.slice(at + 1);
          if (char !== mark[at] && isMark(other)) missed.push(other);
        }
    }
    expect(missed).toEqual([]);
    expect(taken.size).toBe(200);
  });

  it('draws no look-alikes and nothing that is taken', () => {
    const random = seeded(3);
    const taken = new Set<string>();
    for (let round = 0; round < 2000; round++) {
      const mark = drawMark(random, taken);
      expect(mark).toMatch(/^[2-9A-HJKMNP-Z]{5}$/);
      expect(taken.has(mark)).toBe(false);
      taken.add(mark);
    }
  });

  it('gives up with a sentence when nothing is free', () => {
    const mark = drawMark(() => 0, new Set());
    expect(() => drawMark(() => 0, new Set([mark]))).toThrow('retire old batches');
  });

  it('reads typed marks in small letters with spaces, and refuses other characters', () => {
    const mark = drawMark(seeded(4), new Set());
    expect(normaliseMark(` ${mark.slice(0, 2).toLowerCase()}-${mark.slice(2)} `)).toBe(mark);
    expect(isMark('')).toBe(false);
    expect(() => checkCharacter('ab')).toThrow(RangeError);
  });
});
