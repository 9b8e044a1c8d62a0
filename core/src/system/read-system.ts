import type { ExtVolume } from '../disk/ext/volume';
import { readAccounts } from './accounts';
import { readSeedSearch } from './cloud-init';
import { unreadSystem, type Ability, type AbilityId, type SystemFacts } from './facts';
import { readPackages, type PackageList } from './packages';
import { isOn, readServices, type Services } from './services';

/** What shows that a system has something: programs, and packages that tell its version. */
interface Sign {
  programs: readonly string[];
  packages: readonly string[];
  /** Units by which it is started; none where that is no question. */
  units?: readonly string[];
}

const bin = (name: string): string[] => [`/usr/bin/${name}`, `/bin/${name}`];
const sbin = (name: string): string[] => [`/usr/sbin/${name}`, `/sbin/${name}`, ...bin(name)];
const inSystemd = (name: string): string[] => [`/usr/lib/systemd/${name}`, `/lib/systemd/${name}`];

const signs: Record<AbilityId, Sign> = {
  systemd: { programs: inSystemd('systemd'), packages: ['systemd'] },
  startsPrograms: { programs: inSystemd('system-generators/systemd-run-generator'), packages: ['systemd'] },
  cloudInit: { programs: bin('cloud-init'), packages: ['cloud-init'] },
  networkManager: {
    programs: sbin('NetworkManager'),
    packages: ['network-manager', 'networkmanager'],
    units: ['NetworkManager.service'],
  },
  netplan: { programs: sbin('netplan'), packages: ['netplan.io', 'netplan'] },
  networkd: {
    programs: inSystemd('systemd-networkd'),
    packages: ['systemd'],
    units: ['systemd-networkd.service'],
  },
  wpaSupplicant: { programs: sbin('wpa_supplicant'), packages: ['wpasupplicant', 'wpa_supplicant'] },
  ssh: {
    programs: [...sbin('sshd'), ...sbin('dropbear')],
    packages: ['openssh-server', 'dropbear', 'dropbear-bin'],
    units: ['ssh.service', 'sshd.service', 'ssh.socket', 'sshd.socket', 'dropbear.service'],
  },
  sudo: { programs: bin('sudo'), packages: ['sudo', 'sudo-ldap'] },
  bash: { programs: bin('bash'), packages: ['bash'] },
  avahi: {
    programs: sbin('avahi-daemon'),
    packages: ['avahi-daemon', 'avahi'],
    units: ['avahi-daemon.service'],
  },
  localeGen: { programs: sbin('locale-gen'), packages: ['locales'] },
  consoleSetup: { programs: bin('setupcon'), packages: ['console-setup'] },
  timeZones: { programs: ['/usr/share/zoneinfo/Etc/UTC', '/usr/share/zoneinfo/UTC'], packages: ['tzdata'] },
  growth: {
    programs: [...bin('growpart'), ...inSystemd('systemd-growfs'), ...bin('systemd-repart')],
    packages: ['cloud-guest-utils', 'cloud-initramfs-growroot'],
  },
};

async function ability(
  root: ExtVolume,
  packages: PackageList,
  services: Services,
  sign: Sign,
): Promise<Ability> {
  let found = '';
  for (const path of sign.programs) {
    const facts = await root.stat(path);
    if (!facts || facts.kind === 'folder') continue;
    found = path;
    break;
  }
  const name = sign.packages.find((one) => packages.versions.has(one));
  // A package may be there without the program, and a program without a package; the program is what acts.
  if (found === '')
    return { has: false, on: null, version: '', where: `none of ${sign.programs.slice(0, 2).join(', ')}` };
  return {
    has: true,
    on: sign.units ? isOn(services, ...sign.units) : null,
    version: name === undefined ? '' : (packages.versions.get(name) ?? ''),
    where: name === undefined ? found : `${found}, package ${name}`,
  };
}

const textOf = async (root: ExtVolume, path: string): Promise<string> =>
  new TextDecoder().decode((await root.readFile(path)) ?? new Uint8Array());

