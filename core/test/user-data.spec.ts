import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { utf8 } from '../src/bytes';
import { noSettings } from '../src/formats/finding';
import { checkUserData } from '../src/formats/cloud-config/user-data';
import { userKey } from './helpers/plan';

/** The check of user-data against cloud-init’s own schema, in one process since it takes a second to start. */
const schema = `
import json, sys, yaml
from cloudinit.config.schema import SchemaValidationError, get_schema, validate_cloudconfig_schema
rules = get_schema()
for line in sys.stdin:
    try:
        validate_cloudconfig_schema(yaml.safe_load(json.loads(line)), schema=rules, strict=True)
        print(json.dumps(None))
    except SchemaValidationError as problem:
        print(json.dumps(str(problem)))
`;
import { amount } from './helpers/soak';

const much = amount('user-data', 50, 400, 20_261_126);

const good = `#cloud-config
hostname: tank-01
users:
  - name: keeper
    groups: [sudo, dialout]
    lock_passwd: false
    hashed_passwd: "$6$seagrass$abc"
    ssh_authorized_keys:
      - ${userKey}
ssh_pwauth: false
timezone: Atlantic/Faroe
keyboard:
  layout: dk
packages:
  - curl
write_files:
  - path: /etc/motd
    permissions: "0644"
    content: "one"
runcmd:
  - 'echo "hi"'
`;
/** Settings that are put in, or in the place of the same one. */
const outer = [
  ...[
    'hostname: 012',
    'hostname: no',
    'hostname: [a]',
    'hostname: pond',
    'ssh_pwauth: yes',
    'ssh_pwauth: [x]',
    'timezone: 5',
  ],
  ...[
    'locale: no',
    'locale: da_DK.UTF-8',
    'keyboard: dk',
    'keyboard: {variant: x}',
    'keyboard: {layout: no}',
    'package_update: "yes"',
  ],
  ...[
    'package_update: on',
    'package_upgrade: later',
    'packages: curl',
    'packages: [1]',
    'packages: [[curl, "7"]]',
    'packages: []',
  ],
  ...[
    'runcmd: echo',
    'runcmd: [1]',
    'runcmd: [[a, b], c, null]',
    'runcmd: [[1]]',
    'bootcmd: [a]',
    'bootcmd: {a: b}',
    'users: keeper',
  ],
  ...[
    'write_files: {}',
    'write_files: [{content: x}]',
    'write_files: [{path: /a, permissions: 0644}]',
    'write_files: [{path: /a}]',
  ],
  ...[
    'disable_root: 0',
    'disable_root: true',
    'fqdn: a.b',
    'manage_etc_hosts: localhost',
    'manage_etc_hosts: maybe',
    'password: 5',
  ],
  ...[
    'ssh_authorized_keys: one',
    'ssh_keys: {ed25519_private: 5}',
    'power_state: {mode: reboot}',
    'power_state: reboot',
    'users: []',
  ],
  ...[
    'users: [default]',
    'users: [{gecos: x}]',
    'users: [5]',
    'final_message: {}',
    'resize_rootfs: noblock',
    'resize_rootfs: maybe',
  ],
];
const ofUser = [
  ...[
    'lock_passwd: "no"',
    'lock_passwd: no',
    'groups: sudo, dialout',
    'groups: 5',
    'groups: []',
    'sudo: ALL=(ALL) ALL',
    'sudo: 5',
  ],
  ...[
    'shell: no',
    'shell: /bin/sh',
    'uid: 1000',
    'gecos: 5',
    'hashed_passwd: 5',
    'plain_text_passwd: 12345',
    'homedir: /home/k',
  ],
  ...[
    'ssh_authorized_keys: one',
    'ssh_authorized_keys: []',
    'ssh_authorised_keys: [a]',
    'lock_password: true',
    'system: yes',
    'encoding: b64',
  ],
];
const put = (text: string, line: string, indent: string, behind: string): string => {
  const key = `${indent}${line.slice(0, line.indexOf(':') + 1)}`;
  const lines = text.split('\n');
  const from = lines.findIndex((one) => one.startsWith(key));
  // Nothing of that depth is left after another change.
  if (!lines.includes(behind)) return text;
  if (from < 0) return lines.toSpliced(lines.indexOf(behind) + 1, 0, `${indent}${line}`).join('\n');
  const deeper = (one: string | undefined): boolean =>
    one !== undefined && one !== '' && /^ */.exec(one)![0].length > indent.length;
  let end = from + 1;
  while (deeper(lines[end])) end++;
  return lines.toSpliced(from, end - from, `${indent}${line}`).join('\n');
};

it('what cloud-init’s schema refuses is told, and what is called a wrong form is refused there', () => {
  const one = fc.oneof(
    fc.constantFrom(...outer).map((line) => (text: string) => put(text, line, '', '#cloud-config')),
    fc.constantFrom(...ofUser).map((line) => (text: string) => put(text, line, '    ', '  - name: keeper')),
  );
  const files = fc.sample(
    fc
      .array(one, { minLength: 1, maxLength: 2 })
      .map((changes) => changes.reduce((text, apply) => apply(text), good)),
    { numRuns: much.runs, seed: much.seed },
  );
  const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', schema], {
    input: `${files.map((text) => JSON.stringify(text)).join('\n')}\n`,
    encoding: 'utf8',
  });
  const answers = stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as string | null);
  expect({ stderr, count: answers.length }).toEqual({ stderr: '', count: files.length });
  const tally = { taken: 0, refused: 0 };
  for (const [at, text] of files.entries()) {
    const said = answers[at] ?? null;
    // What is only to be dropped one day is taken now.
    const refused = said !== null && said.includes('schema errors');
    const findings = checkUserData({ name: 'user-data', content: utf8(text) }, noSettings());
    const forms = findings.filter(({ id }) =>
      ['user-data-form', 'unknown-setting', 'command-form', 'file-mode'].includes(id),
    );
    expect({ text, said, told: forms.map(({ message }) => message), refused: forms.length > 0 }).toEqual({
      text,
      said,
      told: forms.map(({ message }) => message),
      refused,
    });
    tally[refused ? 'refused' : 'taken']++;
  }
  expect(Math.min(tally.taken, tally.refused)).toBeGreaterThan(much.runs / 7);
}, 60_000);
