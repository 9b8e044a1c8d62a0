import { execFileSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import {
  compareVersions,
  dpkgPackages,
  ExtVolume,
  MemorySource,
  readPackages,
  SystemFactsSchema,
  systemLines,
  type FirstBootMethodId,
  type SystemFacts,
} from '../src/index';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import { firstBootMethod } from '../src/firstboot/methods';
import { textOf } from '../src/bytes';
import type { PlanView } from '../src/plan/model';
import { checkPlan } from '../src/rules';
import { network, settings, soundNetwork, soundPlan, viewOf } from './helpers/plan';
import { attempt, inScratch, run } from './helpers/reference';
import { dpkgStatus, rootWithout, systemOf, wholeBoot, wholeRoot, type Tree } from './helpers/system-image';
import { many } from './helpers/soak';

describe('the list of installed packages', () => {
  const bin = (name: string): string => `/usr/bin/${name}`;

  it('is that of dpkg-query, on this machine’s own list read from an ext4', async () => {
    await inScratch(async (folder) => {
      const root = join(folder, 'root');
      mkdirSync(join(root, 'var/lib/dpkg'), { recursive: true });
      copyFileSync('/var/lib/dpkg/status', join(root, 'var/lib/dpkg/status'));
      const image = join(folder, 'image');
      run('mke2fs', ['-q', '-t', 'ext4', '-d', root, image, '64M']);
      const { manager, versions } = await readPackages(
        await ExtVolume.open(new MemorySource(readFileSync(image))),
      );
      const told = execFileSync(
        bin('dpkg-query'),
        ['--admindir', join(root, 'var/lib/dpkg'), '-W', '-f', '${db:Status-Status} ${Package} ${Version}\n'],
        { encoding: 'utf8', maxBuffer: 16 << 20 },
      );
      const installed = told
        .split('\n')
        .filter((line) => line.startsWith('installed '))
        .map((line) => line.split(' ').slice(1) as [string, string]);
      expect(manager).toBe('dpkg');
      expect(Object.fromEntries(versions)).toEqual(Object.fromEntries(installed));
      expect(versions.size).toBeGreaterThan(100);
    });
  });

  it('leaves out what was removed, what is half there, and what is no stanza', () => {
    const text = `${dpkgStatus({ a: '1' })}Package: b\nStatus: deinstall ok config-files\nVersion: 2\n\nPackage: c\nStatus: install reinstreq half-installed\nVersion: 3\n\nnothing\n`;
    expect([...dpkgPackages(text)]).toEqual([['a', '1']]);
  });

  it('is read of apk as well, and of rpm is only named', async () => {
    const apk = await systemOf(wholeBoot, {
      'etc/os-release': 'x',
      'lib/apk/db/installed': 'C:Q1x\nP:sudo\nV:1.9.15-r0\nA:aarch64\n\nP:bash\nV:5.2-r1\n',
      'usr/bin/sudo': 'x',
    });
    expect(apk.packages).toMatchObject({ manager: 'apk', count: 2 });
    expect(apk.abilities.sudo).toMatchObject({ has: true, version: '1.9.15-r0' });
    const rpm = await systemOf(wholeBoot, { 'etc/os-release': 'x', 'var/lib/rpm/rpmdb.sqlite': 'x' });
    expect(rpm.packages).toEqual({ manager: 'rpm', count: 0, where: '/var/lib/rpm/rpmdb.sqlite' });
  });

  it('orders versions as dpkg --compare-versions does', () => {
    const part = fc.stringMatching(/^[0-9][0-9a-z.+~]{0,6}$/);
    const version = fc
      .tuple(fc.option(fc.nat(3)), part, fc.option(fc.stringMatching(/^[0-9a-z.+~]{1,4}$/)))
      .map(([epoch, upstream, revision]) =>
        [epoch === null ? '' : `${String(epoch)}:`, upstream, revision === null ? '' : `-${revision}`].join(
          '',
        ),
      );
    const dpkg = (a: string, relation: string, b: string): boolean =>
      attempt(bin('dpkg'), ['--compare-versions', a, relation, b]).code === 0;
    fc.assert(
      fc.property(version, version, (a, b) => {
        const order = compareVersions(a, b);
        expect([a, b, order < 0]).toEqual([a, b, dpkg(a, 'lt', b)]);
        expect([a, b, order === 0]).toEqual([a, b, dpkg(a, 'eq', b)]);
      }),
      {
        numRuns: many(20, 60),
        examples: [
          ['0.106-2+deb12u1', '0.107'],
          ['1.0', '0.107'],
          ['1.0~rc1', '1.0'],
          ['1:0.1', '9'],
          ['0.107', '0.107-1'],
        ],
      },
    );
  });
});

describe('what an image can do', () => {
  it('all of it, with versions and places', async () => {
    const system = await systemOf(wholeBoot, wholeRoot(), 'CIDATA');
    expect(SystemFactsSchema.parse(system)).toEqual(system);
    expect(Object.values(system.abilities).map(({ has }) => has)).not.toContain(false);
    expect(system.abilities.netplan).toEqual({
      has: true,
      on: null,
      version: '1.1.2-2',
      where: '/usr/sbin/netplan, package netplan.io',
    });
    expect(system).toMatchObject({
      unread: '',
      seedPlace: expect.stringContaining('CIDATA'),
      kernelLine: { path: 'cmdline.txt' },
      locales: ['C.utf8'],
      shared: [],
      accounts: [{ name: 'root', login: 'none' }],
    });
    expect(system.abilities.ssh?.on).toBe(true);
    expect(system.abilities.networkd?.on).toBe(false);
  });

  it('nothing, and why, where the root cannot be read', async () => {
    const none = await systemOf(wholeBoot, { 'some/file': 'x' });
    expect(none).toMatchObject({ unread: 'No root file system was found on it.', abilities: {} });
    // The boot partition tells its own all the same.
    expect(none.kernelLine?.path).toBe('cmdline.txt');
  });

  it('accounts that somebody else could log in to', async () => {
    const { accounts } = await systemOf(wholeBoot, {
      ...wholeRoot(),
      'etc/passwd':
        'root:x:0:0::/root:/bin/bash\nmaker:x:1000:1000::/home/maker:/bin/bash\nguest::1001:1001::/home/guest:/bin/sh\nlocked:x:1002:1002::/home/locked:/bin/sh\nkeyed:x:1003:1003::/home/keyed:/bin/sh\nserver:x:1004:1004::/:/usr/sbin/nologin\nnobody:x:65534:65534::/:/bin/sh\n',
      'etc/shadow':
        'root:!:1::::::\nmaker:$6$salt$hash:1::::::\nlocked:!$6$salt$hash:1::::::\nkeyed:*:1::::::\n',
      'home/keyed/.ssh/authorized_keys': 'ssh-ed25519 AAAA somebody\n',
    });
    expect(accounts.map(({ name, login }) => `${name} ${login}`)).toEqual([
      'root none',
      'maker password',
      'guest no-password',
      'locked none',
      'keyed keys',
    ]);
  });

  it('what all copies of it would share', async () => {
    const { shared } = await systemOf(wholeBoot, {
      ...wholeRoot(),
      'etc/machine-id': `${'0a'.repeat(16)}\n`,
      'var/lib/dbus/machine-id': '-> /etc/machine-id',
      'etc/ssh/ssh_host_rsa_key': 'x',
      'var/lib/cloud/data/instance-id': 'i-1\n',
    });
    expect(shared.map(({ what, where }) => `${what} ${where}`)).toEqual([
      'machine-id /etc/machine-id',
      'host-key /etc/ssh/ssh_host_rsa_key',
      'instance /var/lib/cloud/data/instance-id',
    ]);
  });

  it('a masked service is not started, whatever wants it', async () => {
    const { abilities } = await systemOf(wholeBoot, {
      ...wholeRoot(),
      'etc/systemd/system/ssh.service': '-> /dev/null',
    });
    expect(abilities.ssh).toMatchObject({ has: true, on: false });
  });

  it('units of the first boot that the maker put there', async () => {
    const { firstBoot } = await systemOf(wholeBoot, {
      ...wholeRoot(),
      'usr/lib/systemd/system/fill-card.service':
        '[Unit]\nDescription=Fill the card\nConditionFirstBoot=yes\n',
      'etc/systemd/system/multi-user.target.wants/fill-card.service':
        '-> /usr/lib/systemd/system/fill-card.service',
    });
    expect(firstBoot).toEqual([
      { text: 'Fill the card', where: '/usr/lib/systemd/system/fill-card.service' },
    ]);
  });

  it.each<[string, Tree, Tree, string | null]>([
    ['one line, beside the configuration of the first stage', wholeBoot, {}, 'cmdline.txt'],
    ['one line alone', { 'cmdline.txt': 'quiet\n' }, {}, 'cmdline.txt'],
    ['a list', { 'extlinux/extlinux.conf': 'label l\n  append root=/dev/x\n' }, {}, 'extlinux/extlinux.conf'],
    [
      'both, and the list is what is read',
      { 'cmdline.txt': 'quiet\n', 'extlinux/extlinux.conf': 'label l\n  append root=/dev/x\n' },
      {},
      'extlinux/extlinux.conf',
    ],
    [
      'one line that a boot loader with a list of its own never reads',
      { 'cmdline.txt': 'quiet\n', 'EFI/BOOT/BOOTAA64.EFI': 'x' },
      {},
      null,
    ],
    ['none', { 'config.txt': 'x=1\n' }, {}, null],
  ])('the kernel’s command line: %s', async (_what, boot, _root, path) => {
    expect((await systemOf(boot, wholeRoot())).kernelLine?.path ?? null).toBe(path);
  });
});

describe('what an image can do, in words', () => {
  it('what speaks against it comes first, each with its place', async () => {
    const system = await systemOf(
      wholeBoot,
      { ...rootWithout('usr/sbin/netplan'), 'etc/machine-id': 'ab'.repeat(16) },
      'CIDATA',
    );
    const lines = systemLines(system);
    expect(lines.filter(({ amiss }) => amiss)).toEqual(lines.slice(0, 2));
    expect(lines.slice(0, 2).map(({ title, text, where }) => [title, text, where])).toEqual([
      ['netplan', 'missing (takes the networks of a seed)', 'none of /usr/sbin/netplan, /sbin/netplan'],
      ['Shared by all copies', 'a machine-id', '/etc/machine-id'],
    ]);
    // A sound image has nothing of that kind, and no line without a place.
    const sound = systemLines(await systemOf(wholeBoot, wholeRoot(), 'CIDATA'));
    expect(sound.filter(({ amiss, where }) => amiss || where === '')).toEqual([]);
  });
});

describe('where cloud-init looks for its seed', () => {
  const cfg = (text: string): Tree => ({ 'etc/cloud/cloud.cfg.d/90_here.cfg': text });
  const one = 'datasource_list: [ NoCloud, None ]\n';

  it.each<[string, string, Tree, string | null]>([
    ['the usual label', 'cidata', {}, 'cidata'],
    [
      'another label that its configuration names',
      'boot',
      cfg(`${one}datasource:\n  NoCloud:\n    fs_label: boot\n`),
      'boot',
    ],
    [
      'the usual label although its configuration names another',
      'CIDATA',
      cfg('datasource: {NoCloud: {fs_label: boot}}\n'),
      null,
    ],
    [
      'a folder that its configuration names',
      'BOOT',
      cfg(`${one}datasource: {NoCloud: {seedfrom: "file:///boot/firmware/"}}\n`),
      'leads cloud-init to',
    ],
    [
      'a folder that a link makes of the boot partition',
      'BOOT',
      { 'var/lib/cloud/seed/nocloud': '-> /boot/firmware' },
      'leads cloud-init to',
    ],
    ['no place', 'BOOT', {}, null],
    ['a source that is not looked at', 'CIDATA', cfg('datasource_list: [ Ec2, None ]\n'), null],
    ['switched off', 'CIDATA', { 'etc/cloud/cloud-init.disabled': '' }, null],
    [
      'another label, with a program before it that knows the usual one only',
      'boot',
      {
        ...cfg('datasource_list: [ NoCloud, Ec2 ]\ndatasource: {NoCloud: {fs_label: boot}}\n'),
        'usr/lib/cloud-init/ds-identify': 'x',
      },
      null,
    ],
    [
      'another label, and NoCloud alone, which that program does not ask about',
      'boot',
      { ...cfg(`${one}datasource: {NoCloud: {fs_label: boot}}\n`), 'usr/lib/cloud-init/ds-identify': 'x' },
      'boot',
    ],
  ])('%s', async (_what, label, more, place) => {
    const system = await systemOf(wholeBoot, { ...wholeRoot(), ...more }, label);
    if (place === null) {
      expect(system.seedPlace).toBeNull();
      expect(firstBootMethod('declarative-seed')?.inert(system)).toMatch(/cloud-init/);
    } else {
      expect(system.seedPlace).toContain(place);
      expect(firstBootMethod('declarative-seed')?.inert(system)).toBeNull();
    }
  });

  it('lists and labels are those that cloud-init’s own reader makes of its files (package cloud-init)', async () => {
    const base = 'datasource_list: [ Ec2, NoCloud ]\ndatasource:\n  NoCloud: {fs_label: one}\n';
    const parts: Record<string, string> = {
      '10_a.cfg': 'datasource: {NoCloud: {fs_label: two}, Ec2: {timeout: 5}}\n',
      '20_b.cfg': 'datasource_list: [NoCloud, None]\n',
      '20_a.cfg': 'datasource_list: [None]\n',
      '30_broken.cfg': 'a: [\n',
      '40_list.cfg': '- a\n',
      'not-read.txt': 'datasource_list: [Azure]\n',
    };
    const told = await inScratch((folder) => {
      const script = [
        'import json, sys, os, logging',
        'logging.disable(logging.CRITICAL)',
        'from cloudinit import util',
        'os.makedirs(sys.argv[1] + "/c.d")',
        'open(sys.argv[1] + "/c", "w").write(sys.argv[2])',
        'for name, text in json.loads(sys.argv[3]).items(): open(sys.argv[1] + "/c.d/" + name, "w").write(text)',
        'print(json.dumps(util.read_conf_with_confd(sys.argv[1] + "/c")))',
      ].join('\n');
      return Promise.resolve(
        JSON.parse(run('/usr/bin/python3', ['-c', script, folder, base, JSON.stringify(parts)])) as {
          datasource_list: string[];
          datasource: { NoCloud: { fs_label: string } };
        },
      );
    });
    const { seed } = await systemOf(wholeBoot, {
      ...wholeRoot(),
      'etc/cloud/cloud.cfg': base,
      ...Object.fromEntries(
        Object.entries(parts).map(([name, text]) => [`etc/cloud/cloud.cfg.d/${name}`, text]),
      ),
    });
    expect(seed?.sources).toEqual(told.datasource_list);
    expect(seed?.label).toBe(told.datasource.NoCloud.fs_label);
  });
});

/** What the rules find of a sound plan on an image of some files. */
async function findings(
  method: FirstBootMethodId,
  boot: Tree,
  root: Tree,
  change: (view: PlanView) => void = () => undefined,
  label = 'CIDATA',
): Promise<string[]> {
  const system = await systemOf(boot, root, label);
  const view = viewOf(soundPlan());
  view.images = view.images.map((image) => ({ ...image, method, system }));
  change(view);
  return checkPlan(view).map(({ rule, severity, message }) => `${rule} ${severity}: ${message}`);
}

describe('a plan on an image that has, or lacks, something', () => {
  const wpa3 = (view: PlanView): void => {
    view.networks = [{ ...soundNetwork(), security: 'wpa3-sae' }];
    view.plan.boardProfileId = 'full-64-newest';
  };
  const netplan = (version: string): Tree => ({
    ...wholeRoot(),
    'var/lib/dpkg/status': dpkgStatus({ 'netplan.io': version }),
  });

  it.each<FirstBootMethodId>(['declarative-seed', 'run-once'])(
    '%s: nothing is found where nothing is missing',
    async (method) => {
      expect(await findings(method, wholeBoot, wholeRoot())).toEqual([]);
    },
  );

  it.each<[string, FirstBootMethodId, Tree, Tree, (view: PlanView) => void, string]>([
    [
      'cloud-init',
      'declarative-seed',
      wholeBoot,
      rootWithout('cloud-init'),
      () => undefined,
      'method-acts stops',
    ],
    ['netplan', 'declarative-seed', wholeBoot, rootWithout('netplan'), () => undefined, 'method-joins stops'],
    [
      'wpa_supplicant',
      'declarative-seed',
      wholeBoot,
      rootWithout('wpa_supplicant'),
      () => undefined,
      'method-joins stops',
    ],
    [
      'NetworkManager',
      'run-once',
      wholeBoot,
      rootWithout('NetworkManager'),
      () => undefined,
      'method-joins stops',
    ],
    [
      'NetworkManager that is started',
      'run-once',
      wholeBoot,
      rootWithout('wants/NetworkManager'),
      () => undefined,
      'method-joins stops',
    ],
    [
      'a command line that is read',
      'run-once',
      { 'cmdline.txt': 'x\n', 'EFI/BOOT/BOOTAA64.EFI': 'x' },
      wholeRoot(),
      () => undefined,
      'method-acts stops',
    ],
    [
      'systemd’s way to start a program',
      'run-once',
      wholeBoot,
      rootWithout('systemd-run-generator'),
      () => undefined,
      'method-acts stops',
    ],
    ['a template', 'network-template', wholeBoot, wholeRoot(), () => undefined, 'method-acts stops'],
    [
      'a netplan that knows WPA3',
      'declarative-seed',
      wholeBoot,
      netplan('0.106-2+deb12u1'),
      wpa3,
      'security-method stops',
    ],
    [
      'a netplan whose version is known',
      'declarative-seed',
      wholeBoot,
      netplan(''),
      wpa3,
      'security-method warns',
    ],
    [
      'locale-gen',
      'declarative-seed',
      wholeBoot,
      rootWithout('locale-gen'),
      () => undefined,
      'method-carries warns',
    ],
    [
      'console-setup',
      'declarative-seed',
      wholeBoot,
      rootWithout('setupcon'),
      ({ plan }) => (plan.extras.keyboard = 'de'),
      'method-carries warns',
    ],
    ['locale-gen', 'run-once', wholeBoot, rootWithout('locale-gen'), () => undefined, 'method-carries warns'],
    [
      'sudo',
      'run-once',
      wholeBoot,
      rootWithout('bin/sudo'),
      ({ plan }) => (plan.extras.sudo = 'free'),
      'method-carries warns',
    ],
    [
      'time zones',
      'declarative-seed',
      wholeBoot,
      rootWithout('zoneinfo'),
      () => undefined,
      'method-carries warns',
    ],
    [
      'a login service',
      'declarative-seed',
      wholeBoot,
      rootWithout('sshd'),
      () => undefined,
      'image-login stops',
    ],
    [
      'a locked maker’s account',
      'declarative-seed',
      wholeBoot,
      { ...wholeRoot(), 'etc/shadow': 'root:$6$a$b:1::::::\n' },
      () => undefined,
      'image-accounts warns',
    ],
    [
      'an id for each copy',
      'declarative-seed',
      wholeBoot,
      { ...wholeRoot(), 'etc/machine-id': 'ab'.repeat(16) },
      () => undefined,
      'image-shared warns',
    ],
  ])('without %s, by %s', async (_what, method, boot, root, change, expected) => {
    const found = await findings(method, boot, root, change);
    expect(found.filter((line) => line.startsWith(`${expected}:`))).toHaveLength(1);
    // What is there is not told as missing: the same plan on the whole image.
    if (method !== 'network-template')
      expect(
        (await findings(method, wholeBoot, wholeRoot(), change)).filter((line) =>
          line.startsWith(`${expected}:`),
        ),
      ).toEqual([]);
  });

  it('WPA3 alone on a newer netplan, or by keyfiles, is not spoken against', async () => {
    for (const [method, root] of [
      ['declarative-seed', netplan('1.0.1')],
      ['run-once', netplan('0.106')],
    ] as const)
      expect(
        (await findings(method, wholeBoot, root, wpa3)).filter((line) => line.includes('security-method')),
      ).toEqual([]);
  });

  it('marker files: a time zone may be left empty, and one that is filled in is told as not carried', async () => {
    const password = ({ plan }: PlanView): void => {
      Object.assign(plan.access, { passwordLogin: true, passwordScope: 'each' });
    };
    const empty = await findings('marker-files', wholeBoot, wholeRoot(), (view) => {
      password(view);
      view.plan.timeZone = '';
      view.plan.locale = '';
    });
    expect(empty.filter((line) => line.includes(' stops'))).toEqual([]);
    const filled = await findings('marker-files', wholeBoot, wholeRoot(), password);
    expect(filled.some((line) => line.startsWith('method-carries') && line.includes('the time zone'))).toBe(
      true,
    );
  });

  it('the order of networks: who acts is said where it is not heeded', async () => {
    const two = (view: PlanView): void => {
      const id = '3f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a12';
      view.networks = [...view.networks, { ...soundNetwork(), id, ssid: 'Hall', title: 'Hall' }];
      view.plan.networks.push({ networkId: id, priority: 5 });
    };
    const of = async (root: Tree): Promise<string[]> =>
      (await findings('declarative-seed', wholeBoot, root, two)).filter((line) =>
        line.includes('which network comes first'),
      );
    expect(await of(rootWithout('NetworkManager'))).toEqual([
      expect.stringContaining('systemd-networkd and wpa_supplicant act'),
    ]);
    expect(await of(wholeRoot())).toEqual([]);
  });
});

describe('a seed for an image that was read', () => {
  const seedFor = (system: SystemFacts, file = 'user-data'): Record<string, unknown> => {
    const given = settings({
      networks: [network()],
      keyboard: { layout: 'de', variant: '' },
      locale: 'da_DK.UTF-8',
    });
    const found = cardFilesOf('declarative-seed', given, { ...noBase, system }).find(
      ({ path }) => path === file,
    );
    return parse(textOf(found!.content), { version: '1.1' }) as Record<string, unknown>;
  };

  it('leaves out what would make the boot a failed one, and takes what is there', async () => {
    const whole = seedFor(await systemOf(wholeBoot, wholeRoot(), 'CIDATA'));
    expect(whole).toMatchObject({ keyboard: { layout: 'de' }, locale: 'da_DK.UTF-8' });
    expect(whole['runcmd']).toBeUndefined();
    const bare = seedFor(
      await systemOf(
        wholeBoot,
        rootWithout('setupcon', 'locale-gen', 'bin/bash', 'wants/ssh.service'),
        'CIDATA',
      ),
    );
    expect(bare['keyboard']).toBeUndefined();
    expect(bare).toMatchObject({ locale: 'false', users: [{ shell: '/bin/sh' }] });
    expect(JSON.stringify(bare['write_files'])).not.toContain('locale.gen');
    expect(bare['runcmd']).toEqual([['sh', '-c', expect.stringContaining('systemctl enable --now ssh')]]);
  });

  it('names NetworkManager where it is started anyway, since it alone heeds an order; netplan takes the file', async () => {
    const config = seedFor(await systemOf(wholeBoot, wholeRoot(), 'CIDATA'), 'network-config');
    expect(config).toMatchObject({ network: { renderer: 'NetworkManager' } });
    expect(
      seedFor(await systemOf(wholeBoot, rootWithout('NetworkManager'), 'CIDATA'), 'network-config'),
    ).toMatchObject({
      network: expect.not.objectContaining({ renderer: expect.anything() }),
    });
    expect(existsSync('/usr/sbin/netplan')).toBe(true);
  });
});
