import { MARK_ON_CARD, readMark, type MarkFile } from '../../batch/mark-file';
import { SliceSource, type ByteSource } from '../../disk/byte-source';
import { DiskError } from '../../disk/disk-error';
import { ExtVolume } from '../../disk/ext/volume';
import { FatVolume } from '../../disk/fat/volume';
import { bootPartition, inspectDisk } from '../../disk/inspect';
import { Findings, noSettings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { checkCommandLine, checkUserconf } from './marker-files';
import { checkFileNames, markerFiles, seedFiles } from './names';
import { checkSeed } from './seed';
import { checkSupplicant } from './supplicant';

/** Which first-boot method acts on a card. */
type ActingMethod = 'declarative-seed' | 'marker-files' | 'none';

/** What a card will make of its board, and what is wrong with it. */
export interface CardCheck {
  acts: ActingMethod;
  /** Why this method. */
  reason: string;
  settings: CheckedSettings;
  /** What a card that was written here says of itself. */
  mark: MarkFile | null;
  findings: CheckFinding[];
  /** Files that were looked at. */
  looked: string[];
}

/** What was found on a card, an image or in a folder. */
export interface BootFiles {
  /** Every name in the root of the boot partition. */
  names: string[];
  files: BootFile[];
  /** Label of the boot partition; empty for a folder. */
  label: string;
  /** Instance id with which the board has booted, from its root file system. */
  bootedAs: string | null;
}

/** Largest file that is read; first-boot files have kilobytes. */
const LARGEST = 512 << 10;
const worthReading =
  /^(user-data|meta-data|network-config|ssh|userconf|wpa_supplicant|cmdline|firstrun|nest-mark|id_|.*\.(pem|key)$)/i;

/**
 * Reads what matters of a card or an image; of a large image only what is needed.
 * @throws DiskError when it is no disk, or has no FAT boot partition
 */
export async function readBootFiles(disk: ByteSource): Promise<BootFiles> {
  const partitions = await inspectDisk(disk);
  const boot = bootPartition(partitions);
  if (!boot)
    throw new DiskError('missing', 'There is no FAT boot partition on it, so no first-boot files could act.');
  const volume = await FatVolume.openReadOnly(new SliceSource(disk, boot.offset, boot.size));
  const entries = await volume.list();
  const files: BootFile[] = [];
  for (const { name, folder, size } of entries)
    if (!folder && size <= LARGEST && worthReading.test(name))
      files.push({ name, content: (await volume.readFile(name)) ?? new Uint8Array() });
  let bootedAs: string | null = null;
  for (const { fileSystem, offset, size } of partitions)
    if (fileSystem === 'ext') bootedAs ??= await bootedId(new SliceSource(disk, offset, size));
  return { names: entries.map(({ name }) => name), files, label: volume.geometry.label, bootedAs };
}

/** The id of the seed that was taken last (cloud-init documentation, "instance data": /var/lib/cloud/data). */
async function bootedId(root: ByteSource): Promise<string | null> {
  try {
    const volume = await ExtVolume.open(root);
    const bytes = await volume.readFile('/var/lib/cloud/data/instance-id', 256);
    const text = bytes && new TextDecoder().decode(bytes).trim();
    return text ? text : null;
  } catch (error) {
    if (error instanceof DiskError || error instanceof RangeError) return null;
    throw error;
  }
}

function actingMethod({ names, label }: BootFiles): { acts: ActingMethod; reason: string } {
  const has = (file: string): boolean => names.some((name) => name.toLowerCase() === file);
  if (label.toUpperCase() === 'CIDATA')
    return { acts: 'declarative-seed', reason: 'The boot partition is labelled CIDATA.' };
  if (has('user-data') || has('meta-data'))
    return { acts: 'declarative-seed', reason: 'There are files of a declarative seed.' };
  const marker = markerFiles.find(has);
  if (marker) return { acts: 'marker-files', reason: `There is the marker file ${marker}.` };
  return { acts: 'none', reason: 'No file of a first-boot method that is known here was found.' };
}

/** Files of the other school: the image does not read them, and people wonder. */
function leftovers(acts: ActingMethod, names: readonly string[]): CheckFinding[] {
  const others: readonly string[] =
    acts === 'declarative-seed' ? markerFiles : acts === 'marker-files' ? seedFiles : [];
  return names.flatMap((name) => {
    if (!others.includes(name.toLowerCase())) return [];
    const found = new Findings(name);
    found.add(
      'warns',
      'other-method',
      `${name} belongs to another method than the one that acts.`,
      'An image reads the files of its own method only; this one does nothing.',
      'Put what it should do into the files of the method that acts.',
    );
    return found.list;
  });
}

/** Private keys that lie on the card outside their place. */
function privateKeys(files: readonly BootFile[]): CheckFinding[] {
  return files.flatMap(({ name, content }) => {
    if (name.toLowerCase() === 'user-data') return [];
    const text = new TextDecoder().decode(content);
    const at = text.search(/-----BEGIN [A-Z0-9 ]*PRIVATE KEY-----/);
    if (at < 0) return [];
    const found = new Findings(name);
    found.add(
      'stops',
      'private-key',
      `${name} holds a private key.`,
      'Whoever holds the card has it: it is no secret any more. Only the public half belongs on a card.',
      'Take the file away and make a new key pair.',
      { line: text.slice(0, at).split('\n').length, byte: at },
    );
    return found.list;
  });
}

function markOf(files: readonly BootFile[]): CardCheck['mark'] {
  const file = files.find(({ name }) => name.toLowerCase() === MARK_ON_CARD);
  return file ? readMark(file.content) : null;
}

/** Says what a card will make of its board, and what is wrong with it. */
export function checkCard(boot: BootFiles): CardCheck {
  const { acts, reason } = actingMethod(boot);
  const settings = noSettings();
  const files = new Map(boot.files.map((file) => [file.name.toLowerCase(), file]));
  const findings = checkFileNames(boot.names);
  if (acts === 'declarative-seed') findings.push(...checkSeed(files, boot.bootedAs, settings));
  if (acts === 'marker-files') {
    settings.loginService = boot.names.some((name) => name.toLowerCase() === 'ssh');
    const supplicant = files.get('wpa_supplicant.conf');
    if (supplicant) findings.push(...checkSupplicant(supplicant, settings));
    const userconf = files.get('userconf.txt');
    if (userconf) findings.push(...checkUserconf(userconf, settings));
    if (!settings.loginService) {
      const found = new Findings('ssh');
      found.add(
        'stops',
        'login-service-off',
        'There is no file named ssh.',
        'The login service stays off, and the board can be found but not reached.',
        'Make an empty file named ssh.',
        {
          fix: { do: 'replace', file: 'ssh', content: new Uint8Array() },
        },
      );
      findings.push(...found.list);
    }
  }
  const commandLine = files.get('cmdline.txt');
  if (commandLine) findings.push(...checkCommandLine(commandLine));
  findings.push(...leftovers(acts, boot.names), ...privateKeys(boot.files));
  if (acts === 'none') {
    const found = new Findings('');
    found.add(
      'stops',
      'no-method',
      'Nothing on this card gives the board a name, a login or a network.',
      'It starts as the image ships it.',
      'Write first-boot files of the method that the image reads.',
    );
    findings.push(...found.list);
  }
  const weight = { stops: 0, warns: 1, note: 2 };
  findings.sort((a, b) => weight[a.severity] - weight[b.severity]);
  return {
    acts,
    reason,
    settings,
    mark: markOf(boot.files),
    findings,
    looked: boot.files.map(({ name }) => name),
  };
}
