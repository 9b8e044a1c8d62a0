import type { HostKey } from '../access/host-key';
import type { ExtraFile, Refresh, SudoPolicy } from '../plan/extras-model';
import type { SystemFacts } from '../system/facts';
import type { VpnBoard } from '../vpn/config';
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
    sudo: SudoPolicy;
    /** Groups beside the usual ones. */
    groups: readonly string[];
  };
  hostKey: HostKey;
  /** Further users, who log in by key alone. */
  others: readonly { name: string; keys: readonly string[]; sudo: boolean }[];
  networks: readonly NetworkSettings[];
  country: string;
  timeZone: string;
  locale: string;
  /** Keyboard layout, and its variant or an empty text; null as the image has it. */
  keyboard: { layout: string; variant: string } | null;
  /** A fixed wired address in CIDR form; null where an address server gives one. */
  wired: { address: string; gateway: string; nameServers: readonly string[] } | null;
  refresh: Refresh;
  packages: readonly string[];
  /** Lines for the boot configuration, with sections in brackets. */
  bootLines: string;
  files: readonly ExtraFile[];
  /** Shell commands, in order. */
  commands: readonly string[];
  /** Where the board calls once when it is up; null for nowhere. */
  callIn: { address: string; port: number } | null;
  /** The tunnel that it opens, where its file goes onto the card; null for none. */
  vpn: VpnBoard | null;
  /** Differs for each writing, so that a board that booted before takes the settings anew. */
  instanceId: string;
}

/** Nothing beyond name, login and networks. */
export const plainExtras: Pick<
  FirstBootSettings,
  'keyboard' | 'wired' | 'refresh' | 'packages' | 'bootLines' | 'files' | 'commands' | 'callIn' | 'vpn'
> = {
  keyboard: null,
  wired: null,
  refresh: 'nothing',
  packages: [],
  bootLines: '',
  files: [],
  commands: [],
  callIn: null,
  vpn: null,
};

/** A file for the boot partition. */
export interface CardFile {
  path: string;
  content: Uint8Array;
}

/** What an image brings that first-boot files are merged into. */
export interface BaseFiles {
  /** Texts of the boot partition by their path as the image writes it. */
  texts: ReadonlyMap<string, string>;
  /** Where the running system mounts its boot partition, as `/boot/firmware`. */
  mountedAt: string;
  /** What the system can do; null where nobody has looked. */
  system: SystemFacts | null;
}
