import type { Arc } from '@nest-mark/core';
import { StableRings } from '../src/app/tray/stable-rings';

const ring = (share: number, mode: Arc['mode'] = 'hatched'): Arc[] => [
  { stage: 'plan', mode: 'solid', share: 1, word: '' },
  { stage: 'cards', mode, share, word: '' },
];

describe('rings that look the same', () => {
  it('are the very ones of last time, each device’s own', () => {
    const rings = new StableRings();
    const first = rings.of('a', ring(0.5));
    expect(rings.of('a', ring(0.5))).toBe(first);
    expect(rings.of('b', ring(0.5))).not.toBe(first);
    const further = rings.of('a', ring(0.6));
    expect(further).toEqual(ring(0.6));
    expect(rings.of('a', ring(0.6))).toBe(further);
    expect(rings.of('a', ring(0.6, 'notched'))).toEqual(ring(0.6, 'notched'));
    expect(rings.of('a', ring(0.6).slice(0, 1))).toHaveLength(1);
  });
});
