import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { toHex, utf8, wifiProfile } from '@nest-mark/core';
import {
  addNetwork,
  isOnNetwork,
  keepNetwork,
  lookQuestion,
  readLook,
  readTakenOff,
  returnNow,
  takeOffNetwork,
  type NewNetwork,
} from '@nest-mark/core/moving';
import { inside as insideOf, shell as shellOf, startManager } from './helpers/namespaces';
import { program } from './helpers/programs';

/**
 * What is done on a board that moves, by the real NetworkManager 1.42 and wpa_supplicant 2.10 of Debian 12, each in a
 * network and mount namespace of its own. There is no radio here: a pair of virtual cables stands for it, so that
 * NetworkManager's profile is one of a cable, and the supplicant's networks are chosen and not joined. Timers need
 * a running systemd: `npm run soak -- bring-up`.
 */

const asRoot = process.getuid?.() === 0;
const whenManager = asRoot && program('NetworkManager') !== null && program('dbus-daemon') !== null;
const whenSupplicant = asRoot && program('wpa_supplicant') !== null;
const id = '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10';
const name = utf8('New Hall; 2');
const wifi: NewNetwork = {
  moveId: id,
  uuid: id,
  ssidHex: toHex(name),
  hidden: true,
  security: 'wpa2-psk',
  key: 'ab'.repeat(32),
  keyfile: wifiProfile(
    { ssid: name, security: 'wpa2-psk', hidden: true, key: 'ab'.repeat(32), priority: 0 },
    { id: 'nest-mark-move', uuid: id, auto: false },
  ),
};

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-move-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const inside = (setUp: string, parts: readonly (readonly [string, string])[]): Record<string, string> =>
  insideOf(folder, setUp, parts);
const shell = (content: string, title: string): string => shellOf(folder, title, content);
const D = '/var/lib/nest-mark/move';

(whenManager ? describe : describe.skip)('a move by the real NetworkManager', () => {
  // Of a cable: the profile of the old network is looked for by its type.
  const ofCable = (content: string): string => content.replaceAll('wireless', 'ethernet');
  const cable: NewNetwork = {
    ...wifi,
    keyfile: `[connection]
id=nest-mark-move
uuid=${id}
type=ethernet
autoconnect=false
interface-name=w0

[ipv4]
method=manual
address1=10.78.2.50/24
`,
  };
  const start = `mount -t tmpfs t /etc/NetworkManager && mkdir -p /run/dbus /var/lib/NetworkManager /etc/NetworkManager/system-connections
printf '[main]\\nplugins=keyfile\\nno-auto-default=*\\n' >/etc/NetworkManager/NetworkManager.conf
cat >/etc/NetworkManager/system-connections/old.nmconnection <<'END'
[connection]
id=old: one
uuid=626dd384-8b3d-3690-9511-192b2c79b3fd
type=ethernet
interface-name=w0
autoconnect-priority=30

[ipv4]
method=manual
address1=10.78.1.50/24
END
chmod 600 /etc/NetworkManager/system-connections/old.nmconnection
${startManager}
nmcli --wait 60 connection up uuid 626dd384-8b3d-3690-9511-192b2c79b3fd >/dev/null`;
  const shows =
    'ip -o -4 addr show w0 | sed "s/.*inet \\([^ ]*\\) .*/\\1/"; nmcli -t -f NAME,AUTOCONNECT,AUTOCONNECT-PRIORITY,ACTIVE connection show | grep -v "^[lw][o1]:" | sort; ls /etc/NetworkManager/system-connections';

  it('is added beside the old network, switched to, undone exactly, and kept above what is saved', () => {
    const add = shell(ofCable(addNetwork('networkmanager', cable)), 'add.sh');
    const told = inside(start, [
      ['add', `${add}; cat ${D}/old; ${shows}`],
      ['go', `${D}/go; ${shows}; cat ${D}/state`],
      ['back', `${shell(returnNow, 'back.sh')}; ${shows}; cat ${D}/state`],
      [
        'keep',
        `${add} >/dev/null; ${D}/go; ${shell(ofCable(keepNetwork('networkmanager', cable, 25, 'kept')), 'keep.sh')}; ${shows}; cat ${D}/state; stat -c %a /etc/NetworkManager/system-connections/nest-mark-*`,
      ],
    ]);
    const file = `nest-mark-${id}.nmconnection`;
    expect(told).toEqual({
      add: `ended 0\n626dd384-8b3d-3690-9511-192b2c79b3fd\n10.78.1.50/24\nnest-mark-move:no:0:no\nold\\: one:yes:30:yes\n${file}\nold.nmconnection`,
      go: `10.78.2.50/24\nnest-mark-move:no:0:yes\nold\\: one:yes:30:no\n${file}\nold.nmconnection\n${id} gone`,
      back: `ended 0\n10.78.1.50/24\nold\\: one:yes:30:yes\nold.nmconnection\n${id} returned`,
      keep: `ended 0\n10.78.2.50/24\nnest-mark-move:yes:31:yes\nold\\: one:yes:30:no\n${file}\nold.nmconnection\n${id} kept\n600`,
    });
  });

  it('takes the profile of a wireless network as it is written, and goes back at once where it cannot join', () => {
    const told = inside(start, [
      [
        'add',
        `${shell(ofCable(addNetwork('networkmanager', wifi)), 'wifi.sh')}; nmcli -t -f NAME,TYPE,AUTOCONNECT connection show | grep nest-mark; nmcli -g 802-11-wireless.ssid,802-11-wireless.hidden connection show uuid ${id}`,
      ],
      ['go', `${D}/go; ${shows}; cat ${D}/state`],
    ]);
    expect(told['add']).toBe('ended 0\nnest-mark-move:802-11-wireless:no\nNew Hall; 2\nyes');
    expect(told['go']).toBe(`10.78.1.50/24\nold\\: one:yes:30:yes\nold.nmconnection\n${id} returned`);
  });
});

