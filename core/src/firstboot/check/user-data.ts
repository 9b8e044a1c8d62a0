import * as z from 'zod';
import { utf8 } from '../../bytes';
import { parseKeyList } from '../../access/key-list';
import { isDefaultPassword } from '../../access/password';
import { hostNameFault } from '../../batch/names';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { checkHostKey } from './host-key';
import { shownPath } from './shown';
import { readText, SEED_HABITS } from './text';
import { YamlFile } from './yaml-file';

const UserSchema = z.looseObject({
  name: z.string(),
  passwd: z.string().optional(),
  hashed_passwd: z.string().optional(),
  plain_text_passwd: z.string().optional(),
  lock_passwd: z.boolean().optional(),
  ssh_authorized_keys: z.array(z.string()).optional(),
});
const UserDataSchema = z.looseObject({
  hostname: z.string().optional(),
  users: z.array(z.union([z.string(), UserSchema])).optional(),
  ssh_pwauth: z.boolean().optional(),
  password: z.string().optional(),
  ssh_authorized_keys: z.array(z.string()).optional(),
  ssh_keys: z.record(z.string(), z.string()).optional(),
  write_files: z.array(z.looseObject({ path: z.string(), content: z.string().optional() })).optional(),
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

/** Checks `user-data` (cloud-init documentation, module reference). */
export function checkUserData(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, SEED_HABITS, found);
  if (text === null) return found.list;
  const [first = ''] = text.split('\n');
  if (!/^#cloud-config\s*$/.test(first)) {
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
  const parsed = UserDataSchema.safeParse(yaml.value ?? {});
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    const path = (issue?.path ?? []) as (string | number)[];
    found.add(
      'stops',
      'user-data-form',
      `${shownPath(path)}: ${issue?.message ?? 'not what is expected'}.`,
      'This part is ignored, or the whole file is.',
      'Compare it with a file that works; values that look like numbers or yes and no need quotes.',
      { line: yaml.lineOf(...path) },
    );
    return found.list;
  }
  const data = parsed.data;
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
  if (made !== undefined)
    checkHostKey(
      made,
      data.ssh_keys?.['ed25519_public'] ?? null,
      yaml.lineOf('ssh_keys', 'ed25519_private'),
      found,
    );
  const users = (data.users ?? []).flatMap((user, index) =>
    typeof user === 'string' ? [] : [{ user, index }],
  );
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
    if (hash !== undefined && user.lock_passwd !== false && keys === 0)
      found.add(
        'stops',
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
