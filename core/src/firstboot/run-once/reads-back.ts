import { parseKeyList } from '../../access/key-list';
import { userNameFault } from '../../access/user-names';
import { hostNameFault } from '../../plan/names';
import { textOrNull, utf8 } from '../../bytes';
import { addWords, commandLinePath, wordsOfCommandLine } from '../command-line';
import { RUN_ONCE_FOLDER, RUN_ONCE_SCRIPT } from '../file-names';
import { byName, type BootFiles } from '../boot-files';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from '../../formats/finding';
import { checkHostKey } from '../../formats/host-key';
import { checkKeyfile } from '../../formats/keyfile/keyfile';
import { isPasswordHash } from '../../formats/password-hash';
import { checkForeignScript } from '../../formats/shell/script';
import { checkCountry, checkNames } from '../../formats/secrets';
import { readText } from '../../formats/text';

/** How a card starts its script. */
interface ScriptStart {
  /** File of the kernel's command line, or null. */
  path: string | null;
  text: string;
  words: string[];
  /** What the command line tells the system to run, or null. */
  run: string | null;
  /** Name of the script on the card, or null when there is none. */
  script: string | null;
}

/** Looks for a script that runs once, started or not. */
export function startOf({ files }: Pick<BootFiles, 'files'>): ScriptStart {
  const texts = new Map(files.flatMap(({ name, content }) => [[name, textOrNull(content) ?? ''] as const]));
  const path = commandLinePath({ texts });
  const text = (path === null ? undefined : texts.get(path)) ?? '';
  const words = path === null ? [] : wordsOfCommandLine(path, text);
  const run = words.find((word) => word.startsWith('systemd.run='))?.slice('systemd.run='.length) ?? null;
  const wanted = run?.split('/').at(-1) ?? RUN_ONCE_SCRIPT;
  const script = [...texts.keys()].find((name) => name.toLowerCase() === wanted.toLowerCase()) ?? null;
  return { path, text, words, run, script };
}

function checkStart(start: ScriptStart, mountedAt: string | null): CheckFinding[] {
  const { path, text, words, run, script } = start;
  const found = new Findings(path ?? 'cmdline.txt');
  const target = `systemd.run=${mountedAt ?? '/boot'}/${script ?? RUN_ONCE_SCRIPT}`;
  if (run === null) {
    const added = [target, 'systemd.run_success_action=reboot'];
    found.add(
      'stops',
      'script-not-started',
      path === null
        ? `Nothing starts ${script ?? RUN_ONCE_SCRIPT}: there is no command line of the kernel on the card.`
        : `Nothing starts ${script ?? RUN_ONCE_SCRIPT}: the kernel’s command line does not name it.`,
      'The script lies on the card and never runs: no name, no user, no network.',
      added.join(' '),
      {
        line: path === null ? null : 1,
        // Without the system's own table of mounts the path would be a guess.
        fix:
          path === null || mountedAt === null
            ? null
            : { do: 'replace', file: path, content: utf8(addWords(path, text, added)) },
      },
    );
    return found.list;
  }
  if (script === null)
    found.add(
      'stops',
      'script-missing',
      `The command line starts ${run}, which is not on the card.`,
      'The board stops at that point, or restarts again and again.',
      'Put the script onto the card, or take the words that begin with systemd.run out of the line.',
      { line: 1 },
    );
  else if (mountedAt !== null && run !== `${mountedAt}/${script}`)
    found.add(
      'stops',
      'script-path',
      `The command line starts ${run}, but this system has its boot partition at ${mountedAt}.`,
      'There is no such file on the running system, so nothing is set up.',
      target,
      {
        line: 1,
        fix:
          path === null
            ? null
            : { do: 'replace', file: path, content: utf8(text.replaceAll(`systemd.run=${run}`, target)) },
      },
    );
  if (!words.some((word) => word.startsWith('systemd.run_success_action=')))
    found.add(
      'warns',
      'script-no-restart',
      'The command line does not say what happens after the script.',
      'The system then ends: the board is off, and somebody has to take its power away and give it back.',
      'systemd.run_success_action=reboot',
      { line: 1 },
    );
  return found.list;
}

