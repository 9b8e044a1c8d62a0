import { MemorySource, SliceSource } from '../src/disk/byte-source';
import { FatVolume } from '../src/disk/fat/volume';
import { fatPartitions, inspectDisk } from '../src/disk/inspect';
import { openRoot, readBase } from '../src/firstboot/base-files';
import { checkCard } from '../src/firstboot/check/check-card';
import { readBootFiles } from '../src/firstboot/boot-files';
import { lookAtSystem } from '../src/firstboot/image-system';
import { detectMethod } from '../src/firstboot/methods';
import { systemDisk } from './helpers/system-image';

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
  const { offset, size } = fatPartitions(partitions)[0]!;
  const boot = await FatVolume.openReadOnly(new SliceSource(disk, offset, size));
  const root = await openRoot(disk, partitions);
  const system = await lookAtSystem(disk, partitions, boot);
  const { mountedAt } = await readBase(boot, root, system);
  return { ...(await detectMethod({ boot, root, system })), mountedAt };
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
      { ...system, 'usr/bin/cloud-init': 'x' },
      'brings a seed of its own, and cloud-init is there',
    ],
    ['none', { 'user-data': 'x', 'meta-data': 'x' }, fstab, 'it has no cloud-init'],
  ])('%s is seen by what lies in it', async (id, boot, root, reason) => {
    const found = await detected(await systemDisk(boot, root));
    expect(found).toMatchObject({ id, mountedAt: '/boot/firmware' });
    expect(found.reason).toContain(reason);
  });
});

describe('a whole card', () => {
  it('without a table of mounts tells the id it has booted with all the same, and guesses no path', async () => {
    const bytes = await systemDisk(
      { 'user-data': '#cloud-config\n', 'meta-data': 'instance-id: old-1\n' },
      { 'etc/os-release': 'ID=x\n', 'var/lib/cloud/data/instance-id': 'old-1\n' },
    );
    const boot = await readBootFiles(new MemorySource(bytes));
    expect(boot).toMatchObject({ bootedAs: 'old-1', mountedAt: null, elsewhere: [] });
    expect(checkCard(boot).findings.map(({ id }) => id)).toContain('instance-id-used');
  });

  it('tells files on the wrong partition, the id it has booted with, and where the script really lies', async () => {
    const bytes = await systemDisk(
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
