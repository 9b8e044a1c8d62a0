import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import { toHex, utf8, wifiProfile } from '@nest-mark/core';
import {
  addNetwork,
  cannotPutOn,
  keepNetwork,
  lookQuestion,
  readLook,
  readTakenOff,
  returnNow,
  takeOffNetwork,
  type NewNetwork,
} from '@nest-mark/core/moving';
import { inside, shell, startManager } from './helpers/namespaces';
import { program } from './helpers/programs';
import { amount } from '../../core/test/helpers/soak';
import { long } from '../../core/test/helpers/long';

/**
 * A move on boards whose networks are netplan's, by the real netplan 0.106, wpa_supplicant 2.10 and NetworkManager 1.42 of
 * Debian 12 in namespaces. A pair of virtual cables stands for the radio; with radios: `npm run soak -- radio-move`.
 */

const much = amount('move-netplan', 3, 60, 7);

const ready =
  process.getuid?.() === 0 &&
  ['netplan', 'wpa_supplicant', 'python3'].every((name) => program(name) !== null);
const whenNetplan = ready ? describe : describe.skip;
const whenManager =
  ready && program('NetworkManager') !== null && program('dbus-daemon') !== null ? describe : describe.skip;

const id = '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10';
const D = '/var/lib/nest-mark/move';
const named = (text: string, more: Partial<NewNetwork> = {}): NewNetwork => ({
  moveId: id,
  uuid: id,
  ssidHex: toHex(utf8(text)),
  hidden: true,
  security: 'wpa2-psk',
  key: 'ab'.repeat(32),
  keyfile: '',
  ...more,
});
const wifi = named('New "Hall"; øst 2');
const hex = (text: string): string => toHex(utf8(text));

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-move-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const OLD = `# written by cloud-init
network:
    version: 2
    wifis:
        w0:
            dhcp4: true
            regulatory-domain: "DE"
            access-points:
                "Bench; øst":
                    password: "low tide at seven"   # of the office
                # the spare one
                12345678: {password: "something else"}
`;
const start = (
  file = OLD,
): string => `mount -t tmpfs t /etc/netplan && mount -t tmpfs t /etc/systemd/system || exit 9
cat >/etc/netplan/50-cloud-init.yaml <<'END'
${file}END
chmod 600 /etc/netplan/*
netplan generate || exit 9
wpa_supplicant -i w0 -D wired -c /run/netplan/wpa-w0.conf >/dev/null & pids=$!
until wpa_cli -i w0 ap_scan 0 2>/dev/null | grep -q OK; do sleep 0.1; done`;
const lists = 'wpa_cli -i w0 list_networks | tail -n +2 | cut -f 2 | sort';
const files =
  'for f in /etc/netplan/* /run/netplan/*; do echo "# $f $(stat -c %a "$f")"; cat "$f"; done; ls -R /etc/systemd/system; ls /var/lib/nest-mark';

