import { pbkdf2Sync } from 'node:crypto';
import fc from 'fast-check';
import { countries, isCountry } from '../src/wifi/countries';
import { passphraseKind, preSharedKey } from '../src/wifi/psk';
import { ssidOctets } from '../src/wifi/ssid';
import { run } from './helpers/reference';

describe('Wi-Fi keys', () => {
  // The three examples of IEEE Std 802.11-2020 annex J.4.2.
  it.each([
    ['IEEE', 'password', 'f42c6fc52df0ebef9ebb4b90b38a5f902e83fe1b135a70e23aed762e9710a12e'],
    ['ThisIsASSID', 'ThisIsAPassword', '0dc0d6eb90555ed6419756b9a15ec3e3209b63df707dd508d14581f8982721af'],
    ['Z'.repeat(32), 'a'.repeat(32), 'becb93866bb8c3832cb777c2f559807c8c59afcb6eae734885001300a981cc62'],
  ])('%s', (ssid, passphrase, key) => {
    expect(preSharedKey(ssid, passphrase)).toBe(key);
  });

  it.each([
    ['Salt Marsh', 'oysters & tides 42'],
    ['Østersvik', 'with "quotes" and \\'],
    ['#lab', '        '],
  ])('equals wpa_passphrase for %s', (ssid, passphrase) => {
    const printed = run('wpa_passphrase', [ssid, passphrase]);
    expect(/^\tpsk=([0-9a-f]{64})$/m.exec(printed)?.[1]).toBe(preSharedKey(ssid, passphrase));
  });

  it('equals the platform’s PBKDF2 for random names and passphrases', () => {
    fc.assert(
      fc.property(
        fc.string({ minLength: 1, maxLength: 10, unit: 'grapheme' }),
        fc.stringMatching(/^[ -~]{8,63}$/),
        (ssid, secret) => {
          fc.pre(!/^[0-9A-Fa-f]{64}$/.test(secret));
          expect(preSharedKey(ssid, secret)).toBe(pbkdf2Sync(secret, ssid, 4096, 32, 'sha1').toString('hex'));
        },
      ),
      { numRuns: 20 },
    );
  });

  it('tells passphrases, keys and neither apart', () => {
    expect(passphraseKind('1234567')).toBeNull();
    expect(passphraseKind('12345678')).toBe('passphrase');
    expect(passphraseKind('x'.repeat(63))).toBe('passphrase');
    expect(passphraseKind('x'.repeat(64))).toBeNull();
    expect(passphraseKind('Ab'.repeat(32))).toBe('key');
    expect(passphraseKind('pässword1')).toBeNull();
    expect(preSharedKey('any', 'AB'.repeat(32))).toBe('ab'.repeat(32));
    expect(() => preSharedKey('any', 'short')).toThrow(RangeError);
  });

  it('counts octets, not letters', () => {
    expect(ssidOctets('Østersvik')).toBe(10);
    expect(ssidOctets('🦪')).toBe(4);
  });
});

describe('countries (ISO 3166-1)', () => {
  it('knows 249 of them, capitals only', () => {
    expect(countries).toHaveLength(249);
    expect(isCountry('FO')).toBe(true);
    expect(isCountry('fo')).toBe(false);
    expect(isCountry('ZZ')).toBe(false);
    expect(isCountry('UK')).toBe(false);
  });
});
