import type { FatVolume } from '../disk/fat/volume';
import type { FirstBootMethodId } from '../batch/model';
import type { HostKey } from '../access/host-key';
import type { WifiSecurity } from '../wifi/network';

/** A network as a card tells it to its board. */
export interface NetworkSettings {
  /** Octets of the name. */
  ssid: Uint8Array;
  security: WifiSecurity;
  /** 64 hexadecimal digits for WPA2, digits of the key for WEP, the passphrase for WPA3 only, empty when open. */
  key: string;
  hidden: boolean;
  /** The highest one on the air is joined. */
  priority: number;
}

/** What a card has to tell its board at the first boot. */
export interface FirstBootSettings {
  mark: string;
  nest: string;
  deviceId: string;
  batchId: string;
  batchName: string;
  hostName: string;
  user: {
    name: string;
    /** Public keys, one line each. */
    keys: readonly string[];
    /** SHA-512-crypt string, or null when there is no password. */
    passwordHash: string | null;
    passwordLogin: boolean;
  };
  hostKey: HostKey;
  /** Further users, who log in by key alone. */
  others: readonly { name: string; keys: readonly string[]; sudo: boolean }[];
  networks: readonly NetworkSettings[];
  country: string;
  timeZone: string;
  locale: string;
  /** Differs for each writing, so that a board that booted before takes the settings anew. */
  instanceId: string;
}

/** A file for the boot partition. */
export interface CardFile {
  path: string;
  content: Uint8Array;
}

/** One way in which images take their settings. */
export interface FirstBootMethod {
  id: FirstBootMethodId;
  title: string;
  /** Why a boot partition is taken to use this method, or null when it does not. */
  detect(volume: FatVolume): Promise<string | null>;
  files(settings: FirstBootSettings): CardFile[];
}
