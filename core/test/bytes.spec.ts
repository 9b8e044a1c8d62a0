import fc from 'fast-check';
import { fromBase64, fromHex, toBase64, toHex } from '../src/bytes';

const octets = fc.uint8Array({ maxLength: 200 });

describe('base64 and hexadecimal digits', () => {
  // RFC 4648 section 10.
  it.each([
    ['', '', ''],
    ['f', 'Zg==', '66'],
    ['fo', 'Zm8=', '666f'],
    ['foo', 'Zm9v', '666f6f'],
    ['foob', 'Zm9vYg==', '666f6f62'],
    ['fooba', 'Zm9vYmE=', '666f6f6261'],
    ['foobar', 'Zm9vYmFy', '666f6f626172'],
  ])('of "%s", as the RFC has them', (text, base64, hex) => {
    const bytes = new TextEncoder().encode(text);
    expect([toBase64(bytes), toHex(bytes)]).toEqual([base64, hex]);
    expect([fromBase64(base64), fromHex(hex.toUpperCase())]).toEqual([bytes, bytes]);
  });

  it('are those of the platform for any octets', () => {
    fc.assert(
      fc.property(octets, (bytes) => {
        const platform = Buffer.from(bytes);
        expect(toBase64(bytes)).toBe(platform.toString('base64'));
        expect(toHex(bytes)).toBe(platform.toString('hex'));
        expect(fromBase64(platform.toString('base64'))).toEqual(bytes);
        expect(fromHex(platform.toString('hex'))).toEqual(bytes);
      }),
    );
  });

  it('are refused when they are not what would be written, whatever stands there', () => {
    // A set bit beyond the end, no padding, too much of it, padding in the middle, other alphabets, white space.
    for (const text of [
      'Zh==',
      'Zg',
      'Zg=',
      'Zg===',
      'Z===',
      'Zg==Zg==',
      'Zm-v',
      'Zm_v',
      'Zm9v\n',
      ' Zm9',
      '====',
      '€€€€',
    ])
      expect([text, fromBase64(text)]).toEqual([text, null]);
    for (const text of ['6', '6g', '0x66', ' 66', '66\n', '６６'])
      expect([text, fromHex(text)]).toEqual([text, null]);
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 12 }), (text) => {
        const bytes = fromBase64(text);
        expect(bytes === null || toBase64(bytes) === text).toBe(true);
      }),
    );
  });
});