(whenManager ? describe : describe.skip)('an old network taken off by the real NetworkManager', () => {
  const old = utf8('Bench; øst "1"');
  const start = `mount -t tmpfs t /etc/NetworkManager && mkdir -p /run/dbus /var/lib/NetworkManager /etc/NetworkManager/system-connections /run/NetworkManager/system-connections
printf '[main]\\nplugins=keyfile\\nno-auto-default=*\\n' >/etc/NetworkManager/NetworkManager.conf
cd /etc/NetworkManager/system-connections
cat >there.nmconnection <<'END'
[connection]
id=there
uuid=${id}
type=ethernet
interface-name=w0

[ipv4]
method=manual
address1=10.78.2.50/24
END
cat >old.nmconnection <<'END'
${wifiProfile({ ssid: old, security: 'wpa2-psk', hidden: false, key: 'ab'.repeat(32), priority: 30 }, { id: 'old: one', uuid: '626dd384-8b3d-3690-9511-192b2c79b3fd', auto: true })}
END
cat >other.nmconnection <<'END'
${wifiProfile({ ssid: utf8('Bench'), security: 'wpa2-psk', hidden: false, key: 'ab'.repeat(32), priority: 1 }, { id: 'other', uuid: '626dd384-8b3d-3690-9511-192b2c79b3fe', auto: true })}
END
chmod 600 *
${startManager}
nmcli --wait 60 connection up uuid ${id} >/dev/null`;
  const forget = (network: NewNetwork, name: Uint8Array, title: string): string => {
    const file = join(folder, title);
    writeFileSync(file, takeOffNetwork('networkmanager', network, toHex(name)));
    return `sh ${file} 2>/dev/null; echo "ended $?"`;
  };
  const left =
    'ls /etc/NetworkManager/system-connections; nmcli -t -f NAME connection show | grep -v "^[lw][o1]$" | sort';

  it('is found by the octets of its name, among others; nothing goes where the board is not on the new one', () => {
    const elsewhere = { ...wifi, uuid: '00000000-0000-4000-8000-000000000009' };
    const told = inside(start, [
      ['not there', `${forget(elsewhere, old, 'a.sh')}; ${left}`],
      ['strange', `${forget(wifi, utf8('Bench; øst'), 'b.sh')}; ${left}`],
      ['off', `${forget(wifi, old, 'c.sh')}; ${left}`],
      ['again', forget(wifi, old, 'd.sh')],
    ]);
    const all = 'old.nmconnection\nother.nmconnection\nthere.nmconnection\nold\\: one\nother\nthere';
    expect(told['not there']).toBe(`ended 30\n${all}`);
    expect(told['strange']).toBe(`gone 0\nended 0\n${all}`);
    expect(told['off']).toBe('gone 1\nended 0\nother.nmconnection\nthere.nmconnection\nother\nthere');
    expect(readTakenOff(told['again'] ?? '')).toBe(0);
  });
});