whenNetplan('a move by the real netplan', () => {
  long(
    'is tried in the supplicant alone, undone exactly, and comes into a file of its own when it is kept',
    () => {
      const add = shell(folder, 'add.sh', addNetwork('netplan', wifi), true);
      const keep = shell(folder, 'keep.sh', keepNetwork('netplan', wifi, 25, 'kept'), true);
      const told = inside(folder, start(), [
        ['look', shell(folder, 'look.sh', lookQuestion, true)],
        ['before', files.replace('; ls /var/lib/nest-mark', '')],
        ['add', `${add}; ${lists}`],
        ['tried', files.replace('; ls /var/lib/nest-mark', '')],
        ['go', `${D}/go; wpa_cli -i w0 list_networks | grep CURRENT | cut -f 2; cat ${D}/state`],
        ['back', `${shell(folder, 'back.sh', returnNow)}; ${lists}; cat ${D}/state`],
        ['undone', files.replace('; ls /var/lib/nest-mark', '')],
        ['keep', `${add} >/dev/null; ${D}/go; ${keep}; ${lists}; cat ${D}/state`],
        ['kept', files],
        ['yaml', 'netplan get all'],
        // As at the next start: from its files, with what its unit is told to run.
        [
          'again',
          `wpa_cli -i w0 terminate >/dev/null; while [ -e /run/wpa_supplicant/w0 ]; do sleep 0.1; done
wpa_supplicant -i w0 -D wired -c /run/netplan/wpa-w0.conf >/dev/null & pids=$!
eval "$(sed -n 's/^ExecStartPost=-//p' /etc/systemd/system/netplan-wpa-w0.service.d/*.conf)"
for n in 0 1 2; do echo "$(wpa_cli -i w0 get_network $n ssid)=$(wpa_cli -i w0 get_network $n priority)"; done`,
        ],
        [
          'undone later',
          `mkdir -p ${D}; ${shell(folder, 'add2.sh', addNetwork('netplan', wifi))} >/dev/null; ${shell(folder, 'back2.sh', returnNow)}; ${files}`,
        ],
      ]);
      expect(readLook(told['look'] ?? '')).toMatchObject({ manager: 'netplan', saved: [{}, {}] });
      expect(told['add']).toBe(`ended 0\n12345678\nBench; \\xc3\\xb8st\nNew \\"Hall\\"; \\xc3\\xb8st 2`);
      // A cut of the power now: the board starts as it did before.
      expect(told['tried']).toBe(told['before']);
      expect(told['go']).toBe(`New \\"Hall\\"; \\xc3\\xb8st 2\n${id} gone`);
      expect(told['back']).toBe(`ended 0\n12345678\nBench; \\xc3\\xb8st\n${id} returned`);
      expect(told['undone']).toBe(told['before']);
      expect(told['keep']).toBe(
        `ended 0\n12345678\nBench; \\xc3\\xb8st\nNew \\"Hall\\"; \\xc3\\xb8st 2\n${id} kept`,
      );
      expect(told['kept']).toContain(`# /etc/netplan/00-nest-mark-${id}.yaml 600\n`);
      expect(told['kept']).toContain('  ssid="New "Hall"; øst 2"\n  scan_ssid=1\n  key_mgmt=WPA-PSK\n');
      const { wifis } = (parse(told['yaml'] ?? '') as { network: { wifis: Record<string, unknown> } })
        .network;
      expect(wifis['w0']).toMatchObject({
        dhcp4: true,
        'regulatory-domain': 'DE',
        'access-points': {
          'New "Hall"; øst 2': { hidden: true, auth: { password: wifi.key } },
          'Bench; øst': { auth: { password: 'low tide at seven' } },
        },
      });
      expect((told['again'] ?? '').split('\n').sort()).toEqual([
        '"12345678"=0',
        `${hex('Bench; øst')}=0`,
        `${hex('New "Hall"; øst 2')}=25`,
      ]);
      expect(told['undone later']).toContain('ended 0');
      expect((told['undone later'] ?? '').replace(/^ended 0\n/, '').replace(/\nmove$/, '')).toBe(
        told['before'],
      );
    },
  );

  it('does not let one network keep a board from all of them: netplan is asked with a copy first', () => {
    const bare = files.replace('; ls /var/lib/nest-mark', '');
    // Debian 12's netplan knows no WPA3 alone (seen).
    const three = named('New Hall', { security: 'wpa3-sae', key: 'high tide at noon' });
    const told = inside(folder, start(), [
      ['before', `${bare}; ${lists}`],
      ['sae', shell(folder, 'sae.sh', addNetwork('netplan', three), true)],
      ['after', `${bare}; ${lists}`],
      ['left', `ls ${D}`],
    ]);
    expect(told['sae']).toBe("unknown key management type 'sae'\nended 11");
    expect(told['after']).toBe(told['before']);
    expect(told['left']).not.toMatch(/yaml|whole/);
  });

  it('goes back to a network that the board knows already, and leaves that as it is', () => {
    const bare = files.replace('; ls /var/lib/nest-mark', '');
    const back = named('Bench; øst', { hidden: false });
    const current = 'wpa_cli -i w0 list_networks | grep CURRENT | cut -f 2';
    const told = inside(folder, start(), [
      ['before', bare],
      [
        'other',
        `wpa_cli -i w0 select_network "$(wpa_cli -i w0 list_networks | awk -F'\\t' '$2 == "12345678" { print $1 }')"`,
      ],
      ['add', `${shell(folder, 'k-add.sh', addNetwork('netplan', back), true)}; ${lists}; ls ${D}`],
      ['go', `${D}/go; ${current}`],
      ['back', `${shell(folder, 'k-back.sh', returnNow)}; cat ${D}/state`],
      ['undone', bare],
      [
        'keep',
        `${shell(folder, 'k-add2.sh', addNetwork('netplan', back))} >/dev/null; ${D}/go; ${shell(folder, 'k-keep.sh', keepNetwork('netplan', back, 25, 'kept'), true)}; ls /etc/netplan; ls -R /etc/systemd/system | grep conf`,
      ],
    ]);
    expect(told['add']).toMatch(/^ended 0\n12345678\nBench; \\xc3\\xb8st\n/);
    expect(told['add']).not.toContain('yaml');
    expect(told['go']).toBe('Bench; \\xc3\\xb8st');
    expect(told['back']).toBe(`ended 0\n${id} returned`);
    expect(told['undone']).toBe(told['before']);
    expect(told['keep']).toBe(`ended 0\n50-cloud-init.yaml\nnest-mark-${id}.conf`);
  });

  it('says beforehand what netplan has no words for', () => {
    expect(cannotPutOn('netplan', named('Hall', { security: 'wep', key: '0123456789' }))).toMatch(/no WEP/);
    expect(cannotPutOn('netplan', { ...wifi, ssidHex: 'ff80fe' })).toMatch(/cannot write/);
    expect(cannotPutOn('netplan', named('Hall\nroot={'))).toMatch(/cannot write/);
    expect(cannotPutOn('netplan', wifi)).toBeNull();
  });
});

