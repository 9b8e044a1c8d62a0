import fc from 'fast-check';
import { findBoard, shippedBoards, type BoardProfile } from '../src/boards/profiles';
import type { Join, NetworkFacts } from '../src/plan/model';
import { searchSubnet } from '../src/plan/search-subnet';
import { channelAllowed, channelMHz, countryRanges, isChannel } from '../src/wifi/channels';
import { countries } from '../src/wifi/countries';
import { candidates, joinsByNetworkManager, joinsByWpaSupplicant } from '../src/plan/join';
import { secretFaults, wepKey } from '../src/wifi/secret';
import { ssidBytes, ssidForms, ssidText } from '../src/wifi/ssid';
import { isTimeZone } from '../src/plan/time-zone';
import { renamedZones, timeZones } from '../src/wifi/time-zones';
import { zoneInCountry } from '../src/wifi/zone-country';
import { inSubnet, subnetHostCount, subnetHosts } from '../src/net/subnet';
import { soundNetwork, soundPlan } from './helpers/plan';

describe('channels', () => {
  // IEEE Std 802.11-2020 section 17.3.8.4.2: centre = starting frequency + 5 MHz × number; annex E for channel 14.
  it.each([
    ['2.4 GHz', 1, 2412],
    ['2.4 GHz', 6, 2437],
    ['2.4 GHz', 13, 2472],
    ['2.4 GHz', 14, 2484],
    ['5 GHz', 36, 5180],
    ['5 GHz', 165, 5825],
    ['6 GHz', 1, 5955],
    ['6 GHz', 2, 5935],
    ['6 GHz', 233, 7115],
  ] as const)('%s channel %i is %i MHz', (band, channel, mhz) => {
    expect(channelMHz(band, channel)).toBe(mhz);
  });

  it.each([
    ['2.4 GHz', 0],
    ['2.4 GHz', 15],
    ['5 GHz', 37],
    ['5 GHz', 148],
    ['6 GHz', 3],
    ['6 GHz', 237],
  ] as const)('%s has no channel %i', (band, channel) => {
    expect(isChannel(band, channel)).toBe(false);
    expect(channelMHz(band, channel)).toBeNull();
  });

  // 12 and 13 are not for everybody, 14 only in one country (common practice, from wireless-regdb).
  it.each([
    ['US', '2.4 GHz', 11, true],
    ['US', '2.4 GHz', 12, false],
    ['US', '2.4 GHz', 13, false],
    ['DK', '2.4 GHz', 13, true],
    ['DK', '2.4 GHz', 14, false],
    ['JP', '2.4 GHz', 14, true],
    ['DK', '5 GHz', 36, true],
    ['DK', '6 GHz', 1, true],
    ['DK', '6 GHz', 233, false],
  ] as const)('%s, %s channel %i: %s', (country, band, channel, allowed) => {
    expect(channelAllowed(country, band, channel)).toBe(allowed);
  });

  it('nothing is said about a country that the database does not list', () => {
    expect(channelAllowed('QQ', '2.4 GHz', 1)).toBeNull();
    const listed = countries.filter(({ code }) => countryRanges(code) !== null);
    expect(listed.length).toBeGreaterThan(150);
    for (const { code } of listed)
      for (const [start, end] of countryRanges(code) ?? []) expect(start).toBeLessThan(end);
  });
});

describe('names as octets', () => {
  it('text and hexadecimal form are one name', () => {
    expect(ssidForms({ ssid: 'Ø', ssidForm: 'text' })).toEqual({ text: 'Ø', hex: 'c398' });
    expect(ssidForms({ ssid: 'C398', ssidForm: 'hex' })).toEqual({ text: 'Ø', hex: 'c398' });
    expect(ssidText({ ssid: 'ff', ssidForm: 'hex' })).toBeNull();
    expect(ssidBytes({ ssid: 'f', ssidForm: 'hex' })).toBeNull();
    expect(ssidBytes({ ssid: 'zz', ssidForm: 'hex' })).toBeNull();
  });

  it('every octet string survives its hexadecimal form', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 32 }), (octets) => {
        const { hex } = ssidForms({ ssid: Buffer.from(octets).toString('hex'), ssidForm: 'hex' });
        expect(ssidBytes({ ssid: hex, ssidForm: 'hex' })).toEqual(Uint8Array.from(octets));
      }),
    );
  });
});

describe('keys of networks', () => {
  it.each([
    ['open', '', []],
    ['open', 'x', ['not-needed']],
    ['wpa2-psk', '', ['missing']],
    ['wpa2-psk', '1234567', ['short']],
    ['wpa2-psk', 'x'.repeat(64), ['long']],
    ['wpa2-psk', 'AB'.repeat(32), []],
    ['wpa2-psk', ' 12345678', ['spaces']],
    ['wpa2-wpa3', 'smörgås-bord', ['characters']],
    // SAE has no key that could stand for the passphrase (IEEE Std 802.11-2020 section 12.4.3).
    ['wpa3-sae', 'AB'.repeat(32), ['long']],
    ['wpa3-sae', '12345678', []],
    ['wpa3-sae', 'smörgås-bord', []],
    ['wpa3-sae', 'smör', ['short']],
    ['wpa3-sae', 'two\nlines of it', ['characters']],
    ['wep', 'abcde', []],
    ['wep', '0123456789', []],
    ['wep', 'abcdef', ['wep-form']],
  ] as const)('%s with "%s": %j', (security, secret, faults) => {
    expect(secretFaults(security, secret)).toEqual(faults);
  });

  it('WEP keys: 5 or 13 characters, or their digits (IEEE Std 802.11-2020 section 12.3.2)', () => {
    expect(wepKey('abcde')).toBe('6162636465');
    expect(wepKey('6162636465')).toBe('6162636465');
    expect(wepKey('a'.repeat(13))).toBe('61'.repeat(13));
    expect(wepKey('a'.repeat(26))).toBe('a'.repeat(26));
    expect(wepKey('a'.repeat(6))).toBeNull();
  });
});