(whenSupplicant ? describe : describe.skip)('a move by the real wpa_supplicant', () => {
  const conf = '/etc/wpa_supplicant/wpa_supplicant-w0.conf';
  const start = `mount -t tmpfs t /etc/wpa_supplicant
cat >${conf} <<'END'
ctrl_interface=/run/wpa_supplicant
update_config=1
ap_scan=0
network={
	ssid="Bench"
	psk="low tide at seven"
	priority=30
}
END
chmod 600 ${conf}
wpa_supplicant -i w0 -D wired -c ${conf} >/dev/null & pids=$!
until wpa_cli -i w0 list_networks 2>/dev/null | grep -q CURRENT; do sleep 0.1; done`;
  const shows = "wpa_cli -i w0 list_networks | tail -n +2 | tr '\\t' ' '";

  it('is added, switched to, forgotten by a return, and saved above the others only when it is kept', () => {
    const add = shell(addNetwork('wpa-supplicant', wifi), 'add.sh');
    const told = inside(start, [
      ['look', shell(lookQuestion, 'look.sh').replace('>/dev/null 2>&1; echo "ended $?"', '')],
      ['add', `${add}; ${shows}; grep -c network= ${conf}`],
      ['go', `${D}/go; ${shows}; cat ${D}/state`],
      ['back', `${shell(returnNow, 'back.sh')}; ${shows}; cat ${D}/state; grep -c network= ${conf}`],
      [
        'keep',
        `${add} >/dev/null; ${D}/go; ${shell(keepNetwork('wpa-supplicant', wifi, 25, 'kept'), 'keep.sh')}; cat ${D}/state; stat -c %a ${conf}; sed -n '/New Hall/,/}/p' ${conf}`,
      ],
      ['refused', shell(addNetwork('wpa-supplicant', { ...wifi, key: 'short' }), 'refused.sh')],
    ]);
    const { manager, saved } = readLook(told['look'] ?? '');
    expect(manager).toBe('wpa-supplicant');
    expect(saved).toMatchObject([{ name: 'Bench', active: true }]);
    expect(told['add']).toBe('ended 0\n0 Bench any [CURRENT]\n1 New Hall; 2 any [DISABLED]\n1');
    expect(told['go']).toBe(`0 Bench any [DISABLED]\n1 New Hall; 2 any [CURRENT]\n${id} gone`);
    expect(told['back']).toBe(`ended 0\n0 Bench any [CURRENT]\n${id} returned\n1`);
    expect(told['keep']).toMatch(
      new RegExp(
        `^ended 0\\n${id} kept\\n600\\n\\s*ssid="New Hall; 2"\\n\\s*scan_ssid=1\\n\\s*psk=${wifi.key}\\n\\s*key_mgmt=WPA-PSK\\n\\s*priority=31\\n`,
      ),
    );
    expect(told['refused']).toBe('ended 6');
  });

  it('has its old network taken off by the octets of its name once it is on the new one, and saved so', () => {
    // Over the cable only an open one comes to its end.
    const open: NewNetwork = { ...wifi, security: 'open', key: '' };
    const forget = (name: Uint8Array, title: string): string => {
      const file = join(folder, title);
      writeFileSync(file, takeOffNetwork('wpa-supplicant', open, toHex(name)));
      return `sh ${file} 2>/dev/null; echo "ended $?"`;
    };
    const told = inside(start, [
      ['early', `${forget(utf8('Bench'), 'early.sh')}; ${shows}`],
      [
        'off',
        `${shell(addNetwork('wpa-supplicant', open), 'added.sh')} >/dev/null; ${D}/go; until wpa_cli -i w0 status | grep -q '^wpa_state=COMPLETED'; do sleep 0.1; done; ${forget(utf8('Bench'), 'off.sh')}; ${shows}; grep -w ssid ${conf}; stat -c %a ${conf}`,
      ],
      // After a start of the board it has another number.
      [
        'on',
        `${shell(isOnNetwork('wpa-supplicant', open), 'on.sh')}; echo 7 >${D}/network; ${shell(isOnNetwork('wpa-supplicant', open), 'on1.sh')}; echo other >${D}/boot; ${shell(isOnNetwork('wpa-supplicant', open), 'on2.sh')}; ${shell(isOnNetwork('wpa-supplicant', { ...open, ssidHex: 'ff' }), 'on3.sh')}`,
      ],
      ['again', forget(utf8('Bench'), 'again.sh')],
    ]);
    expect(told['early']).toBe('ended 30\n0 Bench any [CURRENT]');
    expect(told['off']).toBe('gone 1\nended 0\n1 New Hall; 2 any [CURRENT]\n\tssid="New Hall; 2"\n600');
    expect(told['on']).toBe('ended 0\nended 1\nended 0\nended 30');
    expect(readTakenOff(told['again'] ?? '')).toBe(0);
  });
});
