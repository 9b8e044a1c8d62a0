import { chmodSync, mkdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { MemorySource, SliceSource } from '../src/disk/byte-source';
import { FatVolume } from '../src/disk/fat/volume';
import { bootPartition, inspectDisk } from '../src/disk/inspect';
import { openRoot, readBase } from '../src/firstboot/base-files';
import { checkCard, readBootFiles } from '../src/firstboot/check/check-card';
import { detectMethod } from '../src/firstboot/methods';
import { inScratch, run } from './helpers/reference';

const START = 1 << 20;
const BOOT = 8 << 20;
const ROOT = 16 << 20;

/** A disk with a FAT boot partition and an ext4 root, made by Debian's tools from some files. */
const diskOf = (boot: Record<string, string>, root: Record<string, string>): Promise<Uint8Array> =>
  inScratch((folder) => {
    const disk = join(folder, 'disk.img');
    writeFileSync(disk, '');
    truncateSync(disk, START + BOOT + ROOT);
    run(
      'sfdisk',
      ['-q', disk],
      `label: dos\n2048,${String(BOOT / 512)},e,*\n${String((START + BOOT) / 512)},${String(ROOT / 512)},83\n`,
    );
    run('mkfs.fat', ['-F', '16', '-s', '1', '--offset', '2048', disk, String(BOOT / 1024)]);
    for (const [name, text] of Object.entries(boot)) {
      writeFileSync(join(folder, 'one'), text);
      run('mcopy', ['-i', `${disk}@@1M`, join(folder, 'one'), `::${name}`]);
    }
    const tree = join(folder, 'tree');
    for (const [path, text] of Object.entries(root)) {
      mkdirSync(dirname(join(tree, path)), { recursive: true });
      writeFileSync(join(tree, path), text);
      chmodSync(join(tree, path), 0o755);
    }
    const part = join(folder, 'root.img');
    run('mke2fs', ['-q', '-t', 'ext4', '-d', tree, part, String(ROOT / 1024)]);
    const bytes = new Uint8Array(readFileSync(disk));
    bytes.set(readFileSync(part), START + BOOT);
    return bytes;
  });

const fstab = {
  'etc/fstab': '# table\nPARTUUID=1-01 /boot/firmware vfat defaults 0 2\nPARTUUID=1-02 / ext4 defaults 0 1\n',
};
const system = {
  ...fstab,
  'usr/lib/systemd/system-generators/systemd-run-generator': 'x',
  'usr/sbin/NetworkManager': 'x',
};

async function detected(bytes: Uint8Array): Promise<{ id: string; reason: string; mountedAt: string }> {
  const disk = new MemorySource(bytes);
  const partitions = await inspectDisk(disk);
  const { offset, size } = bootPartition(partitions)!;
  const boot = await FatVolume.openReadOnly(new SliceSource(disk, offset, size));
  const root = await openRoot(disk, partitions);
  const base = await readBase(boot, root);
  return { ...(await detectMethod({ boot, root, base })), mountedAt: base.mountedAt };
}

describe('the method of an image', () => {
  it.each([
    ['run-once', { 'cmdline.txt': 'quiet\n' }, system, 'cmdline.txt holds the kernel’s command line'],
    ['none', { 'cmdline.txt': 'quiet\n' }, fstab, 'no sign'],
    [
      'marker-files',
      { 'cmdline.txt': 'quiet\n' },
      {
        ...system,
        'usr/lib/systemd/system/first-start.service':
          '[Unit]\nConditionPathExistsGlob=/boot/firmware/{ssh,ssh.txt}\n',
      },
      '/usr/lib/systemd/system/first-start.service looks for /boot/firmware/{ssh,ssh.txt}.',
    ],
    ['network-template', { 'network.txt': '#network={\n#}\n' }, system, 'network.txt holds networks'],
    [
      'declarative-seed',
      { 'user-data': 'x', 'meta-data': 'x', 'cmdline.txt': 'quiet\n' },
      system,
      'user-data and meta-data',
    ],
  ])('%s is seen by what lies in it', async (id, boot, root, reason) => {
    const found = await detected(await diskOf(boot, root));
    expect(found).toMatchObject({ id, mountedAt: '/boot/firmware' });
    expect(found.reason).toContain(reason);
  });
});

describe('a whole card', () => {
  it('without a table of mounts tells the id it has booted with all the same, and guesses no path', async () => {
    const bytes = await diskOf(
      { 'user-data': '#cloud-config\n', 'meta-data': 'instance-id: old-1\n' },
      { 'etc/os-release': 'ID=x\n', 'var/lib/cloud/data/instance-id': 'old-1\n' },
    );
    const boot = await readBootFiles(new MemorySource(bytes));
    expect(boot).toMatchObject({ bootedAs: 'old-1', mountedAt: null, elsewhere: [] });
    expect(checkCard(boot).findings.map(({ id }) => id)).toContain('instance-id-used');
  });

  it('tells files on the wrong partition, the id it has booted with, and where the script really lies', async () => {
    const bytes = await diskOf(
      { 'cmdline.txt': 'quiet systemd.run=/boot/run-once.sh\n', 'run-once.sh': '#!/bin/sh\n' },
      {
        ...system,
        'boot/wpa_supplicant.conf': 'country=DK\n',
        ssh: '',
        'var/lib/cloud/data/instance-id': 'old-1\n',
      },
    );
    const boot = await readBootFiles(new MemorySource(bytes));
    expect(boot).toMatchObject({
      bootedAs: 'old-1',
      mountedAt: '/boot/firmware',
      elsewhere: ['/ssh', '/boot/wpa_supplicant.conf'],
    });
    const { findings } = checkCard(boot);
    expect(
      findings.filter(({ id }) => id === 'wrong-partition').map(({ file, advice }) => [file, advice]),
    ).toEqual([
      ['/ssh', 'Move it to the boot partition, as ssh.'],
      ['/boot/wpa_supplicant.conf', 'Move it to the boot partition, as wpa_supplicant.conf.'],
    ]);
    expect(findings.find(({ id }) => id === 'script-path')).toMatchObject({
      file: 'cmdline.txt',
      fix: { do: 'replace' },
    });
  });
});
