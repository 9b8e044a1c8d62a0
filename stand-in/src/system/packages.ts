import { execFile } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { chmod, mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { screenPrograms, screenSettings } from './screen-programs';
import { tunnelPrograms } from './tunnel-programs';

const run = promisify(execFile);

/** A package of the practice repository, newer than what boards have. */
interface Made {
  name: string;
  version: string;
  fresh: boolean;
  file: string;
  content: Buffer;
}

/** Octets of random data in each, so that there is something to fetch. */
const FILLED = 150_000;

/** What a board of an old image has and gets newer, or (`fresh`) does not have yet. */
interface Wanted {
  name: string;
  version: string;
  after: string;
  fresh: boolean;
  /** Programs that it brings, by their names. */
  programs: Readonly<Record<string, string>>;
  /** Settings that it brings, by their place below /etc. */
  settings: Readonly<Record<string, string>>;
}

const plain = { after: '', fresh: false, programs: {}, settings: {} };

// The kernel asks for a reboot.
const wanted: readonly Wanted[] = [
  { ...plain, name: 'reed-tools', version: '1.4' },
  { ...plain, name: 'tide-tables', version: '2026.11' },
  { ...plain, name: 'wireguard-tools', version: '1.0.20210914-1', fresh: true, programs: tunnelPrograms },
  {
    ...plain,
    name: 'xrdp',
    version: '0.9.21.1-1',
    fresh: true,
    programs: screenPrograms,
    settings: { 'xrdp/xrdp.ini': screenSettings },
    // A package's script starts what it brings, unless somebody masked it (deb-systemd-invoke(1p)).
    after: `#!/bin/sh
systemctl is-enabled xrdp.service | grep -q masked || { systemctl enable xrdp.service; systemctl start xrdp.service; }
`,
  },
  { ...plain, name: 'xorgxrdp', version: '0.9.19-1', fresh: true },
  {
    ...plain,
    name: 'marsh-kernel',
    version: '6.1.9',
    after: `#!/bin/sh
touch /run/reboot-required
echo marsh-kernel >>/run/reboot-required.pkgs
`,
  },
];

const control = (name: string, version: string): string => `Package: ${name}
Version: ${version}
Architecture: all
Maintainer: Practice bench <bench@example.org>
Description: made for the practice bench
`;

async function make(): Promise<Made[]> {
  const folder = await mkdtemp(join(tmpdir(), 'nest-mark-packages-'));
  try {
    const made: Made[] = [];
    for (const { name, version, after, fresh, programs, settings } of wanted) {
      const tree = join(folder, name);
      await mkdir(join(tree, 'DEBIAN'), { recursive: true });
      await mkdir(join(tree, 'opt/practice'), { recursive: true });
      const data = randomBytes(FILLED);
      await writeFile(join(tree, 'opt/practice', name), data);
      await writeFile(join(tree, 'DEBIAN/control'), control(name, version));
      const sum = createHash('md5').update(data).digest('hex');
      await writeFile(join(tree, 'DEBIAN/md5sums'), `${sum}  opt/practice/${name}\n`);
      for (const [program, content] of Object.entries(programs)) {
        await mkdir(join(tree, 'usr/local/bin'), { recursive: true });
        await writeFile(join(tree, 'usr/local/bin', program), content);
        await chmod(join(tree, 'usr/local/bin', program), 0o755);
      }
      for (const [path, content] of Object.entries(settings)) {
        await mkdir(join(tree, 'etc', path, '..'), { recursive: true });
        await writeFile(join(tree, 'etc', path), content);
      }
      if (Object.keys(settings).length > 0)
        await writeFile(
          join(tree, 'DEBIAN/conffiles'),
          Object.keys(settings)
            .map((path) => `/etc/${path}\n`)
            .join(''),
        );
      if (after !== '') {
        await writeFile(join(tree, 'DEBIAN/postinst'), after);
        await chmod(join(tree, 'DEBIAN/postinst'), 0o755);
      }
      const inEtc = Object.keys(settings).map((path) => join('etc', path, '..'));
      for (const path of [
        ...['', 'DEBIAN', 'opt', 'opt/practice', 'usr', 'usr/local', 'usr/local/bin', 'etc'],
        ...inEtc,
      ])
        if (existsSync(join(tree, path))) await chmod(join(tree, path), 0o755);
      const file = `${name}_${version}_all.deb`;
      await run('dpkg-deb', ['-Znone', '--root-owner-group', '-b', tree, join(folder, file)]);
      made.push({ name, version, fresh, file, content: await readFile(join(folder, file)) });
    }
    return made;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

let once: Promise<Made[]> | null = null;

/** A file of a board's root. */
export interface SystemFile {
  path: string;
  content: string | Uint8Array;
}

/** What a board of an old image has installed, and the repository that it gets newer ones from (apt's flat form). */
export async function packageFiles(): Promise<SystemFile[]> {
  once ??= make();
  const made = await once.catch((error: unknown) => {
    once = null;
    throw error;
  });
  const installed = (name: string, version: string): string =>
    `${control(name, version).replace('\nVersion', '\nStatus: install ok installed\nVersion')}\n`;
  const index = made.map(
    ({ name, version, file, content }) =>
      `${control(name, version)}Filename: ./${file}\nSize: ${String(content.length)}\nSHA256: ${createHash('sha256').update(content).digest('hex')}\n`,
  );
  const names = [...made.filter(({ fresh }) => !fresh).map(({ name }) => name), 'old-reed'];
  return [
    { path: 'var/lib/dpkg/status', content: names.map((name) => installed(name, '1.0')).join('') },
    { path: 'var/lib/dpkg/info/format', content: '1\n' },
    ...names.flatMap((name) => [
      { path: `var/lib/dpkg/info/${name}.list`, content: '/.\n' },
      { path: `var/lib/dpkg/info/${name}.md5sums`, content: '' },
    ]),
    // Nothing needs it any more.
    {
      path: 'var/lib/apt/extended_states',
      content: 'Package: old-reed\nArchitecture: all\nAuto-Installed: 1\n\n',
    },
    { path: 'etc/apt/sources.list', content: 'deb [trusted=yes] copy:/srv/repository ./\n' },
    {
      path: 'etc/apt/apt.conf.d/10practice',
      // In the scratch root there is one account to work as, and no terminal.
      content:
        'APT::Sandbox::User "root";\nDpkg::Use-Pty "0";\nAcquire::Languages "none";\n' +
        // Scripts of packages meet the programs of the board, not those of the workstation.
        'DPkg::Path "/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";\n',
    },
    { path: 'etc/dpkg/dpkg.cfg.d/practice', content: 'force-unsafe-io\n' },
    { path: 'srv/repository/Packages', content: index.join('\n') },
    ...made.map(({ file, content }) => ({ path: `srv/repository/${file}`, content })),
  ];
}
