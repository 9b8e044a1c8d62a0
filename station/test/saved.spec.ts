import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { toHex, utf8 } from '@nest-mark/core';
import type { SavedProfiles } from '../src';
import { savedOn } from '../src/air/saved';
import { inside, startManager } from './helpers/namespaces';
import { program } from './helpers/programs';

/**
 * What a computer has saved, by the real NetworkManager 1.42 of Debian 12 in a namespace of its own: what it answers over
 * its bus is kept, and given again by a program of busctl's name to the reader of this project. Keys are invented.
 */

const asRoot = process.getuid?.() === 0;
const whenManager =
  asRoot &&
  program('NetworkManager') !== null &&
  program('dbus-daemon') !== null &&
  program('busctl') !== null;

const oddName = Uint8Array.of(0xff, 0x80, 0x3b, 0x41);
const profiles = {
  plain:
    '[wifi]\nssid=Larch "Bench" \\\\ ø\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=low tide; at \\\\ seven',
  odd: `[wifi]\nssid=${[...oddName].map((octet) => `${String(octet)};`).join('')}\nhidden=true\n\n[wifi-security]\nkey-mgmt=sae\npsk=høje tide ved ni`,
  ring: '[wifi]\nssid=Ferry House\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk-flags=1',
  open: '[wifi]\nssid=Quay guests',
  staff:
    '[wifi]\nssid=Ferry House staff\n\n[wifi-security]\nkey-mgmt=wpa-eap\n\n[802-1x]\neap=peap;\nidentity=mara\npassword-flags=1\nphase2-auth=mschapv2',
};
/** Where the readers of both programs look, in the tests. */
let folder: string;
let files: string;
let saved: SavedProfiles;

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-saved-'));
  files = join(folder, 'supplicant');
  mkdirSync(files);
  mkdirSync(join(folder, 'bin'));
  mkdirSync(join(folder, 'answers'));
  // The very words that the station uses pick the answer; who is not asked so has none.
  writeFileSync(
    join(folder, 'bin', 'busctl'),
    `#!/bin/sh\nf=${folder}/answers/$(printf %s "$*" | tr -c 'A-Za-z0-9\\n' _)\n[ -f "$f" ] || { echo 'Call failed: Access denied' >&2; exit 1; }\ncat "$f"\n`,
  );
  chmodSync(join(folder, 'bin', 'busctl'), 0o755);
  process.env['PATH'] = `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}`;
  // The station was loaded before, and looks for its programs where they are now.
  saved = savedOn(files);
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

(whenManager ? describe : describe.skip)('profiles of NetworkManager', () => {
  beforeAll(() => {
    const keyfiles = Object.entries(profiles).map(
      ([name, text], at) => `cat >/etc/NetworkManager/system-connections/${name}.nmconnection <<'END'
[connection]
id=${name}
uuid=626dd384-8b3d-3690-9511-192b2c79b3f${String(at)}
type=wifi
autoconnect=false

${text}
END`,
    );
    const setUp = `mount -t tmpfs t /etc/NetworkManager && mkdir -p /run/dbus /var/lib/NetworkManager /etc/NetworkManager/system-connections
printf '[main]\\nplugins=keyfile\\nno-auto-default=*\\n' >/etc/NetworkManager/NetworkManager.conf
${keyfiles.join('\n')}
chmod 600 /etc/NetworkManager/system-connections/*
${startManager}`;
    const nm = 'org.freedesktop.NetworkManager';
    const asks = `ask() {
    f=${folder}/answers/$(printf %s "--json=short --timeout=10 call $*" | tr -c 'A-Za-z0-9\\n' _)
    /usr/bin/busctl --json=short --timeout=10 call "$@" >"$f" || rm "$f"
}
ask ${nm} /org/freedesktop/NetworkManager/Settings ${nm}.Settings ListConnections
for p in $(cat ${folder}/answers/*ListConnections | grep -o '/org/freedesktop/NetworkManager/Settings/[0-9]*'); do
    ask ${nm} $p ${nm}.Settings.Connection GetSettings
    ask ${nm} $p ${nm}.Settings.Connection GetSecrets s 802-11-wireless-security
done
ls ${folder}/answers | wc -l`;
    const told = inside(folder, setUp, [['asked', asks]]);
    expect(Number(told['asked'])).toBeGreaterThan(6);
  });

  it('are told by the octets of their names, without any key', async () => {
    const { profiles: all, problem } = await saved.list();
    expect(problem).toBe('');
    expect(JSON.stringify(all)).not.toMatch(/tide/);
    expect(
      new Map(
        all.map(({ ssidHex, hidden, security, keyElsewhere, hasKey, by }) => [
          ssidHex,
          [hidden, security, keyElsewhere, hasKey, by],
        ]),
      ),
    ).toEqual(
      new Map([
        [toHex(utf8('Larch "Bench" \\ ø')), [false, 'wpa2-psk', false, true, 'NetworkManager']],
        [toHex(oddName), [true, 'wpa3-sae', false, true, 'NetworkManager']],
        [toHex(utf8('Ferry House')), [false, 'wpa2-psk', true, false, 'NetworkManager']],
        [toHex(utf8('Quay guests')), [false, 'open', false, false, 'NetworkManager']],
        [toHex(utf8('Ferry House staff')), [false, null, false, false, 'NetworkManager']],
      ]),
    );
  });

  it('give their keys letter by letter, one at a time, and none where there is none', async () => {
    const { profiles: all } = await saved.list();
    const keyOf = async (name: Uint8Array): Promise<string> =>
      (await saved.take(all.find(({ ssidHex }) => ssidHex === toHex(name))!.id)).key;
    expect(await keyOf(utf8('Larch "Bench" \\ ø'))).toBe('low tide; at \\ seven');
    expect(await keyOf(oddName)).toBe('høje tide ved ni');
    for (const name of ['Ferry House', 'Quay guests', 'Ferry House staff'])
      expect(await keyOf(utf8(name))).toBe('');
  });

  it('that went, or whose key is refused, are told', async () => {
    const { profiles: all } = await saved.list();
    const plain = all.find(({ ssidHex }) => ssidHex === toHex(utf8('Larch "Bench" \\ ø')))!;
    const path = plain.id.split(' ')[1]!.replace(/[^A-Za-z0-9]/g, '_');
    const answer = readFileSync(join(folder, 'bin', 'busctl'), 'utf8');
    writeFileSync(
      join(folder, 'bin', 'busctl'),
      answer.replace('[ -f', `case $f in *${path}*GetSecrets*) exit 1 ;; esac; [ -f`),
    );
    await expect(saved.take(plain.id)).rejects.toMatchObject({
      fault: 'rights',
      message: expect.stringMatching(/as root/) as string,
    });
    writeFileSync(
      join(folder, 'bin', 'busctl'),
      answer.replace('[ -f', `case $f in *${path}*) exit 1 ;; esac; [ -f`),
    );
    await expect(saved.take(plain.id)).rejects.toMatchObject({ fault: 'gone' });
    expect((await saved.list()).profiles).toHaveLength(4);
    writeFileSync(join(folder, 'bin', 'busctl'), answer);
  });
});

