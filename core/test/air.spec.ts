import fc from 'fast-check';
import { countHearing, emptyNetwork, fromHex, toHex, utf8, type Network } from '../src';
import { boardProfiles } from '../src/boards/profiles';
import {
  airChanges,
  bandsOf,
  cannotTake,
  gathered,
  isWeak,
  iwName,
  lookAlikesOf,
  readIwScan,
  readNmcliList,
  seenAs,
  takenFromAir,
  trialCommands,
  trialSign,
  type HeardPoint,
} from '../src/in-air';
import { soundPlan } from './helpers/plan';

/**
 * What radios hear. The outputs were recorded from iw 5.19 and NetworkManager 1.42 of Debian 12 over simulated radios with
 * hostapd 2.10; the names are invented.
 */

const IW = `BSS 02:00:00:00:04:00(on wlan0)
	last seen: 22.340s [boottime]
	TSF: 1732900000 usec (0d, 00:28:52)
	freq: 2437
	beacon interval: 100 TUs
	capability: ESS Privacy ShortSlotTime (0x0411)
	signal: -30.00 dBm
	last seen: 4 ms ago
	Information elements from Probe Response frame:
	SSID: Larch Mixed
	Supported rates: 1.0* 2.0* 5.5* 11.0*
	DS Parameter set: channel 6
	Country: DE	Environment: Indoor/Outdoor
		Channels [1 - 13] @ 20 dBm
	RSN:	 * Version: 1
		 * Group cipher: CCMP
		 * Pairwise ciphers: CCMP
		 * Authentication suites: PSK SAE
		 * Capabilities: 16-PTKSA-RC 1-GTKSA-RC MFP-capable (0x008c)
	Extended capabilities:
		 * SSID List
BSS 02:00:00:00:05:00(on wlan0) -- associated
	freq: 5180.0
	capability: ESS Privacy (0x0011)
	signal: -61.00 dBm
	SSID: Larch Bench\\x20
	WPA:	 * Version: 1
		 * Group cipher: TKIP
		 * Pairwise ciphers: TKIP CCMP
		 * Authentication suites: PSK
	RSN:	 * Version: 1
		 * Group cipher: TKIP
		 * Pairwise ciphers: TKIP CCMP
		 * Authentication suites: PSK
BSS 02:00:00:00:06:00(on wlan0)
	freq: 2412
	capability: ESS (0x0401)
	signal: -70.00 dBm
	SSID: Hut \\xf0\\x9f\\xa6\\x94 "B" \\x5c :x
BSS 02:00:00:00:07:00(on wlan0)
	freq: 2412
	capability: ESS Privacy (0x0411)
	signal: -71.00 dBm
	SSID: \\x00\\x00\\x00
	RSN:	 * Version: 1
		 * Authentication suites: IEEE 802.1X FT/IEEE 802.1X
BSS 02:00:00:00:08:00(on wlan0)
	freq: 2462
	capability: ESS Privacy (0x0411)
	signal: -72.00 dBm
	SSID: Larch \\xd0\\x92ench
`;

const NMCLI = `4C61726368204D69786564:02\\:00\\:00\\:00\\:04\\:00:Infra:2437 MHz:100:WPA2 WPA3:(none):pair_ccmp group_ccmp psk sae
4C617263682042656E636820:02\\:00\\:00\\:00\\:05\\:00:Infra:5180 MHz:78:WPA1 WPA2:pair_tkip pair_ccmp group_tkip psk:pair_tkip pair_ccmp group_tkip psk
48757420F09FA69420224222205C203A78:02\\:00\\:00\\:00\\:06\\:00:Infra:2412 MHz:60::(none):(none)
:02\\:00\\:00\\:00\\:07\\:00:Infra:2412 MHz:58:WPA2 802.1X:(none):pair_ccmp group_ccmp 802.1X
4C6172636820D092656E6368:02\\:00\\:00\\:00\\:08\\:00:Infra:2462 MHz:56:WEP:(none):(none)
`;

const point = (change: Partial<HeardPoint> = {}): HeardPoint => ({
  bssid: '02:00:00:00:04:00',
  ssidHex: toHex(utf8('Saltmarsh Bench')),
  band: '2.4 GHz',
  channel: 6,
  mhz: 2437,
  signal: -40,
  quality: null,
  security: 'wpa2-psk',
  country: 'DK',
  ...change,
});

