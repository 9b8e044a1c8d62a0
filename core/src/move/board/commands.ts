import { fromHex, textOrNull } from '../../bytes';

/**
 * Who rules the Wi-Fi of a board, as far as is known here. `netplan`: its files, by systemd-networkd and a wpa_supplicant
 * that is started from them. Where NetworkManager acts on them, it is NetworkManager.
 */
export const NET_MANAGERS = ['networkmanager', 'netplan', 'iwd', 'wpa-supplicant'] as const;
export type NetManager = (typeof NET_MANAGERS)[number];

/** The new network as its board gets it. */
export interface NewNetwork {
  /** Distinguishes moves; lower-case letters, digits and dashes. */
  moveId: string;
  /** Octets of its name, in hexadecimal digits. */
  ssidHex: string;
  hidden: boolean;
  security: 'open' | 'wep' | 'wpa2-psk' | 'wpa2-wpa3' | 'wpa3-sae';
  /** Digits of the key, or what stands for it in this security; empty for an open one. */
  key: string;
  /** NetworkManager's keyfile of it, with `autoconnect=false`. */
  keyfile: string;
  /** UUID in the keyfile. */
  uuid: string;
}

/** The name as text; null where its octets are none in UTF-8. */
export function nameOf({ ssidHex }: Pick<NewNetwork, 'ssidHex'>): string | null {
  const octets = fromHex(ssidHex);
  return octets && textOrNull(octets);
}

/** How the lines of `takeOff` end where nothing was taken off. */
export const TAKE_OFF_REFUSED = {
  notOnNew: 30,
  ofAnother: 31,
  refused: 32,
  notSaved: 7,
} as const;

/** How the lines of `add` and `keep` end where it is said why. */
export const REFUSED = { notAsked: 10, notTaken: 11 } as const;

/** Octets of what is piped in, as hexadecimal digits. */
export const HEX = `od -An -v -tx1 | tr -d ' \\n'`;

/** Steps of a manager, as lines of shell, run as root. `$d` is the folder of the move. */
export interface Commands {
  /** Why this network cannot be put on by this manager; null where it can. */
  cannot(network: NewNetwork): string | null;
  /** Puts the network there; it does not start by itself. Holds the secret. */
  add(network: NewNetwork): string;
  /** Switches over now. */
  go(network: NewNetwork): string;
  /** Undoes `add` and `go` exactly. */
  undo(network: NewNetwork): string;
  /** Ends with 0 where the board is on it now. */
  isOn(network: NewNetwork): string;
  /** Makes it start by itself, above all others that are saved. */
  keep(network: NewNetwork, priority: number): string;
  /**
   * Takes every saved network of a name off, and counts them in `$gone`. @param oldHex octets of the name, in hexadecimal
   * digits
   */
  takeOff(network: NewNetwork, oldHex: string): string;
}
