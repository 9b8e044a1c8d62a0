import fc from 'fast-check';
import { adoptIntoPlan, leftOut } from '../src/firstboot/take-over/into-plan';
import { emptyPlan } from '../src/plan/model';
import { utf8 } from '../src/bytes';
import { adopt } from '../src/firstboot/take-over/take-over';
import { type Adopted } from '../src/firstboot/take-over/adopted';
import type { BootFiles } from '../src/firstboot/boot-files';
import { packBootFiles, unpackBootFiles } from '../src/firstboot/sent-files';
import type { FirstBootMethodId } from '../src/plan/model';
import { ssidBytes } from '../src/wifi/ssid';
import { bootFilesOf, cardOf } from './helpers/check';
import { network, settings, soundPlan, userKey } from './helpers/plan';

const bootOf = (files: Record<string, string>): BootFiles => bootFilesOf(files, { mountedAt: '/boot' });
const given = settings({
  user: { ...settings().user, passwordHash: `$6$seagrass$${'a'.repeat(86)}`, passwordLogin: true },
  others: [{ name: 'helper', keys: [userKey], sudo: true }],
  networks: [
    network({ hidden: true, key: 'cd'.repeat(32), priority: 25 }),
    network({ ssid: utf8('Hall "2" #'), security: 'wpa3-sae', key: ' nineteen "rows" \\', priority: 5 }),
    network({ ssid: utf8('Yard'), security: 'open', key: '', priority: 1 }),
  ],
  keyboard: { layout: 'de', variant: 'nodeadkeys' },
  commands: ["echo 'a: b'"],
});
const read = (method: FirstBootMethodId): Adopted => adopt(bootOf(cardOf(method, given)));

describe('settings read from a card', () => {
  it.each(['declarative-seed', 'marker-files', 'network-template', 'run-once'] as const)(
    'of %s: networks with their keys, as they were written',
    (method) => {
      const { networks, country } = read(method);
      const sorted = [...networks].sort((a, b) => b.priority - a.priority);
      expect(
        sorted.map(({ network: { ssid, security, hidden }, secret, priority }) => ({
          ssid,
          security,
          hidden,
          secret,
          priority,
        })),
      ).toEqual([
        { ssid: 'Salt Marsh', security: 'wpa2-psk', hidden: true, secret: 'cd'.repeat(32), priority: 25 },
        {
          ssid: 'Hall "2" #',
          security: 'wpa3-sae',
          hidden: false,
          secret: ' nineteen "rows" \\',
          priority: 5,
        },
        { ssid: 'Yard', security: 'open', hidden: false, secret: '', priority: 1 },
      ]);
      expect(country).toBe('FO');
    },
  );

  it.each(['declarative-seed', 'run-once'] as const)(
    'of %s: name, users, places and what is left',
    (method) => {
      const { networks: _networks, ...rest } = read(method);
      expect(rest).toEqual({
        hostName: 'tank-01',
        users: [
          { name: 'keeper', keys: [userKey], sudo: true },
          { name: 'helper', keys: [userKey], sudo: true },
        ],
        passwordLogin: true,
        country: 'FO',
        timeZone: 'Atlantic/Faroe',
        locale: 'en_GB.UTF-8',
        keyboard: 'de nodeadkeys',
        commands: ["echo 'a: b'"],
        left: [expect.stringContaining('password of keeper')],
      });
    },
  );

  it('of marker files: the user, and that a hash is no password', () => {
    expect(read('marker-files')).toMatchObject({
      users: [{ name: 'keeper', keys: [] }],
      passwordLogin: true,
      left: [expect.any(String)],
    });
    expect(adopt(bootOf({ 'holiday.txt': 'nothing' }))).toMatchObject({
      hostName: null,
      users: [],
      networks: [],
    });
  });

  it('of a script of somebody else: its networks, and that the rest is left', () => {
    const script =
      "#!/bin/sh\ncat >/x.nmconnection <<'END'\n[connection]\ntype=wifi\n[wifi]\nssid=Quay\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=low tide at seven\nEND\n";
    const found = adopt(bootOf({ 'cmdline.txt': 'quiet systemd.run=/boot/setup.sh\n', 'setup.sh': script }));
    expect(found.networks).toMatchObject([
      { network: { ssid: 'Quay', security: 'wpa2-psk' }, secret: 'low tide at seven' },
    ]);
    expect(found.left).toEqual(['What setup.sh does beyond its networks is not taken over.']);
  });

  it('keeps any network name and any key, by every method that can carry it', () => {
    const name = fc
      .uint8Array({ minLength: 1, maxLength: 32 })
      .filter((octets) => octets.every((octet) => octet !== 0));
    fc.assert(
      fc.property(
        name,
        fc.constantFrom('marker-files' as const, 'network-template' as const, 'run-once' as const),
        (ssid, method) => {
          const one = settings({ networks: [network({ ssid, key: 'ef'.repeat(32) })] });
          const [found] = adopt(bootOf(cardOf(method, one))).networks;
          expect(found && ssidBytes(found.network)).toEqual(Uint8Array.from(ssid));
          expect(found?.secret).toBe('ef'.repeat(32));
        },
      ),
    );
  });

  it('goes over the wire and back unchanged', () => {
    const boot = bootOf(cardOf('run-once', given));
    expect(unpackBootFiles(packBootFiles(boot))).toEqual(boot);
  });
});

