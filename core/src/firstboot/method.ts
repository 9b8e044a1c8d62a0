import type { HostKey } from '../access/host-key';
import type { ExtraFile, Refresh, SudoPolicy } from '../batch/extras-model';
import type { FirstBootMethodId } from '../batch/model';
import type { ExtVolume } from '../disk/ext/volume';
import type { FatVolume } from '../disk/fat/volume';
import type { WifiSecurity } from '../wifi/network';
import type { Carried } from './carried';

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
  /** Differs for each writing, so that a board that booted before takes the settings anew. */
  instanceId: string;
}

/** Nothing beyond name, login and networks. */
export const plainExtras: Pick<
  FirstBootSettings,
  'keyboard' | 'wired' | 'refresh' | 'packages' | 'bootLines' | 'files' | 'commands'
> = { keyboard: null, wired: null, refresh: 'nothing', packages: [], bootLines: '', files: [], commands: [] };

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
}

/** What a detection may look at. */
export interface DetectView {
  boot: FatVolume;
  /** The root file system, or null when it is none that can be read here. */
  root: ExtVolume | null;
  base: BaseFiles;
}

/** One way in which images take their settings. */
export interface FirstBootMethod {
  id: FirstBootMethodId;
  title: string;
  /** What of a plan this method can tell a board. */
  carries: ReadonlySet<Carried>;
  /** Why an image is taken to use this method, or null when it does not. */
  detect(view: DetectView): Promise<string | null>;
  /** The method's own files; `card-files.ts` adds what all methods have in common. */
  files(settings: FirstBootSettings, base: BaseFiles): CardFile[];
}
