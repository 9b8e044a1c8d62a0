import { execFileSync } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { StartedDebian } from './debian';

interface Package {
  name: string;
  version: string;
  files?: Record<string, string>;
  conffiles?: readonly string[];
  postinst?: string;
  depends?: string;
}

/** Where the repository lies on the board, in apt's flat form. */
const REPOSITORY = '/srv/repository';

function build(folder: string, made: Package): string {
  const tree = join(folder, `${made.name}-${made.version}`);
  const put = (path: string, text: string, mode = 0o644): void => {
    mkdirSync(dirname(join(tree, path)), { recursive: true });
    writeFileSync(join(tree, path), text);
    chmodSync(join(tree, path), mode);
  };
  put(
    'DEBIAN/control',
    `Package: ${made.name}\nVersion: ${made.version}\nArchitecture: all\nMaintainer: Bench <bench@example.org>\n${
      made.depends === undefined ? '' : `Depends: ${made.depends}\n`
    }Description: made for a test\n`,
  );
  for (const [path, text] of Object.entries(made.files ?? {})) put(path, text);
  if (made.conffiles) put('DEBIAN/conffiles', made.conffiles.map((path) => `${path}\n`).join(''));
  if (made.postinst !== undefined) put('DEBIAN/postinst', `#!/bin/sh\n${made.postinst}\n`, 0o755);
  const file = join(folder, `${made.name}_${made.version}_all.deb`);
  execFileSync('dpkg-deb', ['-Zgzip', '--root-owner-group', '-b', tree, file], { stdio: 'ignore' });
  return file;
}

/**
 * Installs old versions in a system that is off, and lays a repository with newer ones beside: one whose settings both
 * sides changed, one that asks a question (debconf), one that takes a while and asks for a reboot, and a leftover.
 * @param tunnel whether it has the distribution's programs of the VPN too
 */
export function givePackages(debian: StartedDebian, tunnel: boolean): void {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-packages-'));
  try {
    const conf = (version: string) => ({
      name: 'tide-tables',
      version,
      files: { '/etc/tide-tables.conf': `depth=${version}\n` },
      conffiles: ['/etc/tide-tables.conf'],
    });
    const kernel = (version: string) => ({
      name: 'marsh-kernel',
      version,
      // What is on standard input must not be read by whoever asks.
      postinst:
        version === '1.0'
          ? 'exit 0'
          : 'sleep 2\nread -r answer && exit 9\ntouch /run/reboot-required\necho marsh-kernel >>/run/reboot-required.pkgs',
    });
    const old = [conf('1.0'), kernel('1.0'), { name: 'old-reed', version: '1.0' }].map((one) =>
      build(folder, one),
    );
    const at = `${debian.root}${REPOSITORY}`;
    mkdirSync(at, { recursive: true });
    for (const file of old) debian.write(`/root/${file.split('/').at(-1) ?? ''}`, readFileSync(file));
    debian.prepare('sh', '-c', 'dpkg -i /root/*.deb && rm /root/*.deb && apt-mark auto old-reed >/dev/null');
    debian.write('/etc/tide-tables.conf', 'depth=7, by hand\n');
    for (const one of [conf('2.0'), kernel('2.0')]) {
      const file = build(folder, one);
      debian.write(`${REPOSITORY}/${file.split('/').at(-1) ?? ''}`, readFileSync(file));
    }
    if (tunnel) {
      // As the distribution has them: its programs in the repository, and what does without the kernel's own installed.
      execFileSync('apt-get', ['download', 'wireguard-tools', 'wireguard-go'], {
        cwd: folder,
        stdio: 'ignore',
      });
      for (const file of readdirSync(folder).filter((name) => /^wireguard-.*\.deb$/.test(name))) {
        const inRepository = file.startsWith('wireguard-tools');
        const path = inRepository ? `${REPOSITORY}/${file}` : `/root/${file}`;
        debian.write(path, readFileSync(join(folder, file)));
        if (!inRepository) debian.prepare('dpkg', '-i', path);
      }
    }
    const packages = execFileSync('dpkg-scanpackages', ['-m', '.'], {
      cwd: at,
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    debian.write(`${REPOSITORY}/Packages`, packages);
    debian.write('/etc/apt/sources.list', `deb [trusted=yes] copy:${REPOSITORY} ./\n`);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
