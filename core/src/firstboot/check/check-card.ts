import {
  Findings,
  noSettings,
  type BootFile,
  type CheckedSettings,
  type CheckFinding,
} from '../../formats/finding';
import { checkCommandLine } from '../../formats/command-line';
import { MARK_ON_CARD, readMark, type MarkFile } from '../../plan/mark-file';
import type { FirstBootMethodId } from '../../plan/model';
import type { OwnMethod } from '../../plan/own-method';
import { byName, type BootFiles } from '../boot-files';
import { RUN_ONCE_FOLDER, RUN_ONCE_LOG } from '../file-names';
import { actingMethod, firstBootMethods, methodTitle, type Acting } from '../methods';
import { holdsHostKey } from '../own/carries';
import { checkLog } from '../run-once/left-behind';
import { checkFileNames } from './file-names';
import { checkGuessable } from './guessable';

/** What a card will make of its board, and what is wrong with it. */
export interface CardCheck {
  acts: FirstBootMethodId;
  /** Its name. */
  title: string;
  /** Why this method. */
  reason: string;
  settings: CheckedSettings;
  /** What a card that was written here says of itself. */
  mark: MarkFile | null;
  findings: CheckFinding[];
  /** Files that were looked at. */
  looked: string[];
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

/** Files of the other school: the image does not read them, and people wonder. */
function leftovers({ method }: Acting, names: readonly string[]): CheckFinding[] {
  // A method without names of its own merges into the image's files, and may lie beside anything.
  if (!method?.ownFiles.length) return [];
  const others = firstBootMethods
    .filter(({ id }) => id !== method.id)
    .flatMap(({ ownFiles }) => ownFiles)
    .filter((name) => !method.ownFiles.includes(name));
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
function privateKeys(files: readonly BootFile[], { own }: Acting): CheckFinding[] {
  return files.flatMap(({ name, content }) => {
    // These two are where a board looks for the host key that was made for it.
    if (['user-data', `${RUN_ONCE_FOLDER}/host-key`].includes(name.toLowerCase())) return [];
    if (own && holdsHostKey(own.description, name)) return [];
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
export function checkCardWhole(boot: BootFiles, own: readonly OwnMethod[] = []): CardCheck {
  const check = checkCard(boot, own);
  return { ...check, findings: byWeight([...check.findings, ...checkGuessable(boot)]) };
}

function noMethod(): CheckFinding[] {
  const found = new Findings('');
  found.add(
    'stops',
    'no-method',
    'Nothing on this card gives the board a name, a login or a network.',
    'It starts as the image ships it.',
    'Write first-boot files of the method that the image reads.',
  );
  return found.list;
}

/**
 * Says what a card will make of its board, and what is wrong with it.
 * @param own methods that people described, by which a card may be made too
 */
export function checkCard(boot: BootFiles, own: readonly OwnMethod[] = []): CardCheck {
  const acting = actingMethod(boot, own);
  const { method, reason } = acting;
  const acts = method?.id ?? 'none';
  const settings = noSettings();
  const files = byName(boot);
  const described = acting.own ? (method?.ownFiles ?? []) : [];
  const findings = checkFileNames(boot.names.filter((name) => !described.includes(name.toLowerCase())));
  findings.push(...(method?.readBack(boot, settings) ?? []));
  const commandLine = files.get('cmdline.txt');
  if (commandLine) findings.push(...checkCommandLine(commandLine));
  findings.push(
    ...leftovers(acting, boot.names),
    ...wrongPartition(boot),
    ...privateKeys(boot.files, acting),
  );
  const log = files.get(RUN_ONCE_LOG);
  if (acts === 'none') findings.push(...(log ? checkLog(log) : noMethod()));
  byWeight(findings);
  return {
    acts,
    title: methodTitle(acts, acting.own),
    reason,
    settings,
    mark: markOf(boot.files),
    findings,
    looked: boot.files.map(({ name }) => name),
  };
}
