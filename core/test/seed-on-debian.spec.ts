import { chmodSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { textOf } from '../src/bytes';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import { homeFile } from '../src/firstboot/home-files';
import type { FirstBootSettings } from '../src/firstboot/settings';
import { takeSeedOver } from '../src/firstboot/declarative-seed/takes-over';
import { bootFilesOf, cardOf, check } from './helpers/check';
import { settings } from './helpers/plan';
import { inScratch, run } from './helpers/reference';

/** What Debian's own programs do with a seed: cloud-init's module that writes files, and locale-gen. */

const userData = (given: FirstBootSettings): string =>
  textOf(cardFilesOf('declarative-seed', given, noBase).find(({ path }) => path === 'user-data')!.content);

/** cloud-init's module, on a root of its own. @param deferred whether users exist by then */
const writeFiles = (root: string, seed: string, deferred: boolean): string => {
  const file = join(root, 'user-data');
  writeFileSync(file, seed);
  return run('/usr/bin/python3', [
    '-c',
    `import os, pwd, sys, yaml
from cloudinit.config import cc_write_files
root, deferred = sys.argv[1], sys.argv[3] == 'true'
me = pwd.getpwuid(os.getuid()).pw_name
for entry in yaml.safe_load(open(sys.argv[2]))['write_files']:
    if bool(entry.get('defer')) != deferred: continue
    print(entry.pop('owner', 'root'), entry['path'])
    cc_write_files.write_files('write-files', [{**entry, 'path': root + entry['path']}], me)`,
    root,
    file,
    String(deferred),
  ]);
};

/** Debian's locale-gen on another root, with a localedef that only says what it is asked for. */
function localesMade(root: string): string {
  const script = readFileSync('/usr/sbin/locale-gen', 'utf8')
    .replaceAll('/etc/locale.gen', join(root, 'etc/locale.gen'))
    .replaceAll('/usr/lib/locale', join(root, 'usr/lib/locale'));
  mkdirSync(join(root, 'bin'));
  writeFileSync(join(root, 'bin/localedef'), `#!/bin/sh\necho "asked for $*" >>"${root}/asked"\n`);
  chmodSync(join(root, 'bin/localedef'), 0o755);
  writeFileSync(join(root, 'asked'), '');
  writeFileSync(join(root, 'locale-gen'), script);
  run('sh', ['-c', `PATH="${root}/bin:$PATH" sh "${root}/locale-gen"`]);
  return readFileSync(join(root, 'asked'), 'utf8');
}

describe('the planned locale on Debian', () => {
  it.each([
    ['# en_GB.UTF-8 UTF-8\n# da_DK.UTF-8 UTF-8\n', 'da_DK.UTF-8'],
    // Somebody's editor left no end of line.
    ['# en_GB.UTF-8 UTF-8', 'en_GB.UTF-8'],
    ['en_GB.UTF-8 UTF-8\n', 'en_GB.UTF-8'],
  ])('is generated, whatever stands in /etc/locale.gen: %j', async (before, locale) => {
    await inScratch((root) => {
      mkdirSync(join(root, 'etc'));
      writeFileSync(join(root, 'etc/locale.gen'), before);
      writeFiles(root, userData(settings({ locale })), false);
      expect(localesMade(root)).toMatch(new RegExp(`asked for -i ${locale.slice(0, 5)} .* ${locale}\n`));
      expect(statSync(join(root, 'etc/locale.gen')).mode & 0o777).toBe(0o644);
      return Promise.resolve();
    });
  });

  it('is not asked for where the C library has it built in', () => {
    expect(userData(settings({ locale: 'C.UTF-8' }))).not.toContain('locale.gen');
  });
});

describe('a file in a user’s home, by the seed', () => {
  const given = settings({
    files: [
      { place: 'board', path: '/home/keeper/.config/tank/depth.toml', mode: '0600', content: 'depth = 3\n' },
      { place: 'board', path: '/home/somebody/x', mode: '0644', content: 'x\n' },
    ],
    user: { ...settings().user, name: 'keeper' },
    commands: ['echo ready'],
  });

  it('is written after the user was made, so that the home is the user’s and whole', async () => {
    await inScratch((root) => {
      expect(writeFiles(root, userData(given), false)).not.toContain('/home/keeper');
      expect(writeFiles(root, userData(given), true)).toBe('keeper /home/keeper/.config/tank/depth.toml\n');
      expect(readFileSync(join(root, 'home/keeper/.config/tank/depth.toml'), 'utf8')).toBe('depth = 3\n');
      return Promise.resolve();
    });
  });

  it('belongs to the user with the folders that lead to it, before the planned commands run', () => {
    const data = userData(given);
    const [first, second] = JSON.parse(
      run(
        'python3',
        ['-c', 'import json, sys, yaml; print(json.dumps(yaml.safe_load(sys.stdin)["runcmd"]))'],
        data,
      ),
    ) as unknown[];
    expect(first).toEqual([
      'chown',
      '-h',
      'keeper:',
      '/home/keeper/.config',
      '/home/keeper/.config/tank',
      '/home/keeper/.config/tank/depth.toml',
    ]);
    expect(second).toBe('echo ready');
  });

  it('is nothing that the card check complains of, nor taken over as a command of the plan', () => {
    const card = cardOf('declarative-seed', given);
    expect(check(card).findings).toEqual([]);
    expect(takeSeedOver(bootFilesOf(card)).commands).toEqual(['echo ready']);
  });

  it('is one only where the user is planned', () => {
    expect(homeFile('/home/keeper/a', ['keeper'])).toEqual({ user: 'keeper', folders: [] });
    for (const path of [
      '/home/keeper',
      '/home/other/a',
      '/home/keepers/a',
      '/etc/home/keeper/a',
      'home/keeper/a',
      '/root/a',
    ])
      expect(homeFile(path, ['keeper'])).toBeNull();
    fc.assert(
      fc.property(fc.array(fc.stringMatching(/^[a-z.]{1,6}$/), { minLength: 1, maxLength: 5 }), (parts) => {
        const path = `/home/keeper/${parts.join('/')}`;
        const { folders } = homeFile(path, ['keeper'])!;
        expect([...folders, path].map((folder) => folder.split('/').length)).toEqual(
          [...folders, path].map((_, at) => at + 4),
        );
        for (const folder of folders) expect(path.startsWith(`${folder}/`)).toBe(true);
      }),
    );
  });
});
