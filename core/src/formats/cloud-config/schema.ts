import * as z from 'zod';

/**
 * Forms of the settings that headless boards are given, as cloud-init’s own schema has them (its modules "set hostname",
 * "users and groups", "ssh", "set passwords", "keyboard", "locale", "write files", "runcmd" and packages; version 22.4).
 * Settings of other modules pass.
 */

const text = z.string();
const texts = z.array(text);
const someTexts = texts.min(1);
const flag = z.boolean();
const command = z.union([text, texts]);

const UserSchema = z
  .strictObject({
    name: text,
    expiredate: z.union([text, z.date()]),
    gecos: text,
    groups: z.union([text, someTexts, z.record(text, z.null())]),
    homedir: text,
    inactive: text,
    'lock-passwd': flag,
    lock_passwd: flag,
    no_create_home: flag,
    no_log_init: flag,
    no_user_group: flag,
    passwd: text,
    hashed_passwd: text,
    plain_text_passwd: text,
    create_groups: flag,
    primary_group: text,
    selinux_user: text,
    shell: text,
    snapuser: text,
    ssh_authorized_keys: someTexts,
    ssh_import_id: someTexts,
    ssh_redirect_user: flag,
    system: flag,
    sudo: z.union([text, texts, flag, z.null()]),
    uid: z.union([z.int(), text]),
  })
  .partial()
  .refine((user) => user.name !== undefined || user.snapuser !== undefined, 'it has no name');

const FileSchema = z.strictObject({
  path: text,
  content: text.optional(),
  owner: text.optional(),
  permissions: text.optional(),
  encoding: z
    .enum(['gz', 'gzip', 'gz+base64', 'gzip+base64', 'gz+b64', 'gzip+b64', 'b64', 'base64', 'text/plain'])
    .optional(),
  append: flag.optional(),
  defer: flag.optional(),
});

export const CloudConfigSchema = z
  .looseObject({
    hostname: text,
    fqdn: text,
    preserve_hostname: flag,
    prefer_fqdn_over_hostname: flag,
    manage_etc_hosts: z.union([flag, z.enum(['localhost', 'template'])]),
    users: z.union([text, z.record(text, z.unknown()), z.array(z.union([text, texts, UserSchema])).min(1)]),
    user: z.union([text, UserSchema]),
    ssh_pwauth: z.union([flag, text]),
    password: text,
    chpasswd: z.strictObject({ expire: flag, users: z.unknown(), list: z.union([text, texts]) }).partial(),
    ssh_authorized_keys: someTexts,
    ssh_import_id: texts,
    ssh_keys: z.record(text, text),
    ssh_deletekeys: flag,
    ssh_genkeytypes: z.array(z.enum(['dsa', 'ecdsa', 'ed25519', 'rsa'])).min(1),
    ssh_quiet_keygen: flag,
    disable_root: flag,
    disable_root_opts: text,
    timezone: text,
    locale: text,
    locale_configfile: text,
    keyboard: z.strictObject({
      layout: text,
      model: text.optional(),
      variant: text.optional(),
      options: text.optional(),
    }),
    packages: z.array(z.union([text, texts.length(2)])).min(1),
    package_update: flag,
    package_upgrade: flag,
    package_reboot_if_required: flag,
    write_files: z.array(FileSchema).min(1),
    runcmd: z.array(z.union([command, z.null()])).min(1),
    bootcmd: z.array(command).min(1),
    final_message: text,
    resize_rootfs: z.union([flag, z.literal('noblock')]),
    power_state: z.strictObject({
      mode: z.enum(['poweroff', 'reboot', 'halt']),
      delay: z.union([z.int().min(0), text]).optional(),
      message: text.optional(),
      timeout: z.int().optional(),
      condition: z.union([text, flag, z.array(z.unknown())]).optional(),
    }),
  })
  .partial();

/** An issue of the schema, where it is and in words; of a choice of forms the most telling one. */
export interface SchemaFault {
  path: (string | number)[];
  what: string;
  /** A setting that is not known in its place. */
  unknown?: string;
}

const expected: Readonly<Record<string, string>> = {
  array: 'a list belongs here',
  object: 'settings belong under it',
  record: 'settings belong under it',
  string: 'text belongs here; put what looks like a number, or like yes and no, into quotes',
  boolean: 'true or false belongs here, without quotes',
  int: 'a whole number belongs here',
  number: 'a whole number belongs here',
};

const pathOf = (path: readonly PropertyKey[]): (string | number)[] =>
  path.map((part) => (typeof part === 'number' ? part : String(part)));

/** Issues of a schema as faults. @param before path of what was checked */
export function schemaFaults(
  issues: readonly z.core.$ZodIssue[],
  before: readonly (string | number)[] = [],
): SchemaFault[] {
  return issues.flatMap((issue): SchemaFault[] => {
    const path = [...before, ...pathOf(issue.path)];
    switch (issue.code) {
      case 'invalid_type':
        return [{ path, what: expected[issue.expected] ?? 'something else belongs here' }];
      case 'unrecognized_keys':
        return issue.keys.map((key) => ({
          path: [...path, key],
          what: 'it is not known here',
          unknown: key,
        }));
      case 'invalid_union': {
        // The form that came furthest is the one that was meant.
        const inside = issue.errors.find((one) => one.some(({ path: inner }) => inner.length > 0));
        if (inside) return schemaFaults(inside, path);
        const unknown = issue.errors.find((one) => one.some(({ code }) => code === 'unrecognized_keys'));
        if (unknown) return schemaFaults(unknown, path);
        const named = issue.errors.find((one) => one.some(({ code }) => code === 'custom'));
        return named ? schemaFaults(named, path) : [{ path, what: 'it has a form that is not taken here' }];
      }
      case 'too_small':
        return [{ path, what: 'it is empty' }];
      case 'invalid_value':
        return [{ path, what: `one of these belongs here: ${issue.values.map(String).join(', ')}` }];
      case 'custom':
        return [{ path, what: issue.message }];
      default:
        return [{ path, what: 'it has a form that is not taken here' }];
    }
  });
}
