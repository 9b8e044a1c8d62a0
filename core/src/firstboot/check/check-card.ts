import { MARK_ON_CARD, readMark, type MarkFile } from '../../batch/mark-file';
import { SliceSource, type ByteSource } from '../../disk/byte-source';
import { DiskError } from '../../disk/disk-error';
import type { ExtVolume } from '../../disk/ext/volume';
import { FatVolume } from '../../disk/fat/volume';
import { bootPartition, inspectDisk } from '../../disk/inspect';
import type { FirstBootMethodId } from '../../batch/model';
import { bootMountOf, openRoot } from '../base-files';
import { markerFiles, seedFiles } from '../file-names';
import { RUN_ONCE_FOLDER, RUN_ONCE_LOG, RUN_ONCE_SCRIPT } from '../run-once/method';
import { Findings, noSettings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { checkGuessable } from './guessable';
import { checkCommandLine, checkUserconf } from './marker-files';
import { checkLog, checkRunOnce, startOf } from './run-once';
import { checkFileNames } from './names';
import { checkSeed } from './seed';
import { checkSupplicant } from './supplicant';
import { checkTemplate, isTemplate } from './template';

/** What a card will make of its board, and what is wrong with it. */
export interface CardCheck {
  acts: FirstBootMethodId;
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
  /** Where the system mounts its boot partition; null where its table is not there to look at. */
  mountedAt: string | null;
  /** First-boot files that lie on the root file system, where no board looks for them. */
  elsewhere: string[];
}

/** Largest file that is read; first-boot files have kilobytes. */
const LARGEST = 512 << 10;
const worthReading =
  /^(user-data|meta-data|network-config|ssh|userconf|nest-mark|run-once\.log|id_|.*\.(pem|key|sh|txt|conf|json)$)/i;
/** Folders whose files matter as well: a boot loader's list, and the settings of a script. */
const folders = ['extlinux', RUN_ONCE_FOLDER];

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
  for (const { name, folder } of entries)
    if (folder && folders.includes(name.toLowerCase())) files.push(...(await filesIn(volume, name)));
  const root = await openRoot(disk, partitions);
  return {
    names: entries.map(({ name }) => name),
    files,
    label: volume.geometry.label,
    bootedAs: root && (await bootedId(root)),
    mountedAt: root && (await bootMountOf(root)),
    elsewhere: root ? await lostFiles(root) : [],
  };
}

/** First-boot files that were put onto the root file system, which some workstations show as well. */
async function lostFiles(root: ExtVolume): Promise<string[]> {
  const found: string[] = [];
  for (const folder of ['', '/boot'])
    for (const name of [...seedFiles, ...markerFiles, RUN_ONCE_SCRIPT])
      if (await root.readFile(`${folder}/${name}`, 1)) found.push(`${folder}/${name}`);
  return found;
}

function wrongPartition({ elsewhere }: BootFiles): CheckFinding[] {
  return elsewhere.flatMap((path) => {
    const found = new Findings(path);
    found.add(
      'stops',
      'wrong-partition',
      `${path} lies on the root partition.`,
      'The board looks for it on the boot partition, the small FAT one; here it does nothing.',
      `Move it to the boot partition, as ${path.split('/').at(-1) ?? path}.`,
    );
    return found.list;
  });
}

async function filesIn(volume: FatVolume, path: string): Promise<BootFile[]> {
  const files: BootFile[] = [];
  for (const { name, folder, size } of await volume.list(path)) {
    const inner = `${path}/${name}`;
    if (folder) files.push(...(await filesIn(volume, inner)));
    else if (size <= LARGEST)
      files.push({ name: inner, content: (await volume.readFile(inner)) ?? new Uint8Array() });
  }
  return files;
}

/** The id of the seed that was taken last (cloud-init documentation, "instance data": /var/lib/cloud/data). */
async function bootedId(root: ExtVolume): Promise<string | null> {
  try {
    const bytes = await root.readFile('/var/lib/cloud/data/instance-id', 256);
    const text = bytes && new TextDecoder().decode(bytes).trim();
    return text ? text : null;
  } catch (error) {
    if (error instanceof DiskError || error instanceof RangeError) return null;
    throw error;
  }
}

function actingMethod(boot: BootFiles): { acts: FirstBootMethodId; reason: string } {
  const { names, label, files } = boot;
  const start = startOf(boot);
  if (start.run !== null) return { acts: 'run-once', reason: `${start.path} starts ${start.run}.` };
  if (start.script !== null)
    return { acts: 'run-once', reason: `There is ${start.script}, a script that runs once.` };
  const has = (file: string): boolean => names.some((name) => name.toLowerCase() === file);
  if (label.toUpperCase() === 'CIDATA')
    return { acts: 'declarative-seed', reason: 'The boot partition is labelled CIDATA.' };
  if (has('user-data') || has('meta-data'))
    return { acts: 'declarative-seed', reason: 'There are files of a declarative seed.' };
  const marker = markerFiles.find(has);
  if (marker) return { acts: 'marker-files', reason: `There is the marker file ${marker}.` };
  const template = files.find(isTemplate);
  if (template) return { acts: 'network-template', reason: `${template.name} is a template for networks.` };
  return { acts: 'none', reason: 'No file of a first-boot method that is known here was found.' };
}

/** Files of the other school: the image does not read them, and people wonder. */
function leftovers(acts: FirstBootMethodId, names: readonly string[]): CheckFinding[] {
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
    // These two are where a board looks for the host key that was made for it.
    if (['user-data', `${RUN_ONCE_FOLDER}/host-key`].includes(name.toLowerCase())) return [];
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

/** The worst first. */
const byWeight = (findings: CheckFinding[]): CheckFinding[] => {
  const weight = { stops: 0, warns: 1, note: 2 };
  return findings.sort((a, b) => weight[a.severity] - weight[b.severity]);
};

/** The whole check, with what takes a moment: passwords that come with devices are tried. */
export function checkCardWhole(boot: BootFiles): CardCheck {
  const check = checkCard(boot);
  return { ...check, findings: byWeight([...check.findings, ...checkGuessable(boot)]) };
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
    else if (!boot.names.some((name) => /^userconf/i.test(name))) {
      const found = new Findings('userconf.txt');
      found.add(
        'warns',
        'no-user',
        'There is no userconf.txt, so no user is made.',
        'Images of the last years have no user of their own, and nobody can log in; older ones keep one whose password everybody knows.',
        'userconf.txt with one line: name:$6$…, as openssl passwd -6 prints it',
      );
      findings.push(...found.list);
    }
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
  if (acts === 'run-once') findings.push(...checkRunOnce(boot, settings));
  const template = acts === 'network-template' ? boot.files.find(isTemplate) : undefined;
  if (template) findings.push(...checkTemplate(template, settings));
  const commandLine = files.get('cmdline.txt');
  if (commandLine) findings.push(...checkCommandLine(commandLine));
  findings.push(...leftovers(acts, boot.names), ...wrongPartition(boot), ...privateKeys(boot.files));
  const log = files.get(RUN_ONCE_LOG);
  if (acts === 'none' && log) findings.push(...checkLog(log));
  else if (acts === 'none') {
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
  byWeight(findings);
  return {
    acts,
    reason,
    settings,
    mark: markOf(boot.files),
    findings,
    looked: boot.files.map(({ name }) => name),
  };
}