describe('what iw and nmcli print', () => {
  it('comes to the same points: names octet by octet, bands, channels, security', () => {
    const iw = readIwScan(IW);
    expect(
      iw.map(({ bssid, ssidHex, band, channel, security }) => [
        bssid.slice(9, 11),
        ssidHex,
        band,
        channel,
        security,
      ]),
    ).toEqual([
      ['00', toHex(utf8('Larch Mixed')), '2.4 GHz', 6, 'wpa2-wpa3'],
      ['00', toHex(utf8('Larch Bench ')), '5 GHz', 36, 'wpa-wpa2'],
      ['00', toHex(utf8('Hut 🦔 "B" \\ :x')), '2.4 GHz', 1, 'open'],
      ['00', '', '2.4 GHz', 1, 'enterprise'],
      ['00', toHex(utf8('Larch Вench')), '2.4 GHz', 11, 'wep'],
    ]);
    expect(iw[0]).toMatchObject({ signal: -30, country: 'DE', quality: null });
    const same = ({ bssid, ssidHex, band, channel, mhz, security }: HeardPoint): unknown => ({
      bssid,
      ssidHex,
      band,
      channel,
      mhz,
      security,
    });
    expect(readNmcliList(NMCLI).map(same)).toEqual(iw.map(same));
    expect(readNmcliList(NMCLI)[1]).toMatchObject({ signal: null, quality: 78 });
  });

  it('names of any octets come back from the way in which iw writes them', () => {
    // As iw 5.19 does it (util.c, print_ssid_escaped).
    const written = (octets: Uint8Array): string =>
      [...octets]
        .map((octet, at) =>
          octet > 0x20 && octet < 0x7f && octet !== 0x5c
            ? String.fromCharCode(octet)
            : octet === 0x20 && at !== 0 && at !== octets.length - 1
              ? ' '
              : `\\x${octet.toString(16).padStart(2, '0')}`,
        )
        .join('');
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 32 }), (octets) => {
        expect(iwName(written(octets))).toEqual(Uint8Array.from(octets));
      }),
    );
    expect(iwName('x'.repeat(33))).toBeNull();
    expect(iwName('tab\there')).toBeNull();
  });

  it('whatever comes, only sound points come of it', () => {
    const lines = fc.oneof(
      fc.constantFrom(...IW.split('\n'), ...NMCLI.split('\n')),
      fc.string({ unit: 'binary', maxLength: 60 }),
      fc.constantFrom(
        'BSS 02:00:00:00:04:00(on x)',
        '\tfreq: -5',
        '\tfreq: 99999',
        '\tSSID: \\xzz',
        '\tsignal: loud dBm',
      ),
    );
    fc.assert(
      fc.property(fc.array(lines, { maxLength: 40 }), (all) => {
        for (const read of [readIwScan, readNmcliList])
          for (const one of read(all.join('\n'))) {
            expect(one.ssidHex).toMatch(/^([0-9a-f]{2}){0,32}$/);
            expect(one.bssid).toMatch(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/);
            expect(one.channel).toBeGreaterThan(0);
            expect(one.signal === null || Number.isFinite(one.signal)).toBe(true);
          }
      }),
    );
  });
});

