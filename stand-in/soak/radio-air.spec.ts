import { join } from 'node:path';
import { buildSync } from 'esbuild';
import { toHex, utf8 } from '@nest-mark/core';
import { readBoardSignal, signalQuestion, type HeardNetwork } from '@nest-mark/core/in-air';
import type { TrialEnd } from '@nest-mark/station';
import { makeRadio, onRadio, partsOf } from './radio';

/**
 * This program's own radio, in an emulated machine with simulated adapters: real hostapd 2.10 and wpa_supplicant 2.10,
 * iw 5.19 and NetworkManager 1.42, with Node there. What it prints comes back a line at a time.
 */

const HARD = 'Larch "B" \\ ø ';
const bundle = (): string =>
  buildSync({
    entryPoints: [join(__dirname, 'air-driver.ts')],
    bundle: true,
    write: false,
    platform: 'node',
    format: 'cjs',
    alias: {
      '@nest-mark/core/in-air': join(__dirname, '../../core/src/in-air.ts'),
      '@nest-mark/core': join(__dirname, '../../core/src/index.ts'),
      '@nest-mark/station/radio': join(__dirname, '../../station/src/air/linux-radio.ts'),
    },
  }).outputFiles[0]?.text ?? '';

/** Shell that runs this program's radio, and looks what it left. */
const DRIVE = `chmod 755 node; ldd ./node >/dev/null
drive() { : >told; ./node driver.js "$@" >>said 2>&1; cat told; }
K='low tide at seven'
tidy() { pgrep -c wpa_supplicant; ls -d /run/nest-mark-air-* 2>/dev/null; true; }
`;
const AIR = `ap 1 'Larch' 1 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven' country_code=DE ieee80211d=1
ap 2 'Larch Mixed' 6 wpa=2 'wpa_key_mgmt=WPA-PSK SAE' rsn_pairwise=CCMP ieee80211w=1 'wpa_passphrase=low tide at seven'
ap 3 'Larch Three' 11 wpa=2 wpa_key_mgmt=SAE rsn_pairwise=CCMP ieee80211w=2 'wpa_passphrase=low tide at seven'
ap 4 'Larch Attic' 1 ignore_broadcast_ssid=1 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
ap 5 x 6 'ssid2=${toHex(utf8(HARD))}' wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
# Nobody gives addresses in this one.
ap 6 'Larch Dry' 11 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
kill "$(cat /run/dns6.pid)"
${DRIVE}`;

const json = <T>(text: string | undefined): T => JSON.parse(text ?? 'null') as T;
const files = (): Record<string, string> => ({ 'driver.js': bundle() });

beforeAll(makeRadio, 600_000);

