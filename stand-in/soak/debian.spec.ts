import { execFileSync } from 'node:child_process';
import { randomBytes, randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import {
  canHaveLocale,
  cardFilesOf,
  ExtVolume,
  firstBootMethod,
  FatVolume,
  lookAtBoot,
  makeHostKey,
  MemorySource,
  plainExtras,
  preSharedKey,
  readSystem,
  sha512Crypt,
  SliceSource,
  textOf,
  utf8,
  type BaseFiles,
  type Carried,
  type FirstBootMethodId,
  type FirstBootSettings,
  type NetworkSettings,
  type SystemFacts,
} from '@nest-mark/core';
import { blankDisk, cardOf } from '../test/helpers/boot-disk';
import { StartedDebian } from './debian';
import { found, lines } from './found';

/**
 * Cards of this program on a Debian that is really started: systemd, cloud-init, NetworkManager and sshd of its packages.
 * What was said of the image before is compared with what runs. Needs root and a mirror of Debian's packages.
 */

const runs = Number(process.env['NEST_MARK_RUNS'] ?? 30);
const seed = Number(process.env['NEST_MARK_SEED'] ?? 20261129);

/** Programs whose absence is tried; the plan on such a system is told before that something will be missing. */
const parts: Record<string, readonly string[]> = {
  keyboard: [
    '/usr/bin/setupcon',
    '/usr/lib/systemd/system/console-setup.service',
    '/etc/init.d/console-setup.sh',
  ],
  locales: ['/usr/sbin/locale-gen'],
  sudo: ['/usr/bin/sudo'],
  netplan: ['/usr/sbin/netplan', '/lib/systemd/system-generators/netplan'],
  manager: ['/usr/sbin/NetworkManager', '/etc/systemd/system/multi-user.target.wants/NetworkManager.service'],
  login: ['/etc/systemd/system/multi-user.target.wants/ssh.service', '/etc/systemd/system/sshd.service'],
  supplicant: ['/usr/sbin/wpa_supplicant', '/sbin/wpa_supplicant'],
};

interface Case {
  method: FirstBootMethodId;
  without: string[];
  settings: FirstBootSettings;
}

const key = (): string => makeHostKey(randomBytes(32), randomBytes(4), 'mara@bench').publicLine;
const name = fc.stringMatching(/^[a-z][a-z0-9-]{0,14}[a-z0-9]$/);
const networks = fc
  .uniqueArray(
    fc
      .string({ minLength: 1, maxLength: 8, unit: 'grapheme-composite' })
      .filter((ssid) => utf8(ssid).length <= 32 && !/\p{C}/u.test(ssid)),
    {
      maxLength: 3,
    },
  )
  .chain((names) =>
    fc.tuple(
      ...names.map((ssid, at) =>
        fc.record({
          ssid: fc.constant(utf8(ssid)),
          security: fc.constantFrom<NetworkSettings['security']>('wpa2-psk', 'wpa2-wpa3', 'open'),
          hidden: fc.boolean(),
          priority: fc.constant((names.length - at) * 10),
          key: fc.constant(preSharedKey(ssid, 'low tide at seven')),
        }),
      ),
    ),
  )
  .map((list) => list.map((network) => (network.security === 'open' ? { ...network, key: '' } : network)));

const cases: fc.Arbitrary<Case> = fc
  .record({
    method: fc.constantFrom<FirstBootMethodId>('declarative-seed', 'run-once'),
    without: fc.subarray(Object.keys(parts), { maxLength: 2 }),
    hostName: name,
    user: fc.record({
      name: name.filter((one) => !['daemon', 'sync', 'games', 'guest', 'helper'].includes(one)),
      passwordHash: fc.constantFrom(null, sha512Crypt('low tide at seven', 'seagrass')),
      passwordLogin: fc.boolean(),
      sudo: fc.constantFrom<FirstBootSettings['user']['sudo']>('usual', 'free', 'none'),
      groups: fc.subarray(['dialout', 'video', 'audio']),
    }),
    others: fc.subarray([
      { name: 'helper', keys: [key()], sudo: true },
      { name: 'guest', keys: [key()], sudo: false },
    ]),
    networks,
    timeZone: fc.constantFrom('Atlantic/Faroe', 'Europe/Copenhagen', 'America/Argentina/Ushuaia', 'UTC'),
    locale: fc.constantFrom('en_GB.UTF-8', 'da_DK.UTF-8', 'C.UTF-8'),
    keyboard: fc.constantFrom(null, { layout: 'dk', variant: '' }, { layout: 'de', variant: 'nodeadkeys' }),
    wired: fc.constantFrom(null, {
      address: '192.168.40.21/24',
      gateway: '192.168.40.1',
      nameServers: ['192.168.40.2'],
    }),
    files: fc.subarray([
      {
        place: 'board' as const,
        path: '/etc/tank/settings.conf',
        mode: '0600',
        content: "it's $HOME: \u0085 «ø»\n",
      },
      {
        place: 'board' as const,
        path: '/home/USER/.config/tank/depth.toml',
        mode: '0640',
        content: 'depth = 3\n',
      },
    ]),
    commands: fc.subarray(['touch /var/lib/tank-one', "echo 'a: b' > /var/lib/tank-two", 'echo note: done']),
  })
  .map(({ method, without, user, files, ...rest }) => ({
    method,
    without,
    settings: {
      ...plainExtras,
      mark: '7KQ4M',
      nest: 'A1',
      deviceId: randomUUID(),
      batchId: randomUUID(),
      batchName: 'Tanks',
      country: 'DK',
      hostKey: makeHostKey(randomBytes(32), randomBytes(4), '7KQ4M'),
      instanceId: randomUUID(),
      ...rest,
      user: { ...user, keys: [key()] },
      files: files.map((file) => ({ ...file, path: file.path.replace('USER', user.name) })),
    },
  }));

/** What this program says of a root, from an ext4 of it. */
async function factsOf(debian: StartedDebian): Promise<SystemFacts> {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-facts-'));
  try {
    const image = join(folder, 'image');
    // Kernel file systems of the machine are not part of it.
    execFileSync('mke2fs', ['-q', '-F', '-t', 'ext4', '-d', debian.root, image, '1G'], {
      env: { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin` },
    });
    const system = await readSystem(await ExtVolume.open(new MemorySource(readFileSync(image))));
    const card = await cardOf(
      blankDisk('CIDATA'),
      new Map([
        ['cmdline.txt', utf8('quiet\n')],
        ['config.txt', utf8('x=1\n')],
      ]),
    );
    const boot = await FatVolume.openReadOnly(new SliceSource(card, 1 << 20, 8 << 20));
    return await lookAtBoot(boot, system, debian.mountedAt);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Writes a card's files, starts the system as often as the method needs, and waits until it is up. */
async function bringUp(
  debian: StartedDebian,
  { method, settings }: Case,
  system: SystemFacts,
): Promise<void> {
  const base: BaseFiles = {
    texts: new Map([['cmdline.txt', 'quiet\n']]),
    mountedAt: debian.mountedAt,
    system,
  };
  const files = cardFilesOf(method, settings, base);
  debian.putCard(files);
  if (method === 'declarative-seed') {
    execFileSync('ln', ['-sfn', debian.mountedAt, join(debian.root, '/var/lib/cloud/seed/nocloud')]);
    debian.start();
    await debian.cloudInitOver();
  } else {
    // cloud-init runs there too, without any settings: it must not undo what the script did.
    debian.write('/etc/cloud/cloud.cfg.d/90_none.cfg', 'datasource_list: [ None ]\n');
    const line = textOf(files.find(({ path }) => path === 'cmdline.txt')?.content ?? new Uint8Array()).trim();
    debian.start(...line.split(' ').filter((word) => word.startsWith('systemd.run')));
    await debian.ended();
    debian.start();
    await debian.cloudInitOver();
  }
  await debian.startOver();
}

describe('a Debian that is started from cards of random plans', () => {
  const drawn = fc.sample(cases, { numRuns: runs, seed });

  it.each(drawn.map((one, at) => [at, one.method, one.without.join('+') || 'nothing', one] as const))(
    '%i: %s, without %s: what was said to be carried is there, what is not there was named',
    async (_at, method, _without, one) => {
      const debian = new StartedDebian();
      try {
        for (const part of one.without) for (const path of parts[part] ?? []) debian.remove(path);
        debian.write('/var/lib/cloud/seed/.keep', '');
        // There is no interface here that could come up; it would wait two minutes for one.
        debian.mask('systemd-networkd-wait-online.service');
        const system = await factsOf(debian);
        const way = firstBootMethod(method);
        if (!way) throw new Error(`no method ${method}`);
        expect(way.inert(system)).toBeNull();
        const named = new Set<string>(way.lacks(system).map(({ what }) => what));
        if (canHaveLocale(system, one.settings.locale)) named.delete('locale');
        await bringUp(debian, one, system);
        const missing = Object.entries(found(debian, one.settings))
          .filter(([what, there]) => !there && way.carries.has(what as Carried) && !named.has(what))
          .map(([what]) => what);
        const errors = [
          ...(debian.read('/var/lib/cloud/data/status.json') ?? '').matchAll(/"errors": \[([^\]]+)\]/g),
        ].map(([, text]) => text?.trim());
        const failed = lines(debian.read(`${debian.mountedAt}/run-once.log`)).filter((line) =>
          line.startsWith('FAILED'),
        );
        expect({ missing, errors, failed }).toEqual({ missing: [], errors: [], failed: [] });
      } finally {
        await debian.end();
      }
    },
    600_000,
  );
});

describe('settings that are written anew onto the card of a Debian that has started before', () => {
  it('are taken in by cloud-init as another instance; what is stored stays, and commands do not run once more', async () => {
    const one = fc
      .sample(cases, { numRuns: 200, seed })
      .find(
        ({ method, without, settings }) =>
          method === 'declarative-seed' && without.length === 0 && settings.networks.length > 0,
      );
    if (!one) throw new Error('none of the plans has a seed and a network');
    const settings: FirstBootSettings = {
      ...one.settings,
      packages: [],
      refresh: 'nothing',
      commands: ['touch /var/lib/nest-mark-once'],
    };
    const debian = new StartedDebian();
    try {
      debian.mask('systemd-networkd-wait-online.service');
      debian.write('/var/lib/cloud/seed/.keep', '');
      const system = await factsOf(debian);
      await bringUp(debian, { ...one, settings }, system);
      expect(found(debian, settings)).toMatchObject({ networks: true, commands: true, hostKey: true });
      await debian.stop();

      // As the bench does it: the seed's files with other settings and another instance id, nothing else.
      const stored = `/home/${settings.user.name}/tide-table`;
      debian.write(stored, 'high water 04:12\n');
      debian.remove('/var/lib/nest-mark-once');
      debian.remove('/var/lib/cloud/data/status.json');
      const anew: FirstBootSettings = {
        ...settings,
        hostName: 'moved-01',
        networks: settings.networks.slice(0, 1).map((old) => ({
          ...old,
          ssid: utf8('New Hall; øst'),
          security: 'wpa2-psk',
          key: 'ab'.repeat(32),
        })),
        commands: [],
        instanceId: `${settings.mark}-${randomUUID()}`,
      };
      await bringUp(debian, { ...one, settings: anew }, system);
      expect(found(debian, anew)).toMatchObject({
        networks: true,
        hostName: true,
        user: true,
        keys: true,
        password: true,
        hostKey: true,
      });
      const before = found(debian, { ...anew, networks: settings.networks });
      expect(before.networks).toBe(false);
      expect(debian.read(stored)).toBe('high water 04:12\n');
      expect(debian.read('/var/lib/nest-mark-once')).toBeNull();
    } finally {
      await debian.end();
    }
  }, 600_000);
});
