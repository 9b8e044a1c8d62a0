/** Installs the Debian packages that are missing. */
import { spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { say, SetupError } from './say.mjs';
import { networkPrograms, toolPath } from './paths.mjs';

/** Package, and a file or program that shows that it is there. */
const forStart = [
  ['postgresql', '/usr/lib/postgresql'],
  ['xz-utils', 'xz'],
  ['zstd', 'zstd'],
  ['dosfstools', 'mkfs.fat'],
  ['mtools', 'mcopy'],
  ['fdisk', 'sfdisk'],
  ['e2fsprogs', 'mke2fs'],
  ['openssl', 'openssl'],
  ['iproute2', 'ip'],
  ['util-linux', 'lsblk'],
  ['mount', 'umount'],
  // For practice boards that run a script, when a plain account starts the program.
  ['uidmap', 'newuidmap'],
];
const forTest = [
  ...forStart,
  ['chromium-headless-shell', 'chromium-headless-shell'],
  ['openssh-client', 'ssh'],
  ['wpasupplicant', 'wpa_passphrase'],
  ['network-manager', 'nmcli'],
  ['shellcheck', 'shellcheck'],
  ['perl-base', 'perl'],
  ['systemd', '/lib/systemd/system-generators/systemd-run-generator'],
  ['passwd', 'useradd'],
  ['zip', 'zip'],
  ['unzip', 'unzip'],
  ['cloud-init', 'cloud-init'],
  ['xorriso', 'xorriso'],
  ['locales', 'locale-gen'],
  ['netplan.io', 'netplan'],
  ['python3-yaml', '/usr/lib/python3/dist-packages/yaml'],
  ['yamllint', 'yamllint'],
  ['bind9-utils', 'named-checkzone'],
  ['poppler-utils', 'pdftotext'],
  ['zbar-tools', 'zbarimg'],
  ['age', 'age'],
  ['wireguard-tools', 'wg'],
  ['wireguard-go', 'wireguard-go'],
  ['iputils-ping', 'ping'],
];

const forSoak = [
  ...forTest,
  ['debootstrap', 'debootstrap'],
  ['dpkg-dev', 'dpkg-scanpackages'],
  ['qemu-system-x86', 'qemu-system-x86_64'],
  ['cpio', 'cpio'],
  ['kmod', 'modprobe'],
  ['debian-archive-keyring', '/usr/share/keyrings/debian-archive-keyring.gpg'],
];
const lists = { start: forStart, test: forTest, soak: forSoak };

const present = (sign) =>
  sign.startsWith('/')
    ? existsSync(sign)
    : toolPath.split(':').some((folder) => existsSync(join(folder, sign)));

function apt(args) {
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  return spawnSync('apt-get', args, { stdio: ['ignore', 'inherit', 'inherit'], env }).status === 0;
}

/** Installs what is missing for starting, or for testing as well. */
export function needPackages(purpose) {
  const missing = lists[purpose].filter(([, sign]) => !present(sign)).map(([name]) => name);
  if (missing.length === 0) return;
  if (!existsSync('/usr/bin/apt-get'))
    throw new SetupError(
      `These programs are missing: ${missing.join(', ')}. On a system without apt-get, install them by its own means and start again.`,
    );
  if (process.getuid?.() !== 0)
    throw new SetupError(
      `Some Debian packages are missing. Install them with\n\n    sudo apt-get install --no-install-recommends ${missing.join(' ')}\n\nand start again.`,
    );
  say(`installing Debian packages: ${missing.join(', ')}`);
  // No system-wide database cluster: Nest Mark runs one of its own.
  if (missing.includes('postgresql')) {
    mkdirSync('/etc/postgresql-common', { recursive: true });
    if (!existsSync('/etc/postgresql-common/createcluster.conf'))
      writeFileSync('/etc/postgresql-common/createcluster.conf', 'create_main_cluster = false\n');
  }
  // It is wanted for its schema check only; it must not set this machine up at the next boot.
  if (missing.includes('cloud-init')) {
    mkdirSync('/etc/cloud', { recursive: true });
    writeFileSync('/etc/cloud/cloud-init.disabled', '');
  }
  // Likewise: only its command line tool is asked, it must not take over this machine's network.
  if (missing.includes('network-manager')) {
    mkdirSync('/etc/NetworkManager/conf.d', { recursive: true });
    writeFileSync('/etc/NetworkManager/conf.d/00-nest-mark.conf', '[keyfile]\nunmanaged-devices=*\n');
  }
  const args = ['install', '-y', '-qq', '--no-install-recommends', ...missing];
  if (!apt(args) && !(apt(['update', '-qq']) && apt(args)))
    throw new SetupError(
      `Debian packages could not be installed: ${missing.join(', ')}. Look at the messages above; is the network there?`,
    );
}

/** What boards and networks run, for tests in network namespaces; with the program that each is wanted for. */
const forNetworks = [
  ['avahi-daemon', 'avahi-daemon'],
  ['dnsmasq-base', 'dnsmasq'],
  ['openssh-server', 'sshd'],
  ['busybox', 'busybox'],
  ['netcat-openbsd', 'nc.openbsd'],
  ['isc-dhcp-client', 'dhclient'],
  ['isc-dhcp-server', 'dhcpd'],
  ['kea-dhcp4-server', 'kea-dhcp4'],
  ['xrdp', 'xrdp'],
];

/**
 * Unpacks the programs of boards and networks into the data folder, where they are missing. They are not installed:
 * a login service and a responder would start to serve this computer's own network.
 */
export function needNetworkPrograms() {
  if (process.getuid?.() !== 0 || forNetworks.every(([, program]) => present(program))) return;
  const done = join(networkPrograms, 'unpacked');
  const all = forNetworks.map(([name]) => name);
  if (existsSync(done) && readFileSync(done, 'utf8') === all.join(' ')) return;
  say('unpacking the programs of a test network');
  rmSync(networkPrograms, { recursive: true, force: true });
  mkdirSync(networkPrograms, { recursive: true });
  const archives = mkdtempSync(join(networkPrograms, 'archives-'));
  mkdirSync(join(archives, 'partial'));
  const args = [
    ...['install', '--download-only', '-y', '-qq', '--no-install-recommends'],
    ...['-o', `Dir::Cache::archives=${archives}/`, '-o', 'APT::Sandbox::User=root'],
    ...all,
  ];
  if (!apt(args) && !(apt(['update', '-qq']) && apt(args)))
    throw new SetupError(
      'The programs of the test network could not be fetched. Look at the messages above; is the network there?',
    );
  for (const name of readdirSync(archives).filter((one) => one.endsWith('.deb')))
    spawnSync('dpkg-deb', ['-x', join(archives, name), networkPrograms], {
      stdio: ['ignore', 'ignore', 'inherit'],
    });
  rmSync(archives, { recursive: true, force: true });
  writeFileSync(done, all.join(' '));
}