describe('a plan that takes a card over', () => {
  let turn = 0;
  const draw = {
    random: (below: number): number => turn++ % below,
    id: (): string => `00000000-0000-4000-8000-${String(++turn).padStart(12, '0')}`,
  };
  const ids = [
    '2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a21',
    '2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a22',
    '2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a23',
  ];

  it('that is empty: has its settings as those of the batch', () => {
    const plan = adoptIntoPlan(emptyPlan('Old boards'), read('run-once'), ids, draw);
    expect(plan).toMatchObject({
      country: 'FO',
      timeZone: 'Atlantic/Faroe',
      access: {
        userName: 'keeper',
        keys: userKey,
        passwordLogin: true,
        others: [{ name: 'helper', sudo: true }],
      },
      extras: { keyboard: 'de nodeadkeys', commands: "echo 'a: b'\n" },
      devices: [{ hostName: 'tank-01', overrides: {} }],
    });
    expect(plan.networks.map(({ networkId }) => networkId)).toEqual(ids);
  });

  it('that has devices: keeps its own settings, and the device has what differs', () => {
    const before = soundPlan(2);
    const plan = adoptIntoPlan(
      before,
      { ...read('declarative-seed'), hostName: 'buoy-09', country: 'NO' },
      ids,
      draw,
    );
    expect({ ...plan, devices: [], tray: null }).toEqual({ ...before, devices: [], tray: null });
    const added = plan.devices.find(({ hostName }) => hostName === 'buoy-09');
    expect(added?.overrides).toEqual({
      country: 'NO',
      passwordLogin: true,
      networks: ids.map((networkId, at) => ({ networkId, priority: [25, 5, 1][at] })),
    });
    expect(leftOut(before, read('declarative-seed'))).toEqual([
      expect.stringContaining('hold for a whole batch'),
      expect.stringContaining('host key was not taken over'),
      expect.stringContaining('password of keeper'),
    ]);
    expect(leftOut(emptyPlan(''), read('declarative-seed'))).toHaveLength(2);
    // The same card once more changes the same device.
    const again = adoptIntoPlan(
      plan,
      { ...read('declarative-seed'), hostName: 'BUOY-09', country: 'SE' },
      ids,
      draw,
    );
    expect(again.devices).toHaveLength(3);
    expect(again.devices[2]?.overrides.country).toBe('SE');
  });
});