function checkScript(file: BootFile): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, { carriageReturns: 'break', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  if (!/^#! *\/\S+/.test(text))
    found.add(
      'stops',
      'script-start-line',
      `${file.name} has no start line.`,
      'The system does not know what shall read it, and does not run it.',
      '#!/bin/sh',
      {
        line: 1,
        byte: 0,
        fix: { do: 'replace', file: file.name, content: utf8(`#!/bin/sh\n${text.replace(/^#!.*\n/, '')}`) },
      },
    );
  return found.list;
}

function checkUsers(
  file: BootFile,
  files: ReadonlyMap<string, BootFile>,
  settings: CheckedSettings,
): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, { carriageReturns: 'break', byteOrderMark: 'break' }, found);
  for (const [at, line] of (text ?? '').split('\n').entries()) {
    if (line === '') continue;
    const [name = '', hash = '', sudo, groups] = line.split(':');
    if (sudo === undefined || groups === undefined || userNameFault(name)) {
      found.add(
        'stops',
        'user-line',
        `Line ${String(at + 1)} names no user that can be made.`,
        'This user is left out.',
        'name:hash:ask:groups, four parts with colons between',
        { line: at + 1 },
      );
      continue;
    }
    const password = isPasswordHash(hash);
    if (!password && hash !== '!')
      found.add(
        'stops',
        'password-hash',
        `What stands as the password hash of ${name} is none.`,
        'A password in plain in this place never fits: nobody can log in with it.',
        'A hash as openssl passwd -6 prints it, or ! for no password.',
        { line: at + 1, byte: null },
      );
    const keyFile = files.get(`${RUN_ONCE_FOLDER}/keys/${name}`);
    const list = keyFile ? parseKeyList(new TextDecoder().decode(keyFile.content)) : [];
    const keys = list.filter(({ key }) => typeof key !== 'string').length;
    for (const { key, line: where } of list)
      if (typeof key === 'string' && key !== 'empty') {
        const broken = new Findings(keyFile?.name ?? '');
        broken.add(
          'stops',
          key === 'private' ? 'private-key' : 'key-broken',
          key === 'private'
            ? 'A private key stands where a public one belongs.'
            : 'An SSH public key is broken: it is cut, split over lines, or not a key.',
          'Nobody can log in with it.',
          'Copy the whole line of the .pub file again.',
          { line: where },
        );
        found.list.push(...broken.list);
      }
    settings.users.push({ name, keys, password });
  }
  return found.list;
}

/** Settings that lie beside the script that this program writes. */
function checkFolder(files: ReadonlyMap<string, BootFile>, settings: CheckedSettings): CheckFinding[] {
  const findings: CheckFinding[] = [];
  const at = (name: string): BootFile | undefined => files.get(`${RUN_ONCE_FOLDER}/${name}`);
  const hostName = at('host-name');
  if (hostName) {
    const found = new Findings(hostName.name);
    const text = readText(hostName, { carriageReturns: 'taken', byteOrderMark: 'break' }, found);
    settings.hostName = text === null ? null : (text.split('\n')[0] ?? '');
    if (settings.hostName !== null && hostNameFault(settings.hostName))
      found.add(
        'stops',
        'host-name',
        `"${settings.hostName}" cannot be a host name.`,
        'The board keeps its old name or takes a mangled one, and is not found by it.',
        'Letters, digits and hyphens, at most 63 (RFC 1123 section 2.1).',
        { line: 1 },
      );
    findings.push(...found.list);
  }
  const users = at('users');
  if (users) findings.push(...checkUsers(users, files, settings));
  const login = at('login');
  settings.passwordLogin = login
    ? /^PasswordAuthentication yes$/m.test(new TextDecoder().decode(login.content))
    : false;
  const key = at('host-key');
  if (key) {
    const found = new Findings(key.name);
    const half = at('host-key.pub');
    checkHostKey(textOrNull(key.content) ?? '', (half && textOrNull(half.content)) ?? null, 1, found);
    findings.push(...found.list);
  }
  for (const [name, file] of files)
    if (name.startsWith(`${RUN_ONCE_FOLDER}/networks/`))
      findings.push(...checkKeyfile(file.name, file.content, 1, settings));
  return findings;
}

/** Checks a card that sets its board up by a script that is started from the kernel's command line. */
export function readRunOnce(boot: BootFiles, settings: CheckedSettings): CheckFinding[] {
  const start = startOf(boot);
  const files = byName(boot);
  const findings = checkStart(start, boot.mountedAt);
  const script = start.script === null ? undefined : files.get(start.script.toLowerCase());
  if (script) findings.push(...checkScript(script));
  settings.loginService = true;
  settings.country =
    start.words.find((word) => word.startsWith('cfg80211.ieee80211_regdom='))?.split('=')[1] ?? null;
  const own = [...files.keys()].some((name) => name.startsWith(`${RUN_ONCE_FOLDER}/`));
  if (own) findings.push(...checkFolder(files, settings));
  else if (script && start.script?.toLowerCase() === RUN_ONCE_SCRIPT) {
    const found = new Findings(RUN_ONCE_FOLDER);
    found.add(
      'stops',
      'settings-missing',
      `The folder ${RUN_ONCE_FOLDER} with the settings is missing.`,
      'The script runs and finds nothing to do: no name, no user, no network.',
      'Write the card again.',
    );
    findings.push(...found.list);
  } else if (script) findings.push(...checkForeignScript(script, settings));
  settings.networks.sort((a, b) => b.priority - a.priority);
  const found = new Findings(start.path ?? '');
  if (settings.networks.length > 0 && own) checkCountry(settings.country, 1, found);
  checkNames(settings.networks, found);
  if (own && !settings.users.some(({ keys, password }) => keys > 0 || (password && settings.passwordLogin)))
    found.add(
      'stops',
      'nobody-logs-in',
      'Nobody can log in to this board.',
      'No user has a usable key, and none has a password with which logging in is allowed.',
      'Give a user a public key.',
    );
  return [...findings, ...found.list];
}
