import { compareVersions } from '../system/versions';
import { isWith, isWithout, type AbilityId, type SystemFacts } from '../system/facts';
import type { Carried } from './carried';

/** Something of a plan that does not come true on a system, whatever the card says. */
export interface Lack {
  what: Carried;
  /** Why, with the place where it was read. */
  why: string;
}

const wifi: readonly Carried[] = ['networks', 'wpa3', 'wep', 'octets', 'priority', 'country'];

/** Each of some things, for one reason. */
export const each = (what: readonly Carried[], why: string): Lack[] =>
  what.map((one) => ({ what: one, why }));

/** Why something is missing, as a person can look it up. */
export const missing = (system: SystemFacts, id: AbilityId, title: string): string =>
  `it has no ${title} (${system.abilities[id]?.where ?? ''})`;

/** What every method needs the system for. */
export function commonLacks(system: SystemFacts): Lack[] {
  const found: Lack[] = [];
  if (isWithout(system, 'sudo')) found.push({ what: 'sudo', why: missing(system, 'sudo', 'sudo') });
  if (isWithout(system, 'timeZones'))
    found.push({ what: 'timeZone', why: missing(system, 'timeZones', 'list of time zones') });
  if (isWithout(system, 'consoleSetup'))
    found.push({ what: 'keyboard', why: missing(system, 'consoleSetup', 'console-setup') });
  if (isWithout(system, 'localeGen'))
    found.push({ what: 'locale', why: missing(system, 'localeGen', 'locale-gen') });
  return found;
}

/** Whether a locale can be set: it is made, always there, or can be made. */
export const canHaveLocale = (system: SystemFacts | null, locale: string): boolean =>
  !isWithout(system, 'localeGen') ||
  /^(C|POSIX|C\.UTF-8)$/.test(locale) ||
  (system?.locales ?? []).some((made) => sameLocale(made, locale));

/** Folders of locales are named with `utf8` for UTF-8 (locale(1)). */
const sameLocale = (a: string, b: string): boolean =>
  [a, b]
    .map((name) => name.toLowerCase().replace('utf-8', 'utf8'))
    .every((name, _at, all) => name === all[0]);

/** The version of netplan from which WPA3 alone is known (netplan's own list of changes; from memory). */
export const NETPLAN_WITH_SAE = '0.107';

/** Who acts on the networks that a seed hands to netplan. */
export function seedRenderer(system: SystemFacts): 'NetworkManager' | 'networkd' | null {
  if (!system.renderer) return null;
  // Named in the seed where it is there and started anyway, since it alone heeds the order of networks.
  if (system.abilities.networkManager?.on === true) return 'NetworkManager';
  return system.renderer.name;
}

/** What of networks a seed does not bring about on a system. */
export function seedNetworkLacks(system: SystemFacts): Lack[] {
  if (isWithout(system, 'netplan'))
    return each(
      [...wifi, 'wired'],
      `cloud-init gives Wi-Fi, and a cable’s address, to netplan only, and ${missing(system, 'netplan', 'netplan')}`,
    );
  const renderer = seedRenderer(system);
  if (renderer === null) return [];
  if (renderer === 'NetworkManager' && isWithout(system, 'networkManager'))
    return each(
      wifi,
      `${system.renderer?.where ?? ''} names NetworkManager, and ${missing(system, 'networkManager', 'NetworkManager')}`,
    );
  if (isWithout(system, 'wpaSupplicant'))
    return each(wifi, missing(system, 'wpaSupplicant', 'wpa_supplicant'));
  const found: Lack[] = [];
  const { version = '' } = system.abilities.netplan ?? {};
  if (version !== '' && compareVersions(version, NETPLAN_WITH_SAE) < 0)
    found.push({
      what: 'wpa3',
      why: `its netplan is ${version}, which refuses the whole network configuration for it, the wire too`,
    });
  if (renderer === 'networkd')
    found.push({
      what: 'priority',
      why: 'systemd-networkd and wpa_supplicant act on it, which go by security and signal',
    });
  return found;
}

/** What of networks keyfiles do not bring about on a system. */
export function keyfileLacks(system: SystemFacts): Lack[] {
  if (isWithout(system, 'networkManager'))
    return each(
      [...wifi, 'wired'],
      `its settings are keyfiles, and ${missing(system, 'networkManager', 'NetworkManager')}`,
    );
  if (system.abilities.networkManager?.on === false)
    return each([...wifi, 'wired'], 'its settings are keyfiles, and NetworkManager is not started by itself');
  return isWithout(system, 'wpaSupplicant')
    ? each(wifi, missing(system, 'wpaSupplicant', 'wpa_supplicant'))
    : [];
}

/** What of networks a file for wpa_supplicant does not bring about on a system. */
export const supplicantLacks = (system: SystemFacts): Lack[] =>
  isWithout(system, 'wpaSupplicant') && !isWith(system, 'networkManager')
    ? each(wifi, missing(system, 'wpaSupplicant', 'wpa_supplicant'))
    : [];
