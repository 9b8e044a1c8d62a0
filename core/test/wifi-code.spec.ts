import fc from 'fast-check';
import {
  emptyNetwork,
  networkOfCode,
  readWifiCode,
  textOrNull,
  writeWifiCode,
  type WifiCode,
  type WifiSecurity,
} from '../src';

/** The text of a Wi-Fi code; its form is common practice, from memory (no standard; the WPA3 specification has the form with R). */

const read = (text: string): Omit<WifiCode, 'ssid' | 'doubt'> & { ssid: string | null } => {
  const { ssid, doubt: _doubt, ...rest } = readWifiCode(text);
  return { ...rest, ssid: textOrNull(ssid) };
};

describe('the text of a Wi-Fi code', () => {
  it('is read with its fields in any order, and with both habits of escaping', () => {
    const wpa = { security: 'wpa2-psk', hidden: false } as const;
    const cases: [string, object][] = [
      [
        'WIFI:T:WPA;S:Saltmarsh Bench;P:low tide at seven;;',
        { ssid: 'Saltmarsh Bench', secret: 'low tide at seven', ...wpa },
      ],
      [
        'WIFI:S:a\\;b\\,c\\:d\\"e\\\\f;P:x\\;yzabcde;T:WPA;;',
        { ssid: 'a;b,c:d"e\\f', secret: 'x;yzabcde', ...wpa },
      ],
      [
        'wifi:s:Bench;p:low tide at seven;h:true;t:wpa;;',
        { ssid: 'Bench', hidden: true, security: 'wpa2-psk' },
      ],
      ['WIFI:T:nopass;S:Quay guests;;', { ssid: 'Quay guests', secret: '', security: 'open' }],
      ['WIFI:S:Quay guests;;', { security: 'open' }],
      ['WIFI:S:Bench;P:low tide at seven;;', { security: 'wpa2-psk' }],
      ['WIFI:T:SAE;S:Bench;P:low tide at seven;;', { security: 'wpa3-sae' }],
      [
        'WIFI:T:WPA;R:1;S:Hut%20%F0%9F%A6%94;P:50%25%20tide;;',
        { ssid: 'Hut 🦔', secret: '50% tide', security: 'wpa3-sae' },
      ],
      // Without R a percent sign is one.
      ['WIFI:T:WPA;S:50%25;P:low tide at seven;;', { ssid: '50%25' }],
      ['WIFI:T:WPA;S:"cafe";P:low tide at seven;;', { ssid: 'cafe' }],
      ['WIFI:T:WEP;S:Attic;P:abcde;;\n', { security: 'wep', secret: 'abcde' }],
    ];
    for (const [text, expected] of cases)
      expect([text, read(text)]).toEqual([text, expect.objectContaining(expected)]);
    expect(readWifiCode('WIFI:T:WPA;S:cafe;P:low tide at seven;;').doubt).toMatch(/some codes mean octets/);
    expect(readWifiCode('WIFI:T:WPA;S:"cafe";P:low tide at seven;;').doubt).toBe('');
  });

  it('that is something else is told, with what to do', () => {
    const refused: [string, RegExp][] = [
      ['https://example.invalid/', /begins with "WIFI:"/],
      ['WIFI:T:WPA;S:Bench;P:low tide', /breaks off/],
      ['WIFI:T:WPA;P:low tide at seven;;', /no name/],
      [`WIFI:T:WPA;S:${'x'.repeat(33)};P:low tide at seven;;`, /more than 32 octets/],
      ['WIFI:T:WPA2-EAP;S:Bench;;', /cannot be prepared/],
      ['WIFI:S:a;S:b;;', /S twice/],
      ['WIFI:R:1;S:50%;P:low tide at seven;;', /% without/],
      [`WIFI:S:${'\\;'.repeat(2000)};;`, /too long/],
    ];
    for (const [text, why] of refused) expect(() => readWifiCode(text)).toThrow(why);
  });

  it('comes back as it was written, with names of any octets and keys of any text', () => {
    const code = fc.record({
      ssid: fc.uint8Array({ minLength: 1, maxLength: 32 }),
      security: fc.constantFrom<WifiSecurity>('open', 'wep', 'wpa2-psk', 'wpa3-sae'),
      secret: fc.string({ unit: 'grapheme', minLength: 1, maxLength: 63 }),
      hidden: fc.boolean(),
    });
    fc.assert(
      fc.property(code, (one) => {
        const { ssid, security, secret, hidden } = readWifiCode(writeWifiCode(one));
        expect([...ssid]).toEqual([...one.ssid]);
        expect({ security, hidden }).toEqual({ security: one.security, hidden: one.hidden });
        expect(secret).toBe(one.security === 'open' ? '' : one.secret);
      }),
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string({ unit: 'binary' }),
          fc.string().map((rest) => `WIFI:${rest}`),
        ),
        (text) => {
          try {
            expect(readWifiCode(text).ssid.length).toBeGreaterThan(0);
          } catch (error) {
            expect((error as Error).name).toBe('WifiCodeError');
          }
        },
      ),
    );
  });

  it('fills a network of the shelf, and leaves what it does not tell', () => {
    const network = { ...emptyNetwork('Bench'), bands: ['5 GHz' as const], poolSize: 9 };
    expect(networkOfCode(network, readWifiCode('WIFI:T:SAE;S:Hall;P:low tide at seven;H:true;;'))).toEqual({
      ...network,
      ssid: 'Hall',
      security: 'wpa3-sae',
      hidden: true,
    });
    const odd = writeWifiCode({
      ssid: Uint8Array.of(0xff, 0x80),
      security: 'open',
      secret: '',
      hidden: false,
    });
    expect(networkOfCode(network, readWifiCode(odd))).toMatchObject({ ssid: 'ff80', ssidForm: 'hex' });
  });
});
