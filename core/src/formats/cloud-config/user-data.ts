import * as z from 'zod';
import { utf8 } from '../../bytes';
import { parseKeyList } from '../../access/key-list';
import { isDefaultPassword } from '../../access/password';
import { hostNameFault } from '../../plan/names';
import { isTimeZone } from '../../plan/time-zone';
import { meantSetting } from './names';
import { CloudConfigSchema, schemaFaults } from './schema';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from '../finding';
import { checkHostKey } from '../host-key';
import { renamed, type LineChange } from '../line-change';
import { shownPath } from '../shown';
import { readText, USER_DATA_HABITS } from '../text';
import { YamlFile } from '../yaml/yaml-file';

/** What is read of a file whose forms were told of before. */
const text = z.string().optional().catch(undefined);
const texts = z.array(z.string()).optional().catch(undefined);
const UserSchema = z.looseObject({
  name: z.string(),
  passwd: text,
  hashed_passwd: text,
  plain_text_passwd: text,
  lock_passwd: z.boolean().optional().catch(undefined),
  ssh_authorized_keys: texts,
});
const UserDataSchema = z.looseObject({
  hostname: text,
  timezone: text,
  users: z.array(z.unknown()).optional().catch(undefined),
  ssh_pwauth: z
    .union([z.boolean(), z.string().transform((word) => /^(true|yes|on|1)$/i.test(word))])
    .optional()
    .catch(undefined),
  password: text,
  ssh_authorized_keys: texts,
  ssh_keys: z.record(z.string(), z.unknown()).optional().catch(undefined),
});

function checkKeys(keys: readonly string[], line: number | null, found: Findings): number {
  let usable = 0;
  for (const entry of parseKeyList(keys.join('\n')))
    if (typeof entry.key !== 'string') usable++;
    else
      found.add(
        'stops',
        entry.key === 'private' ? 'private-key' : 'key-broken',
        entry.key === 'private'
          ? 'A private key stands where a public one belongs.'
          : 'An SSH public key is broken: it is cut, split over lines, or not a key.',
        entry.key === 'private'
          ? 'Nobody can log in with it, and whoever holds the card has the key: it is no secret any more.'
          : 'Nobody can log in with it.',
        entry.key === 'private'
          ? 'Put the line of the .pub file here, and make a new key pair.'
          : entry.mended
            ? 'Put it on one line again.'
            : 'Copy the whole line of the .pub file again.',
        { line },
      );
  return usable;
}

/** Settings without which the board has another name, or nobody gets in. */
const vital = /^(hostname|users|user|ssh_pwauth|ssh_keys|ssh_authorized_keys|password)$/;