/** Who acts on netplan's files: the last of them that says so (netplan YAML reference, "renderer"). */
async function readRenderer(root: ExtVolume): Promise<SystemFacts['renderer']> {
  const files = new Map<string, string>();
  // Of two of one name the one of the later folder holds; all are taken in the order of their names.
  for (const folder of ['/usr/lib/netplan', '/lib/netplan', '/etc/netplan'])
    for (const name of await root.list(folder))
      if (name.endsWith('.yaml')) files.set(name, `${folder}/${name}`);
  let found: SystemFacts['renderer'] = {
    name: 'networkd',
    where: 'what netplan takes where no file says otherwise',
  };
  for (const [, path] of [...files].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const said = /^(?: {1,8}|\t)renderer:[ \t]*['"]?(NetworkManager|networkd)\b/m.exec(
      await textOf(root, path),
    )?.[1];
    if (said === 'NetworkManager' || said === 'networkd') found = { name: said, where: path };
  }
  return found;
}

/** Locales that are made: each in a folder, or all in an archive, which is not opened; then the list tells what is in it. */
async function readLocales(root: ExtVolume): Promise<string[]> {
  const names = (await root.list('/usr/lib/locale')).filter((name) => name !== 'locale-archive');
  if (await root.stat('/usr/lib/locale/locale-archive'))
    for (const line of (await textOf(root, '/etc/locale.gen')).split('\n')) {
      const name = /^\s*([A-Za-z][^\s#]*)\s+\S+/.exec(line)?.[1];
      if (name !== undefined) names.push(name);
    }
  return [...new Set(names)].sort();
}

/** What each board should make for itself, and copies of one image would share (machine-id(5), sshd(8)). */
async function readShared(root: ExtVolume): Promise<SystemFacts['shared']> {
  const found: SystemFacts['shared'] = [];
  for (const where of ['/etc/machine-id', '/var/lib/dbus/machine-id']) {
    if ((await root.readLink(where)) !== null) continue;
    if (/^[0-9a-f]{32}\s*$/.test(await textOf(root, where))) found.push({ what: 'machine-id', where });
  }
  for (const name of await root.list('/etc/ssh'))
    if (/^ssh_host_.*_key$/.test(name)) found.push({ what: 'host-key', where: `/etc/ssh/${name}` });
  if (await root.stat('/var/lib/cloud/data/instance-id'))
    found.push({ what: 'instance', where: '/var/lib/cloud/data/instance-id' });
  return found;
}

/** Units that are started at a first boot only (systemd.unit(5), ConditionFirstBoot=), or whose names say so. */
async function readFirstBoot(root: ExtVolume, services: Services): Promise<SystemFacts['firstBoot']> {
  const found: SystemFacts['firstBoot'] = [];
  for (const [unit, where] of services.files) {
    // systemd's own are on every system and say nothing of this one.
    if (!unit.endsWith('.service') || unit.startsWith('systemd-') || !isOn(services, unit)) continue;
    const text = await textOf(root, where);
    const description = /^Description=(.*)$/m.exec(text)?.[1]?.trim().slice(0, 120) ?? unit;
    if (/^ConditionFirstBoot=(yes|true|1|on)\s*$/m.test(text)) found.push({ text: description, where });
    else if (/first-?boot|resize|expand|regenerate|growroot|growpart/i.test(unit))
      found.push({ text: description, where });
  }
  return found;
}

/**
 * What a root file system tells of its system.
 * @throws DiskError when what has to be read is damaged
 */
export async function readSystem(root: ExtVolume): Promise<SystemFacts> {
  const packages = await readPackages(root);
  const services = await readServices(root);
  const abilities: SystemFacts['abilities'] = {};
  for (const [id, sign] of Object.entries(signs) as [AbilityId, Sign][])
    abilities[id] = await ability(root, packages, services, sign);
  return {
    ...unreadSystem(''),
    packages: { manager: packages.manager, count: packages.versions.size, where: packages.where },
    abilities,
    seed: abilities.cloudInit?.has ? await readSeedSearch(root) : null,
    renderer: abilities.netplan?.has ? await readRenderer(root) : null,
    locales: await readLocales(root),
    accounts: await readAccounts(root),
    shared: await readShared(root),
    firstBoot: await readFirstBoot(root, services),
  };
}
