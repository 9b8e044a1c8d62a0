import type { AbilityId, SystemFacts } from './facts';

/** A line of what an image can do, for people. */
export interface SystemLine {
  title: string;
  text: string;
  /** Where it was read. */
  where: string;
  /** Whether it speaks against an unattended first boot. */
  amiss: boolean;
}

const titles: Record<AbilityId, { title: string; for: string }> = {
  systemd: { title: 'systemd', for: 'starts the services' },
  startsPrograms: { title: 'Program from the kernel’s line', for: 'starts a run-once script' },
  cloudInit: { title: 'cloud-init', for: 'reads a declarative seed' },
  networkManager: { title: 'NetworkManager', for: 'joins networks, in a given order' },
  netplan: { title: 'netplan', for: 'takes the networks of a seed' },
  networkd: { title: 'systemd-networkd', for: 'brings interfaces up' },
  wpaSupplicant: { title: 'wpa_supplicant', for: 'joins Wi-Fi' },
  ssh: { title: 'Login service', for: 'proof and login over the network' },
  sudo: { title: 'sudo', for: 'users that may act as root' },
  bash: { title: 'bash', for: 'the users’ shell' },
  avahi: { title: 'avahi', for: 'answers to its name with .local' },
  localeGen: { title: 'locale-gen', for: 'makes the planned locale' },
  consoleSetup: { title: 'console-setup', for: 'sets the keyboard' },
  timeZones: { title: 'Time zones', for: 'sets the planned one' },
  growth: { title: 'Growth of the root', for: 'fills the card at the first boot' },
};

const logins: Record<SystemFacts['accounts'][number]['login'], string> = {
  password: 'has a password that its maker knows',
  'no-password': 'asks for no password',
  keys: 'lets in who has certain keys',
  none: 'locked',
};
const sharedThings: Record<SystemFacts['shared'][number]['what'], string> = {
  'machine-id': 'a machine-id',
  'host-key': 'a host key',
  instance: 'the trace of a first boot',
};

/** What an image can do, line by line, each with the place where it was read; what speaks against it first. */
export function systemLines(system: SystemFacts): SystemLine[] {
  const lines: SystemLine[] = [];
  const add = (title: string, text: string, where: string, amiss = false): void => {
    lines.push({ title, text, where, amiss });
  };
  if (system.packages.manager !== 'none')
    add(
      'Packages',
      system.packages.manager === 'rpm'
        ? 'kept in a database that is not read here, so versions are not known'
        : `${String(system.packages.count)}, by ${system.packages.manager}`,
      system.packages.where,
    );
  for (const [id, { title, for: use }] of Object.entries(titles) as [
    AbilityId,
    (typeof titles)[AbilityId],
  ][]) {
    const ability = system.abilities[id];
    if (!ability) continue;
    const started = ability.on === null ? '' : ability.on ? ', started by itself' : ', not started by itself';
    add(
      title,
      ability.has
        ? `${ability.version === '' ? 'there' : ability.version}${started} (${use})`
        : `missing (${use})`,
      ability.where,
      !ability.has,
    );
  }
  const { seed, renderer, kernelLine } = system;
  if (seed)
    add(
      'Seed',
      system.seedPlace ?? 'cloud-init does not look for one on the boot partition',
      [seed.off, seed.sourcesWhere, seed.labelWhere, seed.fromWhere].filter((one) => one !== '').join(', '),
      system.seedPlace === null,
    );
  if (renderer) add('Networks of a seed', `acted on by ${renderer.name}`, renderer.where);
  if (kernelLine) add('Kernel’s command line', `read by ${kernelLine.readBy}`, kernelLine.path);
  for (const { name, login, where } of system.accounts)
    add(`Account ${name}`, logins[login], where, login !== 'none');
  for (const { what, where } of system.shared) add('Shared by all copies', sharedThings[what], where, true);
  for (const { text, where } of system.firstBoot) add('At the first boot', text, where);
  // What somebody should know before a card is written, then the rest in the order of the subject.
  return [...lines.filter(({ amiss }) => amiss), ...lines.filter(({ amiss }) => !amiss)];
}