describe('access points of the air', () => {
  it('are one network where they have one name; one that is heard twice counts once, with its name', () => {
    const other = point({ bssid: '02:00:00:00:04:01', band: '5 GHz', channel: 36, mhz: 5180, signal: -60 });
    const hidden = point({ bssid: '02:00:00:00:09:00', ssidHex: '', signal: -20 });
    const told = point({ bssid: '02:00:00:00:09:00', ssidHex: toHex(utf8('Attic')), signal: -25 });
    const nets = gathered([hidden, other, point(), told, point({ signal: -80 })]);
    expect(nets.map(({ text, points }) => [text, points.map(({ signal }) => signal)])).toEqual([
      ['Attic', [-25]],
      ['Saltmarsh Bench', [-40, -60]],
    ]);
    expect(nets[1] && bandsOf(nets[1])).toEqual(['2.4 GHz', '5 GHz']);
    expect(gathered([hidden])[0]).toMatchObject({ ssidHex: '', text: '' });
  });

  it('are weak where the loudest of them is; what tells no signal is not called so', () => {
    const far = point({ bssid: '02:00:00:00:04:01', signal: -75 });
    const weak = (...points: HeardPoint[]): boolean[] => gathered(points).map(isWeak);
    expect(weak(far)).toEqual([true]);
    expect(weak(far, point({ signal: -74 }))).toEqual([false]);
    expect(weak(point({ signal: null, quality: 3 }))).toEqual([false]);
  });

  it('are heard by the boards of a plan whose radio has one of their bands, each by its own profile', () => {
    const plan = soundPlan();
    const [first] = plan.devices;
    const only24 = boardProfiles.find(({ wifiBands }) => wifiBands.join() === '2.4 GHz')!;
    const both = boardProfiles.find(({ wifiBands }) => wifiBands.includes('5 GHz'))!;
    const mixed = {
      boardProfileId: only24.id,
      devices: plan.devices.map((device) => ({
        ...device,
        overrides: device === first ? { ...device.overrides, boardProfileId: both.id } : {},
      })),
    };
    const count = plan.devices.length;
    expect(countHearing(mixed, boardProfiles, ['5 GHz'])).toBe(1);
    expect(countHearing(mixed, boardProfiles, ['2.4 GHz', '5 GHz'])).toBe(count);
    // Nothing is said against a board of which nothing is known.
    expect(countHearing({ ...mixed, boardProfileId: 'gone' }, boardProfiles, ['5 GHz'])).toBe(count);
  });

  it('that eyes take for each other are pointed out', () => {
    const names = [
      'Saltmarsh Bench',
      'saltmarsh bench',
      'Saltmarsh  Bench ',
      'Saltmarsh Вench',
      'Sa1tmarsh Bench',
      'Kiln',
    ];
    const alike = lookAlikesOf(names.map((name) => toHex(utf8(name))));
    expect(alike.get(toHex(utf8('Saltmarsh Bench')))).toEqual(names.slice(1, 5));
    expect(alike.get(toHex(utf8('Kiln')))).toEqual([]);
    expect(seenAs('Corner')).toBe(seenAs('Comer'));
    expect(lookAlikesOf(['ff80', 'ff81']).get('ff80')).toEqual([]);
  });
});

describe('a network taken from the air', () => {
  const shelf: Network = {
    ...emptyNetwork('Bench'),
    ssid: 'saltmarsh bench',
    bands: ['5 GHz'],
    hidden: true,
  };
  const heard = (...points: HeardPoint[]) => gathered(points)[0] ?? fail();
  const fail = (): never => {
    throw new Error('nothing was heard');
  };

  it('has its name, bands, channels, security and country; what the air does not tell stays', () => {
    const taken = takenFromAir(
      { ...shelf, poolSize: 20 },
      heard(point(), point({ bssid: '02:00:00:00:04:01', band: '5 GHz', channel: 36, mhz: 5180 })),
    );
    expect(taken).toMatchObject({
      title: 'Bench',
      ssid: 'Saltmarsh Bench',
      ssidForm: 'text',
      security: 'wpa2-psk',
      hidden: false,
      bands: ['2.4 GHz', '5 GHz'],
      channels: [
        { band: '2.4 GHz', channel: 6 },
        { band: '5 GHz', channel: 36 },
      ],
      country: 'DK',
      poolSize: 20,
    });
    const odd = takenFromAir(shelf, heard(point({ ssidHex: 'ff80fe', country: '' })));
    expect(odd).toMatchObject({ ssid: 'ff80fe', ssidForm: 'hex', country: '' });
    const torn = heard(point(), point({ bssid: '02:00:00:00:04:01', security: 'wpa3-sae', country: 'SE' }));
    // Where its points differ, what all of its boards can do, and no country that only one claims.
    expect(takenFromAir(shelf, torn)).toMatchObject({ security: 'wpa2-psk', country: '' });
  });

  it('cannot be one that boards are not prepared for here, and says why', () => {
    expect(cannotTake(heard(point()))).toBeNull();
    expect(cannotTake(heard(point({ security: 'enterprise' })))).toMatch(/802\.1X/);
    expect(cannotTake(heard(point({ security: 'owe' })))).toMatch(/OWE/);
    expect(cannotTake(heard(point({ ssidHex: '' })))).toMatch(/type the name/);
  });

  it('is compared with what is heard later', () => {
    const taken = takenFromAir(shelf, heard(point()));
    const kinds = (network: Network, points: HeardPoint[], hears: Network['bands'] = ['2.4 GHz', '5 GHz']) =>
      airChanges(network, gathered(points), hears).map(({ kind }) => kind);
    expect(kinds(taken, [point()])).toEqual([]);
    expect(kinds(taken, [])).toEqual(['not-heard']);
    // An adapter that does not hear its band tells nothing of it.
    expect(kinds({ ...taken, bands: ['5 GHz'] }, [], ['2.4 GHz'])).toEqual([]);
    expect(kinds({ ...taken, hidden: true }, [])).toEqual([]);
    expect(kinds(taken, [point({ security: 'wpa3-sae' })])).toEqual(['security']);
    expect(kinds(taken, [point({ band: '5 GHz', channel: 36, mhz: 5180 })])).toEqual([
      'band-gone',
      'band-new',
    ]);
    expect(kinds(taken, [point({ country: 'SE' })])).toEqual(['country']);
    const [change] = airChanges(shelf, gathered([point()]), ['2.4 GHz']);
    expect(change).toBeUndefined();
    const [near] = airChanges({ ...shelf, hidden: false, bands: ['2.4 GHz'] }, gathered([point()]), [
      '2.4 GHz',
    ]);
    expect(near?.text).toMatch(/“saltmarsh bench” is not heard, but “Saltmarsh Bench” is/);
  });
});

