import { fromBase64 } from '../bytes';
import { isMark } from '../plan/marks';
import { sortFit, type HandoverDevice } from './device';
import { hashedName, knownHostsLines, knownNames, type KnownHostsForm } from './ssh-files';

/** Names hashed for the comparison with lines of others; some tenths of a second's worth. */
const MOST_HASHES = 20_000;

/** A line that would be put in or taken out; numbers count from one in the file as it is. */
export interface MergedLine {
  line: number | null;
  text: string;
  mark: string;
}

export interface MergedKnownHosts {
  /** The file as it would be. */
  text: string;
  added: MergedLine[];
  removed: MergedLine[];
  /** Lines that stay as they are, ours or not. */
  kept: number;
  /** What a person should know of lines of others, which are never touched. */
  remarks: string[];
}

interface Entry {
  /** Names as they stand there, hashed or not. */
  hosts: string[];
  /** `type base64`. */
  key: string;
  comment: string;
  /** Marker such as `@revoked`; empty for none. */
  marker: string;
}

/** Reads one line (sshd(8), "SSH_KNOWN_HOSTS FILE FORMAT"); null for comments, empty lines and what is none. */
function entryOf(line: string): Entry | null {
  const words = line.trim().split(/[ \t]+/);
  const marker = words[0]?.startsWith('@') ? (words.shift() ?? '') : '';
  const [hosts = '', type = '', key = '', ...comment] = words;
  if (hosts === '' || hosts.startsWith('#') || key === '') return null;
  return { hosts: hosts.split(','), key: `${type} ${key}`, comment: comment.join(' '), marker };
}

/** Whether a hashed name is this one. */
function isHashOf(host: string, name: string): boolean {
  const [, form, salt = ''] = host.split('|');
  const octets = form === '1' ? fromBase64(salt) : null;
  return octets !== null && octets.length === 20 && hashedName(name, octets) === host;
}

const names = (entry: Entry, name: string): boolean =>
  entry.hosts.some((host) =>
    host.startsWith('|') ? isHashOf(host, name) : host.toLowerCase() === name.toLowerCase(),
  );

/** Whether lines that stand there already say just what would be written. */
function saysSame(entries: readonly Entry[], device: HandoverDevice, hashed: boolean): boolean {
  const wanted = knownNames(device);
  const hosts = entries.flatMap((entry) => entry.hosts);
  return (
    entries.every(({ key }) => key === device.hostKey) &&
    hosts.length === wanted.length &&
    hosts.every((host) => host.startsWith('|') === hashed) &&
    wanted.every((name) => entries.some((entry) => names(entry, name)))
  );
}

const shortened = (text: string): string => (text.length > 96 ? `${text.slice(0, 95)}…` : text);

/**
 * Puts the host keys of devices into somebody's known_hosts. A line is ours when its comment is the mark of one of these
 * devices and nothing else, and it has no marker; only such lines are ever taken out. What is right already is left as
 * it is, so that merging twice changes nothing.
 * @param mostHashes names that are hashed for the comparison with lines of others
 * @param text the file, one character an octet (ISO 8859-1), so that nobody's line changes by being read
 */
export function mergeKnownHosts(
  text: string,
  devices: readonly HandoverDevice[],
  form: KnownHostsForm,
  mostHashes = MOST_HASHES,
): MergedKnownHosts {
  const sorted = sortFit(devices);
  // A line is told to be ours by its mark alone, so only what has its check character right may stand there.
  const fit = sorted.fit.filter(({ mark }) => isMark(mark));
  const remarks = [
    ...sorted.remarks,
    ...sorted.fit
      .filter(({ mark }) => !isMark(mark))
      .map(({ hostName }) => `left out: ${hostName}, since its mark is none`),
  ];
  const byMark = new Map(fit.map((device) => [device.mark, device]));
  const newline = /\r\n/.test(text) && !/[^\r]\n/.test(text) ? '\r\n' : '\n';
  // Ends stay with their lines, so that mixed ones come out as they went in.
  const lines = text.match(/[^\n]*\n|[^\n]+$/g) ?? [];
  const entries = lines.map((line) => entryOf(line.replace(/\r?\n$/, '')));
  const ours = new Map<string, { at: number; entry: Entry }[]>();
  entries.forEach((entry, at) => {
    if (!entry || entry.marker !== '' || !byMark.has(entry.comment)) return;
    ours.set(entry.comment, [...(ours.get(entry.comment) ?? []), { at, entry }]);
  });
  const added: MergedLine[] = [];
  const removed: MergedLine[] = [];
  const out: (string | null)[] = [...lines];
  const put = new Map<number, string[]>();
  const atEnd: string[] = [];
  for (const device of fit) {
    const old = ours.get(device.mark) ?? [];
    if (
      old.length > 0 &&
      saysSame(
        old.map(({ entry }) => entry),
        device,
        form.salt !== null,
      )
    )
      continue;
    const wanted = knownHostsLines(device, form);
    for (const { at } of old) {
      removed.push({ line: at + 1, text: shortened((lines[at] ?? '').trimEnd()), mark: device.mark });
      out[at] = null;
    }
    for (const line of wanted) added.push({ line: null, text: shortened(line), mark: device.mark });
    const first = old[0];
    if (first) put.set(first.at, wanted);
    else atEnd.push(...wanted);
  }
  const whole = out.flatMap((line, at) => [
    ...(put.get(at) ?? []).map((one) => one + newline),
    ...(line === null ? [] : [line]),
  ]);
  const last = whole.at(-1);
  if (atEnd.length > 0 && last !== undefined && !last.endsWith('\n'))
    whole[whole.length - 1] = last + newline;
  whole.push(...atEnd.map((line) => line + newline));
  return {
    text: whole.join(''),
    added,
    removed,
    kept: lines.length - removed.length,
    remarks: [...remarks, ...ofOthers(entries, fit, mostHashes)],
  };
}

/** Lines of others that speak of our devices. */
function ofOthers(
  entries: readonly (Entry | null)[],
  devices: readonly HandoverDevice[],
  mostHashes: number,
): string[] {
  const marks = new Set(devices.map(({ mark }) => mark));
  const byName = new Map(
    devices.flatMap((device) => knownNames(device).map((name) => [name.toLowerCase(), device])),
  );
  const keys = new Map(devices.map((device) => [device.hostKey, device]));
  const remarks: string[] = [];
  let hashed = 0;
  let notCompared = 0;
  entries.forEach((entry, at) => {
    if (!entry || (entry.marker === '' && marks.has(entry.comment))) return;
    const line = `Line ${String(at + 1)}`;
    const owner = keys.get(entry.key);
    if (entry.marker === '@revoked') {
      if (owner) remarks.push(`${line} revokes the key of ${owner.hostName}: the client will refuse it.`);
      return;
    }
    if (owner || entry.marker !== '') return;
    // Each hashed name costs as many HMACs as there are names of ours, so that is bounded.
    const found = entry.hosts.flatMap((host) => {
      if (!host.startsWith('|')) return byName.has(host.toLowerCase()) ? [host] : [];
      hashed += 1;
      if (hashed * byName.size > mostHashes) {
        notCompared += 1;
        return [];
      }
      return [...byName.keys()].filter((name) => isHashOf(host, name));
    });
    for (const name of found)
      remarks.push(
        `${line} is somebody else’s and vouches for another key under ${name}. Should it be of an earlier card, take it out: ssh-keygen -R '${name}'`,
      );
  });
  if (notCompared > 0)
    remarks.push(
      `${String(notCompared)} of ${String(hashed)} hashed names of others were not compared, since that would take too long.`,
    );
  return remarks;
}
