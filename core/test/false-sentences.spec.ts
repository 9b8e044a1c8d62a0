import { textOf, utf8 } from '../src/bytes';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import { cardChanges } from '../src/firstboot/check/compare';
import { checkUserData } from '../src/formats/cloud-config/user-data';
import { noSettings } from '../src/formats/finding';
import { base, bootFilesOf, cardOf, check } from './helpers/check';
import { settings, userKey } from './helpers/plan';
import { attempt, run } from './helpers/reference';

const seed = (): Record<string, string> => cardOf('declarative-seed', settings());

describe('what the check said of cards and was not so', () => {
  const userData = (lines: string): string =>
    `#cloud-config\nusers:\n  - name: keeper\n    ssh_authorized_keys: ["${userKey}"]\n${lines}`;
  const ids = (list: readonly { id: string; severity: string }[]): string[] =>
    list.map(({ id, severity }) => `${severity} ${id}`);

  it.each([
    ['- echo note: done', 'stops command-form'],
    ['- {a: b}', 'stops command-form'],
    ['- 5', 'stops command-form'],
    ['- [echo, 5]', 'stops command-form'],
    ["- 'echo note: done'", null],
    ['- [echo, "5"]', null],
    ['- echo "a: b"', 'stops command-form'],
  ])(
    'commands %s: none of them runs where cloud-init’s own function cannot make a script of them',
    (line, expected) => {
      const text = userData(`runcmd:\n  - first\n  ${line}\n`);
      const said = ids(checkUserData({ name: 'user-data', content: utf8(text) }, noSettings()));
      // package cloud-init, the function that cc_runcmd calls
      const { code } = attempt('/usr/bin/python3', [
        '-c',
        'import sys, yaml\nfrom cloudinit import util\nutil.shellify(yaml.safe_load(sys.argv[1])["runcmd"])',
        text,
      ]);
      expect(said.filter((id) => id.endsWith('command-form'))).toEqual(expected === null ? [] : [expected]);
      // A number in a list of words is made a word there; the schema alone speaks against it.
      if (line !== '- [echo, 5]') expect(code === 0).toBe(expected === null);
    },
  );

  it('the command is mended by quotes, and then runs', () => {
    const text = userData("runcmd:\n  - echo it's: done\n");
    const { fix } = checkUserData({ name: 'user-data', content: utf8(text) }, noSettings()).find(
      ({ id }) => id === 'command-form',
    )!;
    expect(fix).toMatchObject({ do: 'replace' });
    const mended = textOf((fix as { content: Uint8Array }).content);
    expect(mended).toContain("- 'echo it''s: done'\n");
    expect(ids(checkUserData({ name: 'user-data', content: utf8(mended) }, noSettings()))).toEqual([]);
  });

  it.each([
    ['755', 'stops file-mode'],
    ['644', 'stops file-mode'],
    ['0644', null],
    ['"0644"', null],
    ['420', 'stops file-mode'],
  ])('permissions: %s are the mode that cloud-init’s own function makes of it', (written, expected) => {
    const text = userData(`write_files:\n  - path: /etc/x\n    content: x\n    permissions: ${written}\n`);
    const said = checkUserData({ name: 'user-data', content: utf8(text) }, noSettings());
    expect(ids(said)).toEqual(expected === null ? [] : [expected]);
    const mode = run('/usr/bin/python3', [
      '-c',
      'import sys, yaml\nfrom cloudinit.config import cc_write_files as w\nprint(oct(w.decode_perms(yaml.safe_load(sys.argv[1])["write_files"][0]["permissions"], None)))',
      text,
    ]).trim();
    if (expected === null) expect(mode).toBe('0o644');
    else expect(said[0]?.message).toContain(`the mode 0${mode.slice(2)}.`);
  });

  it.each<[string, Partial<Record<'user-data' | 'meta-data', string | Uint8Array | null>>]>([
    ['a byte-order mark', { 'user-data': `\uFEFF${seed()['user-data'] ?? ''}` }],
    ['UTF-16', { 'user-data': Buffer.from(`\uFEFF${seed()['user-data'] ?? ''}`, 'utf16le') }],
    ['no meta-data', { 'meta-data': null }],
  ])('%s: users that the board will not have are not listed', (_what, change) => {
    const files = Object.fromEntries(
      Object.entries({ ...seed(), ...change }).flatMap(([name, content]) =>
        content === null ? [] : [[name, content]],
      ),
    ) as Record<string, string | Uint8Array>;
    const { settings: made, findings } = check(files);
    expect(findings[0]?.severity).toBe('stops');
    expect(made.users).toEqual([]);
    if ('meta-data' in change) expect(made).toMatchObject({ hostName: null, networks: [] });
    expect(check(seed()).settings.users).toHaveLength(1);
  });

  it('a healthy card that has booted: a note; one whose user-data were changed since is stopped', () => {
    const of = (bootedWith: 'these' | 'others' | null): string[] =>
      ids(check(seed(), { bootedAs: '7KQ4M-1', bootedWith }).findings);
    expect(of('these')).toEqual(['note instance-id-used']);
    expect(of('others')).toEqual(['stops instance-id-used']);
    expect(of(null)).toEqual(['warns instance-id-used']);
  });

  it('line ends, a mark, and UTF-16 are no changes of the plan, and another method is one sentence', () => {
    const given = settings();
    const now = cardFilesOf('declarative-seed', given, noBase);
    const spoilt = (change: (text: string) => string | Uint8Array): string[] =>
      cardChanges(
        bootFilesOf(
          Object.fromEntries(
            now.map(({ path, content }) => [path, path === 'user-data' ? change(textOf(content)) : content]),
          ),
        ),
        now,
      );
    expect(spoilt((text) => text)).toEqual([]);
    expect(spoilt((text) => text.replaceAll('\n', '\r\n'))).toEqual([]);
    expect(spoilt((text) => `\uFEFF${text}`)).toEqual([]);
    expect(spoilt((text) => Buffer.from(`\uFEFF${text}`, 'utf16le'))).toEqual([]);
    expect(spoilt((text) => text.replace('timezone: ', 'timezone: X'))).toHaveLength(1);
    const script = cardFilesOf('run-once', given, base);
    expect(
      cardChanges(bootFilesOf(Object.fromEntries(script.map(({ path, content }) => [path, content]))), now),
    ).toEqual([expect.stringContaining('"Declarative seed" now; the card has "Run-once script"')]);
    // Its script has run and taken itself away: nothing is left to compare, and nothing was changed.
    expect(
      cardChanges(bootFilesOf({ 'run-once.log': 'begun\nended\n', 'cmdline.txt': 'quiet\n' }), script),
    ).toEqual([]);
  });

  it('what a started Debian took all the same is no reason to stop', () => {
    const good = seed();
    const bom = (name: string): string[] =>
      ids(check({ ...good, [name]: `\uFEFF${good[name] ?? ''}` }).findings);
    expect(bom('network-config')).toEqual(['note byte-order-mark']);
    expect(bom('meta-data')).toEqual(['note byte-order-mark']);
    expect(bom('user-data')).toEqual(['stops byte-order-mark']);
    for (const before of [' ', '\n', '\n\n  '])
      expect(ids(check({ ...good, 'user-data': `${before}${good['user-data'] ?? ''}` }).findings)).toEqual(
        [],
      );
  });

  it('what it did not take is told: no network-config, an unknown time zone, a password that is locked', () => {
    const { 'network-config': _gone, ...rest } = seed();
    expect(ids(check(rest).findings)).toEqual(['warns network-config-missing']);
    const told = (text: string): string[] =>
      ids(checkUserData({ name: 'user-data', content: utf8(text) }, noSettings()));
    expect(told(userData('timezone: Europe/Kopenhagen\n'))).toEqual(['warns time-zone-unknown']);
    expect(told(userData('timezone: Europe/Copenhagen\n'))).toEqual([]);
    const hash = `$6$seagrass$${'a'.repeat(86)}`;
    expect(
      told(userData('').replace('- name: keeper', `- name: keeper\n    hashed_passwd: "${hash}"`)),
    ).toEqual(['warns password-locked']);
  });

  it('without user-data nothing of the seed is taken, and nothing is listed', () => {
    const { 'user-data': _gone, ...rest } = seed();
    expect(check(rest).settings).toMatchObject({ hostName: null, users: [], networks: [] });
  });

  it('meta-data that is no YAML counts as empty, and the rest is taken', () => {
    const good = seed();
    const { findings, settings: made } = check({ ...good, 'meta-data': `  ${good['meta-data'] ?? ''}` });
    expect(ids(findings)).toEqual(['warns yaml-broken']);
    expect(made).toMatchObject({ hostName: 'tank-01', users: [{ name: 'keeper' }] });
  });

  it('without its version a network-config is refused as a whole', () => {
    const good = seed();
    const text = (good['network-config'] ?? '').replace(/\n *version: 2/, '');
    expect(check({ ...good, 'network-config': text }).settings.refusedFile).toBe('network-config');
  });
});