describe('a trial of a key', () => {
  it('is read from what a supplicant says (wpa_supplicant 2.10 with hostapd 2.10; recorded)', () => {
    const cases: [string, unknown][] = [
      ['<3>CTRL-EVENT-CONNECTED - Connection to 02:00:00:00:04:00 completed [id=0 id_str=]', 'joined'],
      [
        '<3>CTRL-EVENT-SSID-TEMP-DISABLED id=0 ssid="Larch" auth_failures=1 duration=10 reason=WRONG_KEY',
        'wrong-key',
      ],
      ['<3>WPA: 4-Way Handshake failed - pre-shared key may be incorrect', 'wrong-key'],
      [
        '<3>CTRL-EVENT-AUTH-REJECT 02:00:00:00:04:00 auth_type=3 auth_transaction=2 status_code=1',
        'wrong-key',
      ],
      ['<3>CTRL-EVENT-AUTH-REJECT 02:00:00:00:04:00 auth_type=0 auth_transaction=2 status_code=17', 'full'],
      ['<3>CTRL-EVENT-NETWORK-NOT-FOUND ', 'not-heard'],
      [
        '<3>CTRL-EVENT-SSID-TEMP-DISABLED id=0 ssid="Larch" auth_failures=1 duration=10 reason=CONN_FAILED',
        null,
      ],
      ['<3>CTRL-EVENT-DISCONNECTED bssid=02:00:00:00:04:00 reason=15', null],
      ['<3>CTRL-EVENT-SCAN-FAILED ret=-16 retry=1', null],
      ['<3>Associated with 02:00:00:00:04:00', null],
    ];
    expect(cases.map(([line]) => [line, trialSign(line)])).toEqual(cases);
  });

  it('is asked for with names as digits, on the channels on which it was heard', () => {
    const commands = trialCommands(
      {
        ssidHex: toHex(utf8('Hall"; 2')),
        hidden: true,
        security: 'wpa3-sae',
        key: 'high tide "noon"',
        mhz: [2437, 5180],
      },
      3,
    );
    expect(commands).toEqual([
      'set_network 3 ssid 48616c6c223b2032',
      'set_network 3 scan_ssid 1',
      'set_network 3 scan_freq 2437 5180',
      'set_network 3 key_mgmt SAE',
      'set_network 3 ieee80211w 2',
      'set_network 3 sae_password "high tide "noon""',
      'select_network 3',
    ]);
    expect(fromHex('48616c6c223b2032')).toEqual(utf8('Hall"; 2'));
  });
});