/** A command of a list in single quotes, in which nothing but the quote itself means anything (YAML 1.1 section 9.1.2). */
const quotedCommand: LineChange = (line) =>
  line.replace(
    /^(\s*-\s+)([^'"\s[{|>].*?)\s*$/,
    (_all, dash: string, command: string) => `${dash}'${command.replaceAll("'", "''")}'`,
  );

/** A number as a mode is taken as it is (cloud-init 22.4, cc_write_files.decode_perms); a text is read as octal. */
function checkModes(yaml: YamlFile, found: Findings): void {
  const files = z.object({ write_files: z.array(z.unknown()) }).safeParse(yaml.value).data?.write_files ?? [];
  for (const [index, entry] of files.entries()) {
    const mode = z.object({ permissions: z.number() }).safeParse(entry).data?.permissions;
    if (mode === undefined || !/^[0-7]{3,4}$/.test(String(mode))) continue;
    const line = yaml.lineOf('write_files', index, 'permissions');
    // 0644 without quotes is 420 for a reader of YAML 1.1, and right.
    if (
      line !== null &&
      new RegExp(`:\\s*0[0-7]{3,4}\\s*(#|$)`).test(found.text?.split('\n')[line - 1] ?? '')
    )
      continue;
    found.add(
      'stops',
      'file-mode',
      `permissions: ${String(mode)} without quotes is the number ${String(mode)}, which is the mode 0${mode.toString(8)}.`,
      'The file gets rights that nobody meant: it may not be readable, or be run as another user.',
      `permissions: "0${String(mode).padStart(3, '0')}"`,
      { line, mend: (text) => text.replace(/:\s*\d+/, `: "0${String(mode)}"`) },
    );
  }
}

/** Settings of a form that cloud-init does not take, or that it does not know where they stand. */
function checkForms(yaml: YamlFile, found: Findings): void {
  const issues = CloudConfigSchema.safeParse(yaml.value ?? {}).error?.issues ?? [];
  for (const { path, what, unknown } of schemaFaults(issues)) {
    // A number here has a meaning of its own, see checkModes.
    if (path[0] === 'write_files' && path[2] === 'permissions') continue;
    if ((path[0] === 'runcmd' || path[0] === 'bootcmd') && unknown === undefined) {
      found.add(
        'stops',
        'command-form',
        `${shownPath(path)}: a command is a text, or a list of words; this is neither.`,
        'cloud-init then runs none of the commands, not only not this one.',
        'Put the command into quotes: a colon with a space behind it makes a name and a value of it.',
        { line: yaml.lineOf(...path), mend: quotedCommand },
      );
      continue;
    }
    const meant =
      unknown === undefined ? null : meantSetting(unknown, path[0] === 'write_files' ? 'file' : 'user');
    found.add(
      vital.test(String(path[0])) ? 'stops' : 'warns',
      unknown === undefined ? 'user-data-form' : 'unknown-setting',
      unknown === undefined
        ? `${shownPath(path)}: ${what}.`
        : `cloud-init knows no setting ${shownPath([unknown])} under ${shownPath(path.slice(0, 1))}.`,
      'cloud-init passes over this part, or over the whole file.',
      meant === null ? 'Compare it with a file that works; look at its indentation.' : `${meant}:`,
      {
        line: yaml.lineOfKey(path) ?? yaml.lineOf(...path),
        ...(meant !== null && unknown !== undefined ? { mend: renamed(unknown, meant) } : {}),
      },
    );
  }
}

/** Settings that cloud-init would pass over in silence because a letter is wrong. */
function checkSpelling(yaml: YamlFile, found: Findings): void {
  for (const name of Object.keys(yaml.value ?? {})) {
    const meant = meantSetting(name, 'top');
    if (meant !== null)
      found.add(
        'warns',
        'misspelt-setting',
        `cloud-init knows no setting ${shownPath([name])}; ${meant} is one.`,
        'It passes over what it does not know without a word.',
        `${meant}:`,
        { line: yaml.lineOfKey([name]), mend: renamed(name, meant) },
      );
  }
}

/** Checks `user-data` (cloud-init documentation, module reference). */
export function checkUserData(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, USER_DATA_HABITS, found);
  if (text === null) return found.list;
  const [first = ''] = text.split('\n');
  // It is looked for in any case, behind spaces and empty lines (cloud-init 22.4, handlers.type_from_starts_with).
  if (!/^\s*#cloud-config/i.test(text)) {
    const later = text.split('\n').findIndex((line) => /^#cloud-config\s*$/.test(line));
    const rest = text.split('\n').filter((_line, index) => index !== later);
    found.add(
      'stops',
      'cloud-config-line',
      later > 0
        ? `#cloud-config stands in line ${String(later + 1)} and not first.`
        : `The first line is not #cloud-config${/^#[A-Za-z _-]{1,30}$/.test(first) ? ` but "${first}"` : ''}.`,
      'The whole file is ignored: the board keeps its name, and nobody can log in.',
      '#cloud-config',
      {
        line: 1,
        byte: 0,
        fix: {
          do: 'replace',
          file: file.name,
          content: utf8(`#cloud-config\n${(later > 0 ? rest : text.split('\n')).join('\n')}`),
        },
      },
    );
    return found.list;
  }
  const yaml = YamlFile.read(file.name, text, found);
  if (!yaml) return found.list;
  const data = UserDataSchema.safeParse(yaml.value ?? {}).data;
  if (!data) {
    found.add(
      'stops',
      'user-data-form',
      'The file is no list of settings.',
      'The whole file is ignored.',
      'name: value, one setting a line',
      { line: 2 },
    );
    return found.list;
  }
  checkForms(yaml, found);
  checkSpelling(yaml, found);
  checkModes(yaml, found);
  settings.passwordLogin = data.ssh_pwauth ?? false;
  if (data.hostname !== undefined) {
    settings.hostName = data.hostname;
    if (hostNameFault(data.hostname))
      found.add(
        'warns',
        'host-name',
        `"${data.hostname}" cannot be a host name.`,
        'The board keeps its old name or takes a mangled one, and is not found by it.',
        'Letters, digits and hyphens, at most 63 (RFC 1123 section 2.1).',
        { line: yaml.lineOf('hostname') },
      );
  }
  if (data.timezone !== undefined && !isTimeZone(data.timezone))
    found.add(
      'warns',
      'time-zone-unknown',
      `${shownPath([data.timezone])} is no time zone.`,
      'The board stays on the time zone of its image.',
      'A name of the IANA database, as Europe/Copenhagen; capitals count.',
      { line: yaml.lineOf('timezone') },
    );
  for (const name of Object.keys(data.ssh_keys ?? {}))
    if (!/^(rsa|dsa|ecdsa|ed25519)_(private|public|certificate)$/.test(name))
      found.add(
        'warns',
        'host-key-name',
        `"${name}" is no name of a host key.`,
        'It is skipped: the board makes keys of its own, and cannot be proved by the one made for it.',
        'ed25519_private and ed25519_public',
        { line: yaml.lineOf('ssh_keys', name) },
      );
  const made = data.ssh_keys?.['ed25519_private'];
  const shown = data.ssh_keys?.['ed25519_public'];
  if (typeof made === 'string')
    checkHostKey(
      made,
      typeof shown === 'string' ? shown : null,
      yaml.lineOf('ssh_keys', 'ed25519_private'),
      found,
    );
  const users = (data.users ?? []).flatMap((entry, index) => {
    const user = UserSchema.safeParse(entry).data;
    return user ? [{ user, index }] : [];
  });
  for (const { user, index } of users) {
    const line = yaml.lineOf('users', index, 'name');
    const keys = checkKeys(
      user.ssh_authorized_keys ?? [],
      yaml.lineOf('users', index, 'ssh_authorized_keys'),
      found,
    );
    const hash = user.hashed_passwd ?? user.passwd;
    const password =
      (hash !== undefined || user.plain_text_passwd !== undefined) && user.lock_passwd === false;
    settings.users.push({ name: user.name, keys, password });
    if (user.plain_text_passwd !== undefined)
      found.add(
        isDefaultPassword(user.plain_text_passwd, user.name) ? 'stops' : 'warns',
        'plain-password',
        isDefaultPassword(user.plain_text_passwd, user.name)
          ? `${user.name} has a default password, in plain.`
          : `The password of ${user.name} stands on the card in plain.`,
        'Whoever holds the card can read it.',
        'Write a hash (hashed_passwd) or leave passwords out and log in by key.',
        { line: yaml.lineOf('users', index, 'plain_text_passwd') },
      );
    if (hash !== undefined && !/^\$(1|2[aby]|5|6|y|gy|7)\$/.test(hash))
      found.add(
        'stops',
        'password-hash',
        `What stands as the password hash of ${user.name} is none.`,
        'A password in plain in this place never fits: nobody can log in with it.',
        'A hash as openssl passwd -6 prints it, in single quotes.',
        { line: yaml.lineOf('users', index, user.hashed_passwd !== undefined ? 'hashed_passwd' : 'passwd') },
      );
    if (hash !== undefined && user.lock_passwd !== false)
      found.add(
        keys === 0 ? 'stops' : 'warns',
        'password-locked',
        `${user.name} has a password, but it is locked.`,
        'lock_passwd is true unless it is set to false.',
        'lock_passwd: false',
        { line },
      );
  }
  if (data.ssh_authorized_keys)
    checkKeys(data.ssh_authorized_keys, yaml.lineOf('ssh_authorized_keys'), found);
  const canLogIn = settings.users.some(
    ({ keys, password }) => keys > 0 || (password && settings.passwordLogin),
  );
  if (!canLogIn && !data.ssh_authorized_keys?.length && data.password === undefined)
    found.add(
      'stops',
      'nobody-logs-in',
      'Nobody can log in to this board.',
      'No user has a usable key, and none has a password with which logging in is allowed.',
      'Give a user a public key.',
      { line: yaml.lineOf('users') },
    );
  return found.list;
}