describe('which network a board joins', () => {
  const full = findBoard(shippedBoards, 'full-64') as BoardProfile;
  const compact = findBoard(shippedBoards, 'compact-64') as BoardProfile;
  const at = (id: string, change: Partial<NetworkFacts> = {}): NetworkFacts => ({
    ...soundNetwork(),
    id,
    title: id,
    ...change,
  });
  const join = (networkId: string, priority: number): Join => ({ networkId, priority });
  const titles = (joined: ReturnType<typeof joinsByNetworkManager>): string[] =>
    joined?.networks.map(({ title }) => title) ?? [];

  it('the highest priority that is on the air, by both services', () => {
    const list = candidates(
      full,
      [join('a', 0), join('b', 25), join('c', 30)],
      [at('a'), at('b'), at('c', { heard: false })],
    );
    expect(list.map(({ obstacle }) => obstacle)).toEqual([null, null, 'not-heard']);
    expect(titles(joinsByNetworkManager(list))).toEqual(['b']);
    expect(titles(joinsByWpaSupplicant(list))).toEqual(['b']);
    expect(joinsByNetworkManager(list)?.why).toBe('It has the highest priority.');
  });

  it('of equal priority: left open by the one, better secured first by the other', () => {
    const list = candidates(full, [join('a', 5), join('b', 5)], [at('a', { security: 'open' }), at('b')]);
    expect(titles(joinsByNetworkManager(list))).toEqual(['a', 'b']);
    expect(titles(joinsByWpaSupplicant(list))).toEqual(['b']);
    const alike = candidates(
      full,
      [join('a', 5), join('b', 5)],
      [at('a'), at('b', { security: 'wpa2-wpa3' })],
    );
    expect(titles(joinsByWpaSupplicant(alike))).toEqual(['a', 'b']);
    expect(joinsByWpaSupplicant(alike)?.why).toContain('stronger signal');
  });

  it('not what the radio cannot hear or does not know, nor what left the shelf', () => {
    const shelf = [at('five', { bands: ['5 GHz'] }), at('sae', { security: 'wpa3-sae' }), at('ok')];
    const list = candidates(
      compact,
      [join('five', 9), join('sae', 8), join('gone', 7), join('ok', 1)],
      shelf,
    );
    expect(list.map(({ obstacle }) => obstacle)).toEqual(['band', 'security', 'gone', null]);
    expect(titles(joinsByNetworkManager(list))).toEqual(['ok']);
    expect(joinsByNetworkManager(list)?.why).toBe('It is the only one it can join.');
    expect(joinsByWpaSupplicant(list.slice(0, 3))).toBeNull();
  });

  it('a mixed network takes a radio that knows WPA2 alone', () => {
    const old = { ...compact, wifiSecurity: ['wpa2-psk' as const] };
    expect(candidates(old, [join('a', 1)], [at('a', { security: 'wpa2-wpa3' })])[0]?.obstacle).toBeNull();
  });

  it('the search goes to the subnet of the plan, else to that of the network on the air', () => {
    const plan = soundPlan(1);
    const shelf = [
      at('a', { subnet: '192.168.1.0/24' }),
      at('b', { subnet: '192.168.2.0/24', heard: false }),
    ];
    plan.networks = [join('a', 1), join('b', 2)];
    expect(searchSubnet(plan, shelf)).toBe('192.168.40.0/24');
    plan.network.subnet = ' ';
    expect(searchSubnet(plan, shelf)).toBe('192.168.1.0/24');
    expect(searchSubnet(plan, [])).toBe('');
  });
});

describe('places', () => {
  it.each([
    ['Europe/Copenhagen', 'DK', true],
    ['Europe/Copenhagen', 'FO', false],
    ['Atlantic/Faroe', 'FO', true],
    // An old name of the same zone (IANA backward file).
    ['Asia/Calcutta', 'IN', true],
    ['Asia/Kolkata', 'IN', true],
    ['UTC', 'DK', true],
    ['Etc/GMT+3', 'DK', true],
    ['America/Denver', 'US', true],
  ])('%s in %s: %s', (zone, country, inside) => {
    expect(zoneInCountry(zone, country)).toBe(inside);
  });

  it('zones are offered by their present names, which are the same zones', () => {
    const zones = timeZones();
    expect(zones).toContain('Atlantic/Faroe');
    expect(zones).not.toContain('Atlantic/Faeroe');
    expect(new Set(zones).size).toBe(zones.length);
    for (const zone of zones) expect(isTimeZone(zone)).toBe(true);
    const meant = (zone: string): string =>
      new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone;
    for (const [old, now] of Object.entries(renamedZones)) expect(meant(now)).toBe(meant(old));
  });

  it('subnets hold their own hosts and nobody else’s', () => {
    expect(inSubnet('192.168.9.7', '192.168.8.0/22')).toBe(true);
    expect(inSubnet('192.168.12.7', '192.168.8.0/22')).toBe(false);
    expect(inSubnet('nonsense', '192.168.8.0/22')).toBe(false);
    expect(inSubnet('192.168.9.7', 'nonsense')).toBe(false);
    for (const cidr of ['10.0.0.0/24', '10.0.0.0/30', '10.0.0.0/31', '10.0.0.4/32'])
      expect(subnetHostCount(cidr)).toBe(subnetHosts(cidr).length);
  });
});