describe('the radio of a Linux computer', () => {
  it('hears every network by its octets, and tells each verdict with an idle adapter', async () => {
    const tries: [string, string, TrialEnd['verdict']][] = [
      ['right', `wpa2-psk no Larch "$K"`, 'right'],
      ['wrong', `wpa2-psk no Larch 'low tide at nine'`, 'wrong-key'],
      ['three', `wpa3-sae no 'Larch Three' "$K"`, 'right'],
      ['three wrong', `wpa3-sae no 'Larch Three' 'low tide at nine'`, 'wrong-key'],
      ['mixed', `wpa2-wpa3 no 'Larch Mixed' "$K"`, 'right'],
      ['mixed wrong', `wpa2-wpa3 no 'Larch Mixed' 'low tide at nine'`, 'wrong-key'],
      // Before somebody asks for it by its name: the kernel remembers the answer for half a minute.
      ['hidden unsaid', `wpa2-psk no 'Larch Attic' "$K"`, 'not-heard'],
      ['hidden', `wpa2-psk hidden 'Larch Attic' "$K"`, 'right'],
      ['hard', `wpa2-psk no '${HARD}' "$K"`, 'right'],
      ['dry', `wpa2-psk no 'Larch Dry' "$K"`, 'no-address'],
      ['other case', `wpa2-psk no 'larch' "$K"`, 'not-heard'],
    ];
    const work = `${AIR}echo "== adapters"; drive adapters
echo "== look"; drive look wlan0
${tries.map(([title, args]) => `echo "== ${title}"; drive try wlan0 ${args}; tidy`).join('\n')}
echo "== open"; drive look-and-try wlan0 open no Larch ''
echo "== raised"; drive look-and-try wlan0 wpa2-psk no 'Larch Three' "$K"
echo "== met"; drive look-and-try wlan0 wpa2-psk no Larch "$K"
echo "== killed"; ./node driver.js try wlan0 wpa2-psk no Larch 'low tide at nine' & driver=$!
until_so 'pgrep wpa_supplicant >/dev/null'; kill -9 $driver; until_so '! ls -d /run/nest-mark-air-* >/dev/null 2>&1'; tidy
ip -o link show wlan0 up | wc -l`;
    const told = partsOf(await onRadio(work, files(), { radios: 7, memory: 1024, node: true }));
    expect(json(told['adapters'])).toContainEqual({
      name: 'wlan0',
      bands: expect.arrayContaining(['2.4 GHz', '5 GHz']) as unknown,
      inUse: false,
      mayTry: '',
      asks: '',
    });
    const heard = json<HeardNetwork[]>(told['look']);
    expect(Object.fromEntries(heard.map(({ text, points }) => [text, points[0]?.security]))).toEqual({
      Larch: 'wpa2-psk',
      'Larch Mixed': 'wpa2-wpa3',
      'Larch Three': 'wpa3-sae',
      [HARD]: 'wpa2-psk',
      'Larch Dry': 'wpa2-psk',
      '': 'wpa2-psk',
    });
    expect(heard.find(({ text }) => text === 'Larch')?.points).toMatchObject([
      { channel: 1, mhz: 2412, country: 'DE', quality: null },
    ]);
    for (const [title, , verdict] of tries) {
      const [first, ...left] = (told[title] ?? '').split('\n');
      const end = json<TrialEnd & { seconds: number }>(first);
      console.log(`${title}: ${end.verdict}, ${String(end.seconds)} s`);
      // Nothing of it is left: no supplicant, no folder.
      expect([title, end.verdict, left]).toEqual([title, verdict, ['0']]);
    }
    expect(json<TrialEnd>(told['open'])).toMatchObject({
      verdict: 'other-security',
      message: expect.stringMatching(/^It announces WPA2\./) as unknown,
    });
    expect(json<TrialEnd>(told['raised'])).toMatchObject({
      verdict: 'other-security',
      message: expect.stringMatching(/^It announces WPA3 only\./) as unknown,
    });
    expect(json<TrialEnd>(told['met'])).toMatchObject({ verdict: 'right' });
    expect(told['killed']).toBe('0\n0');
  }, 900_000);

  it('that is pulled in the middle is told, and nothing of the trial stays', async () => {
    const work = `${AIR}echo "== pulled"; : >told; ./node driver.js try wlan0 wpa2-psk no Larch 'low tide at nine' & driver=$!
until_so 'pgrep wpa_cli >/dev/null'; sleep 2; iw dev wlan0 del; wait $driver; cat told; tidy
echo "== look"; drive look wlan0`;
    const told = partsOf(await onRadio(work, files(), { radios: 7, memory: 1024, node: true }));
    const [end, ...left] = (told['pulled'] ?? '').split('\n');
    expect([json(end), left]).toEqual([{ error: 'The adapter wlan0 was pulled in the middle.' }, ['0']]);
    expect(json(told['look'])).toEqual({ error: 'The adapter wlan0 is gone.' });
  }, 900_000);

  it('leaves a network that NetworkManager is on only for the trial, and is back on it after a SIGKILL too', async () => {
    const work = `${AIR}printf '[main]\\nplugins=keyfile\\n[keyfile]\\nunmanaged-devices=except:interface-name:wlan0\\n' >/etc/NetworkManager/NetworkManager.conf
systemctl start wpa_supplicant NetworkManager
nmcli --wait 60 con add type wifi con-name home ifname wlan0 ssid Larch wifi-sec.key-mgmt wpa-psk wifi-sec.psk "$K" >/dev/null
nmcli --wait 60 con add type wifi con-name spare ifname wlan0 ssid 'Larch Mixed' wifi-sec.key-mgmt wpa-psk wifi-sec.psk "$K" connection.autoconnect-priority 9 >/dev/null
home() { nmcli -t -f NAME con show --active | grep -v '^lo$'; }
nmcli --wait 60 con up home >/dev/null; md5sum /etc/NetworkManager/system-connections/*
echo "== adapters"; home; drive adapters
echo "== look"; drive look wlan0
echo "== nmcli"; drive nmcli wlan0
echo "== bus"; mv /usr/sbin/iw /usr/sbin/iw.away; drive look wlan0; mv /usr/sbin/iw.away /usr/sbin/iw
echo "== right"; drive try wlan0 wpa3-sae no 'Larch Three' "$K"; home
echo "== wrong"; drive try wlan0 wpa3-sae no 'Larch Three' 'low tide at nine'; home
echo "== killed"; ./node driver.js try wlan0 wpa2-psk no Larch 'low tide at nine' & driver=$!
until_so 'ls -d /run/nest-mark-air-wlan0/ctl >/dev/null 2>&1'; kill -9 $driver; until_so '! ls -d /run/nest-mark-air-* >/dev/null 2>&1'; until_so 'home | grep -q home'; home
echo "== profiles"; nmcli -t -f NAME,TYPE con show | grep wireless | sort; pgrep -c wpa_supplicant`;
    const told = partsOf(await onRadio(work, files(), { radios: 7, memory: 1024, node: true }));
    const [on, adapters] = (told['adapters'] ?? '').split('\n');
    expect(on).toBe('home');
    expect(json<object[]>(adapters)).toContainEqual(
      expect.objectContaining({
        name: 'wlan0',
        inUse: true,
        mayTry: '',
        asks: expect.stringContaining('off its network') as unknown,
      }) as unknown,
    );
    const names = (title: string): unknown =>
      json<HeardNetwork[]>(told[title])
        .map(({ ssidHex, points }) => [ssidHex, points.map(({ security }) => security)])
        .filter(([hex]) => hex !== '')
        .sort();
    expect(names('look')).toEqual(names('nmcli'));
    // Where there is no iw: by the octets that the supplicant has, with the same signals and countries.
    const points = (title: string) =>
      new Map(
        json<HeardNetwork[]>(told[title]).flatMap(({ points: all }) => all.map((one) => [one.bssid, one])),
      );
    const [byIw, byBus] = [points('look'), points('bus')];
    expect(byBus.size).toBeGreaterThan(3);
    for (const [bssid, point] of byBus) expect([bssid, point]).toEqual([bssid, byIw.get(bssid)]);
    for (const [title, verdict] of [
      ['right', 'right'],
      ['wrong', 'wrong-key'],
    ] as const) {
      const [end, after] = (told[title] ?? '').split('\n');
      console.log(title, end);
      expect([json<TrialEnd>(end).verdict, after]).toEqual([verdict, 'home']);
    }
    expect(told['killed']).toBe('home');
    expect(told['profiles']).toBe('home:802-11-wireless\nspare:802-11-wireless\n1');
  }, 900_000);

  it('tells whether clients see each other, where this computer is on the network by another adapter too', async () => {
    const work = `ap 1 Larch 1 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
ap 2 'Larch Guests' 6 ap_isolate=1 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
${DRIVE}
own() {
    printf 'network={\\n ssid="%s"\\n psk="%s"\\n}\\n' "$1" "$K" >own.conf
    ip link set wlan0 up; wpa_supplicant -B -i wlan0 -D nl80211 -c own.conf -P /run/own.pid >/dev/null
    until_so 'iw dev wlan0 link | grep -q "^Connected"'; ip addr add "$2" dev wlan0
}
echo "== alone"; drive try wlan3 wpa2-psk no Larch "$K"
own Larch 10.9.1.10/24
echo "== together"; drive try wlan3 wpa2-psk no Larch "$K"
echo "== board"; sh question; mkdir none; printf '#!/bin/sh\\nexit 127\\n' >none/iw; chmod 755 none/iw
echo "== board without iw"; PATH=$PWD/none:$PATH sh question
echo "== other"; drive try wlan3 wpa2-psk no 'Larch Guests' "$K"
kill "$(cat /run/own.pid)"; ip addr flush dev wlan0; until_so '! iw dev wlan0 link | grep -q "^Connected"'
own 'Larch Guests' 10.9.2.10/24
echo "== apart"; drive try wlan3 wpa2-psk no 'Larch Guests' "$K"`;
    const told = partsOf(
      await onRadio(work, { ...files(), question: signalQuestion }, { radios: 4, memory: 1024, node: true }),
    );
    // What a board is asked on a walk, by the real iw and the real kernel.
    const level = { dbm: expect.any(Number) as unknown };
    expect(readBoardSignal(told['board'] ?? '')).toContainEqual({
      ssidHex: toHex(utf8('Larch')),
      mhz: 2412,
      ...level,
    });
    expect(readBoardSignal(told['board without iw'] ?? '')).toContainEqual({
      ssidHex: null,
      mhz: null,
      ...level,
    });
    const end = (title: string): TrialEnd => json<TrialEnd>((told[title] ?? '').split('\n')[0]);
    for (const title of ['alone', 'together', 'other', 'apart']) console.log(title, end(title));
    expect(end('alone')).toMatchObject({
      verdict: 'right',
      message: expect.stringMatching(/given\.$/) as unknown,
    });
    expect(end('together')).toMatchObject({
      verdict: 'right',
      message: expect.stringContaining('clients see each other') as unknown,
    });
    expect(end('other')).toMatchObject({
      verdict: 'right',
      message: expect.stringMatching(/given\.$/) as unknown,
    });
    expect(end('apart')).toMatchObject({
      verdict: 'apart',
      message: expect.stringContaining('own wlan0') as unknown,
    });
  }, 900_000);

  it('leaves a network that a plain supplicant is on only for the trial, and its list is as it was, after a SIGKILL too', async () => {
    const work = `${AIR}cat >/etc/own.conf <<END
ctrl_interface=/run/wpa_supplicant
update_config=1
network={
    ssid="Larch"
    psk="$K"
}
network={
    ssid="Larch Mixed"
    psk="$K"
    disabled=1
}
network={
    ssid="Away"
    psk="$K"
}
END
ip link set wlan0 up; wpa_supplicant -B -i wlan0 -D nl80211 -c /etc/own.conf -P /run/own.pid >/dev/null
on() { wpa_cli -i wlan0 status | sed -n 's/^ssid=//p'; }
stands() { on; wpa_cli -i wlan0 list_networks | sed 1d | tr '\\t' ,; md5sum </etc/own.conf; pgrep -c wpa_supplicant; ls -d /run/nest-mark-air-* 2>/dev/null; true; }
until_so '[ "$(on)" = Larch ]'
echo "== adapters"; drive adapters
echo "== before"; stands
echo "== right"; drive try wlan0 wpa3-sae no 'Larch Three' "$K"; stands
echo "== wrong"; drive try wlan0 wpa2-psk no 'Larch Mixed' 'low tide at nine'; stands
echo "== same"; drive try wlan0 wpa2-psk no Larch "$K"; stands
echo "== killed"; ./node driver.js try wlan0 wpa2-psk no 'Larch Mixed' 'low tide at nine' & driver=$!
until_so '[ "$(wpa_cli -i wlan0 list_networks | sed 1d | wc -l)" = 4 ]'; kill -9 $driver; until_so '! ls -d /run/nest-mark-air-* >/dev/null 2>&1'; stands`;
    const told = partsOf(await onRadio(work, files(), { radios: 7, memory: 1024, node: true }));
    expect(json<object[]>(told['adapters'])).toContainEqual(
      expect.objectContaining({
        name: 'wlan0',
        inUse: true,
        mayTry: '',
        asks: expect.stringContaining('off its network') as unknown,
      }) as unknown,
    );
    const before = told['before'] ?? '';
    expect(before).toMatch(/^Larch\n0,Larch,any,\[CURRENT\]\n1,Larch Mixed,any,\[DISABLED\]\n2,Away,any,/);
    for (const [title, verdict] of [
      ['right', 'right'],
      ['wrong', 'wrong-key'],
      ['same', 'right'],
    ] as const) {
      const [end = '', ...after] = (told[title] ?? '').split('\n');
      console.log(title, end);
      expect([json<TrialEnd>(end).verdict, after.join('\n')]).toEqual([verdict, before]);
    }
    expect(told['killed']).toBe(before);
  }, 900_000);
});
