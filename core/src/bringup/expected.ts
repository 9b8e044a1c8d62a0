import { toBase64, toHex } from '../bytes';
import { parseKeyList } from '../access/key-list';
import { settingsOf } from '../plan/effective';
import type { Device, Plan } from '../plan/model';
import { ssidBytes, ssidText } from '../wifi/ssid';
import type { VpnMember } from '../vpn/config';
import type { ShelvedNetwork } from '../wifi/network';

/** What a board should be, as far as it can be asked. */
export interface Expected {
  hostName: string;
  mark: string;
  /** The user whom the bench logs in as. */
  userName: string;
  users: readonly {
    name: string;
    /** Blobs of their public keys, in base64. */
    keys: readonly string[];
    sudo: boolean;
  }[];
  /** Whether a password may be used to log in. */
  passwordLogin: boolean;
  /** Empty where the image decides. */
  timeZone: string;
  locale: string;
  /** Layout, and variant after a space. */
  keyboard: string;
  country: string;
  /** Lines for the boot configuration, with sections in brackets; empty for none. */
  bootLines: string;
  networks: readonly { hex: string; shown: string; priority: number }[];
  /** Blob of the bench's own key in base64; null where there is none. */
  benchKey: string | null;
  vpn: ExpectedVpn;
  /** Whether it is to have a remote screen behind its login. */
  screen: boolean;
}

/** The tunnel that a board is to open. */
export interface ExpectedVpn {
  /** Null where the plan wants none, or its files cannot be made. */
  member: VpnMember | null;
  /** Why they cannot; empty for nothing. */
  lacks: string;
}

export const noVpn: ExpectedVpn = { member: null, lacks: '' };

/** Blobs of all keys of a text that can be used. */
const blobsOf = (keys: string): string[] =>
  parseKeyList(keys).flatMap(({ key }) => (typeof key === 'string' ? [] : [toBase64(key.blob)]));

/**
 * What the plan says that a device is.
 * @param benchKey the bench's public key as a line, or null
 */
export function expectedOf(
  plan: Plan,
  device: Device,
  networks: readonly ShelvedNetwork[],
  benchKey: string | null,
  vpn: ExpectedVpn = noVpn,
): Expected {
  const settings = settingsOf(plan, device);
  const shelf = new Map(networks.map((network) => [network.id, network]));
  return {
    hostName: device.hostName,
    mark: device.mark,
    userName: settings.userName,
    users: [
      { name: settings.userName, keys: blobsOf(settings.keys), sudo: plan.extras.sudo !== 'none' },
      ...plan.access.others.map(({ name, keys, sudo }) => ({ name, keys: blobsOf(keys), sudo })),
    ],
    passwordLogin: settings.passwordLogin,
    timeZone: settings.timeZone,
    locale: settings.locale,
    keyboard: plan.extras.keyboard.trim().replace(/\s+/g, ' '),
    country: settings.country,
    bootLines: plan.extras.bootLines,
    networks: settings.networks.flatMap(({ networkId, priority }) => {
      const network = shelf.get(networkId);
      const name = network && ssidBytes(network);
      if (!network || !name) return [];
      return [{ hex: toHex(name), shown: ssidText(network) ?? toHex(name), priority }];
    }),
    benchKey: benchKey === null ? null : (blobsOf(benchKey)[0] ?? null),
    vpn,
    screen: plan.bringUp.screen,
  };
}
