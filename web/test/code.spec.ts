import fc from 'fast-check';
import { create } from 'qrcode';
import { readWifiCode, writeWifiCode } from '@nest-mark/core';
import { answerCode } from '../src/app/workers/code.answer';
import type { CodeRequest } from '../src/app/workers/code.messages';

/** Codes drawn by another library (qrcode 1.5.4) are read from their points. */

function drawn(octets: Uint8Array, { scale = 3, dark = 0, light = 255 } = {}): CodeRequest {
  const { modules } = create([{ data: Uint8ClampedArray.from(octets), mode: 'byte' }]);
  const side = (modules.size + 8) * scale;
  const points = new Uint8ClampedArray(side * side * 4);
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const row = Math.floor(y / scale) - 4;
      const column = Math.floor(x / scale) - 4;
      const inside = row >= 0 && column >= 0 && row < modules.size && column < modules.size;
      const value = inside && modules.get(row, column) !== 0 ? dark : light;
      points.set([value, value, value, 255], (y * side + x) * 4);
    }
  return { points, width: side, height: side };
}

describe('a code in a picture', () => {
  it('comes back octet by octet, with names that are no text too', () => {
    const code = fc.record({
      ssid: fc.uint8Array({ minLength: 1, maxLength: 32 }),
      security: fc.constantFrom('open' as const, 'wpa2-psk' as const, 'wpa3-sae' as const),
      secret: fc.string({ unit: 'grapheme-ascii', minLength: 8, maxLength: 40 }),
      hidden: fc.boolean(),
    });
    fc.assert(
      fc.property(code, (one) => {
        const written = writeWifiCode(one);
        const { octets } = answerCode(drawn(written));
        expect(octets && [...octets]).toEqual([...written]);
        expect(octets && [...readWifiCode(octets).ssid]).toEqual([...one.ssid]);
      }),
      { numRuns: 15 },
    );
  });

  it('is found light on dark as well; where there is none, that is said', () => {
    const written = writeWifiCode({
      ssid: new TextEncoder().encode('Saltmarsh Bench'),
      security: 'wpa2-psk',
      secret: 'low tide at seven',
      hidden: false,
    });
    expect(answerCode(drawn(written, { dark: 255, light: 0 })).octets).toEqual(Uint8Array.from(written));
    const blank = new Uint8ClampedArray(200 * 200 * 4).fill(255);
    expect(answerCode({ points: blank, width: 200, height: 200 })).toEqual({ octets: null });
  });
});
