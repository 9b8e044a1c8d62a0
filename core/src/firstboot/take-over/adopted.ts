import { textOrNull, toHex } from '../../bytes';
import { emptyNetwork, type Network, type WifiSecurity } from '../../wifi/network';

/** A network of a card as the shelf keeps it, with its key. */
export interface AdoptedNetwork {
  network: Network;
  secret: string;
  priority: number;
}

/** What a plan takes over from a card that runs already. */
export interface Adopted {
  hostName: string | null;
  users: { name: string; keys: string[]; sudo: boolean }[];
  passwordLogin: boolean;
  networks: AdoptedNetwork[];
  country: string | null;
  timeZone: string | null;
  locale: string | null;
  keyboard: string | null;
  commands: string[];
  /** What could not be taken over, in sentences. */
  left: string[];
}

/** Nothing taken over yet. */
export const nothing = (): Adopted => ({
  hostName: null,
  users: [],
  passwordLogin: false,
  networks: [],
  country: null,
  timeZone: null,
  locale: null,
  keyboard: null,
  commands: [],
  left: [],
});

/** A network of a card as the shelf keeps it. */
export function adopted(
  ssid: Uint8Array,
  security: WifiSecurity,
  secret: string,
  more: { hidden: boolean; priority: number; country: string | null },
): AdoptedNetwork {
  const text = textOrNull(ssid);
  const { hidden, priority, country } = more;
  return {
    network: {
      ...emptyNetwork(text ?? toHex(ssid)),
      ssid: text ?? toHex(ssid),
      ssidForm: text === null ? 'hex' : 'text',
      security,
      hidden,
      country: country ?? '',
      purpose: 'site',
    },
    secret,
    priority,
  };
}

/** What is said of a password that lies there as a hash. */
export const passwordLeft = (name: string): string =>
  `The password of ${name} lies there as a hash only; set one under "Who can log in", if there shall be one.`;