whenNetplan('an old network cut out of netplan’s files', () => {
  const forget = (network: NewNetwork, old: string, title: string): string =>
    shell(folder, title, takeOffNetwork('netplan', network, hex(old)), true);

  it('leaves every other line as it was, and goes only where the board is on the new one', () => {
    const open = named('New Hall', { security: 'open', key: '', hidden: false });
    const told = inside(folder, start(), [
      ['early', forget(open, 'Bench; øst', 'early.sh')],
      [
        'on',
        `${shell(folder, 'on.sh', addNetwork('netplan', open))}; ${D}/go; until wpa_cli -i w0 status | grep -q '^wpa_state=COMPLETED'; do sleep 0.1; done; ${shell(folder, 'onkeep.sh', keepNetwork('netplan', open, 25, 'kept'))}`,
      ],
      ['strange', forget(open, 'Bench', 'strange.sh')],
      [
        'off',
        `${forget(open, 'Bench; øst', 'off.sh')}; cat /etc/netplan/50-cloud-init.yaml; stat -c %a /etc/netplan/50-cloud-init.yaml; ls /etc/netplan; ${lists}; grep -c ssid= /run/netplan/wpa-w0.conf`,
      ],
      ['digits', `${forget(open, '12345678', 'digits.sh')}; cat /etc/netplan/50-cloud-init.yaml; ${lists}`],
      ['again', forget(open, 'Bench; øst', 'again.sh')],
    ]);
    expect(told['early']).toBe('ended 30');
    expect(told['on']).toBe('ended 0\nended 0');
    expect(readTakenOff(told['strange'] ?? '')).toBe(0);
    const cutOut = OLD.split('\n').filter((line) => !/Bench|low tide/.test(line));
    expect(told['off']).toBe(
      `gone 1\nended 0\n${cutOut.join('\n')}600\n00-nest-mark-${id}.yaml\n50-cloud-init.yaml\n12345678\nNew Hall\n2`,
    );
    // The last one goes with the setting that held it, and what was noted in there.
    expect(told['digits']).toBe(
      `gone 1\nended 0\n${cutOut.filter((line) => !/access-points|spare|123/.test(line)).join('\n')}New Hall`,
    );
    expect(readTakenOff(told['again'] ?? '')).toBe(0);
  });

  /** Files as people write them: in blocks or in braces, with names in quotes or bare, comments between. */
  const document = fc
    .record({
      names: fc.uniqueArray(fc.constantFrom('Old', 'A "b"', 'Tide: 7', "it's", '1e3', 'ø#x', 'yes'), {
        minLength: 1,
        maxLength: 4,
      }),
      flow: fc.array(fc.boolean(), { minLength: 5, maxLength: 5 }),
      gap: fc.constantFrom('', '# a note\n', '\n'),
      indent: fc.constantFrom(2, 4),
    })
    .map(({ names, flow, gap, indent }) => {
      const pad = (depth: number): string => ' '.repeat(indent * depth);
      const word = (name: string, at: number): string =>
        /^[A-Za-z]+$/.test(name) && flow[at] ? name : JSON.stringify(name);
      const points = names.map((name, at) =>
        flow[at]
          ? `${pad(4)}${word(name, at)}: {password: "key of ${String(at)}${String(at)}"} # n${String(at)}\n`
          : `${pad(4)}${word(name, at)}:\n${pad(5)}password: 'key of ${String(at)}${String(at)}'\n`,
      );
      const inBraces = names
        .map((name, at) => `${JSON.stringify(name)}: {password: "key of ${String(at)}${String(at)}"}`)
        .join(', ');
      const text = flow[4]
        ? `network:\n${pad(1)}version: 2\n${gap}${pad(1)}wifis: {w0: {access-points: {${inBraces}}, dhcp4: true}}\n# end\n`
        : `network:\n${pad(1)}version: 2\n${pad(1)}wifis:\n${pad(2)}w0:\n${pad(3)}access-points:\n${points.join(gap)}${pad(3)}dhcp4: true\n# end\n`;
      return { text, names };
    });

  it('whatever the file looks like, it reads as before without the network, and no comment between is lost', () => {
    const docs = fc.sample(document, { numRuns: much.runs, seed: much.seed });
    const parts = docs.map(({ text, names }, at) => {
      const file = join(folder, `d${String(at)}.yaml`);
      writeFileSync(file, text);
      // Of the lines only those that cut; who is on which network is another test's.
      const lines = takeOffNetwork('networkmanager', wifi, hex(names[0] ?? ''));
      const cut = lines.slice(lines.indexOf('cut=$(python3'), lines.indexOf('nmcli connection reload'));
      return [
        String(at),
        `cp ${file} /etc/netplan/50.yaml; chmod 600 /etc/netplan/50.yaml; ${shell(folder, `c${String(at)}.sh`, cut)}; cat /etc/netplan/50.yaml`,
      ] as const;
    });
    const told = inside(folder, 'mount -t tmpfs t /etc/netplan || exit 9', parts);
    for (const [at, { text, names }] of docs.entries()) {
      const [ended = '', ...after] = (told[String(at)] ?? '').split('\n');
      expect([ended, text]).toEqual(['ended 0', text]);
      const was = parse(text) as {
        network: { wifis?: { w0: { 'access-points': Record<string, unknown> } } };
      };
      const { wifis } = was.network;
      if (wifis) delete wifis.w0['access-points'][names[0] ?? ''];
      if (names.length === 1) delete was.network.wifis;
      expect(parse(after.join('\n'))).toEqual(was);
      const notes = (one: string): string[] => one.match(/^# .*$/gm) ?? [];
      expect(notes(after.join('\n')).length).toBeGreaterThanOrEqual(
        notes(text).length - (names.length === 1 ? 0 : 1),
      );
    }
  });
});

whenManager('an old network that netplan gave to the real NetworkManager', () => {
  const manager = `mount -t tmpfs t /etc/NetworkManager && mount -t tmpfs t /etc/netplan && mkdir -p /run/dbus /var/lib/NetworkManager /etc/NetworkManager/system-connections
printf '[main]\\nplugins=keyfile\\nno-auto-default=*\\n' >/etc/NetworkManager/NetworkManager.conf
cat >/etc/netplan/50-cloud-init.yaml <<'END'
${OLD.replace('    version: 2', '    version: 2\n    renderer: NetworkManager').replaceAll('w0', 'w9')}END
cat >/etc/NetworkManager/system-connections/there.nmconnection <<'END'
[connection]
id=there
uuid=${id}
type=ethernet
interface-name=w0

[ipv4]
method=manual
address1=10.78.2.50/24
END
cat >/etc/NetworkManager/system-connections/own.nmconnection <<'END'
${wifiProfile({ ssid: utf8('Bench; øst'), security: 'wpa2-psk', hidden: false, key: 'ab'.repeat(32), priority: 30 }, { id: 'own', uuid: '626dd384-8b3d-3690-9511-192b2c79b3fd', auto: true })}
END
chmod 600 /etc/NetworkManager/system-connections/* /etc/netplan/*
netplan generate || exit 9
${startManager}
nmcli --wait 60 connection up uuid ${id} >/dev/null`;

  long('goes from netplan’s file and from its own, and stays away after they are made anew', () => {
    const shows =
      'LC_ALL=C.UTF-8 nmcli -t -f NAME connection show | grep -v "^[lw][o01]$" | sort; ls /run/NetworkManager/system-connections';
    const told = inside(folder, manager, [
      ['before', shows],
      [
        'off',
        `${shell(folder, 'nm-off.sh', takeOffNetwork('networkmanager', wifi, hex('Bench; øst')), true)}; netplan generate; nmcli connection reload; ${shows}; cat /etc/netplan/*.yaml`,
      ],
    ]);
    expect(told['before']).toContain('netplan-w9-Bench; øst\nown\nthere');
    expect(told['off']).toMatch(
      /^gone 2\nended 0\nnetplan-w9-12345678\nthere\nlo\.nmconnection\nnetplan-w9-12345678\.nmconnection\n/,
    );
    expect(told['off']).not.toMatch(/Bench|low tide/);
    expect(told['off']).toContain('# the spare one');
  });
});