describe('networks of wpa_supplicant', () => {
  const conf = `ctrl_interface=/run/wpa_supplicant
network={
    ssid="Larch Bench "
    psk="low tide at seven"
    scan_ssid=1
}
network={
    ssid=P"H\\xc3\\xb8je"
    key_mgmt=SAE
    sae_password="høje tide"
    ieee80211w=2
}
network={
    ssid=ff803b41
    key_mgmt=WPA-PSK SAE
    psk=${'ab'.repeat(32)}
}
network={
    ssid="Old loft"
    key_mgmt=NONE
    wep_key0="tide5"
}
network={
    ssid="Ferry House"
    psk=ext:ferry
}
network={
    ssid="Staff"
    key_mgmt=WPA-EAP
}
network={
    psk="of no name"
}
`;
  const here = async (): Promise<Awaited<ReturnType<SavedProfiles['list']>>['profiles']> =>
    (await saved.list()).profiles.filter(({ by }) => by === 'wpa_supplicant');

  it('are told by the octets of their names, and give their keys as they stand there', async () => {
    writeFileSync(join(files, 'wpa_supplicant.conf'), conf);
    writeFileSync(join(files, 'notes.txt'), conf);
    const all = await here();
    const taken = await Promise.all(all.map(({ id }) => saved.take(id)));
    expect(
      taken.map(({ profile: { ssidHex, hidden, security, keyElsewhere, hasKey }, key }) => [
        Buffer.from(ssidHex, 'hex').toString('latin1'),
        hidden,
        security,
        keyElsewhere,
        hasKey,
        key,
      ]),
    ).toEqual([
      ['Larch Bench ', true, 'wpa2-psk', false, true, 'low tide at seven'],
      ['H\xc3\xb8je', false, 'wpa3-sae', false, true, 'høje tide'],
      ['\xff\x80;A', false, 'wpa2-wpa3', false, true, 'ab'.repeat(32)],
      ['Old loft', false, 'wep', false, true, 'tide5'],
      ['Ferry House', false, 'wpa2-psk', true, false, ''],
      ['Staff', false, null, false, false, ''],
    ]);
    expect(JSON.stringify(all)).not.toMatch(/tide|abab/);
  });

  it('of a file that somebody changed meanwhile are not mixed up', async () => {
    writeFileSync(join(files, 'wpa_supplicant.conf'), conf);
    const [first] = await here();
    writeFileSync(join(files, 'wpa_supplicant.conf'), conf.replace('Larch Bench ', 'Larch Hall'));
    await expect(saved.take(first!.id)).rejects.toMatchObject({ fault: 'gone' });
  });

  it('do not break on files that are none', async () => {
    for (const text of [
      '',
      '\0\0\0',
      'network={\n',
      'network={\nssid="a"\n',
      `network={\nssid="${'x'.repeat(40)}"\n}\n`,
    ]) {
      writeFileSync(join(files, 'wpa_supplicant.conf'), text);
      await here();
    }
    rmSync(join(files, 'wpa_supplicant.conf'));
    mkdirSync(join(files, 'folder.conf'));
    expect(await here()).toEqual([]);
  });
});
