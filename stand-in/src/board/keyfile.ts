import type { BoardSettings } from './settings';

/** A network that a board has saved, as NetworkManager would go by it (nm-settings-keyfile(5)). */
export type SavedNetwork = BoardSettings['radio']['networks'][number] & {
  uuid: string;
  /** Whether it starts by itself. */
  auto: boolean;
};

/** Octets of a name in a keyfile. */
const nameOf = (value: string): string =>
  /^(\d+;)+$/.test(value)
    ? Buffer.from(value.split(';').slice(0, -1).map(Number)).toString()
    : value.replace(/\\s/g, ' ').replace(/\\\\/g, '\\');

/** Reads a profile; null for one that is not of a wireless network. */
export function readProfile(text: string): SavedNetwork | null {
  const value = (key: string): string | undefined => new RegExp(`^${key}=(.*)$`, 'm').exec(text)?.[1];
  if (value('type') !== 'wifi') return null;
  const psk = value('psk');
  return {
    uuid: value('uuid') ?? '',
    auto: value('autoconnect') !== 'false',
    ssid: nameOf(value('ssid') ?? ''),
    password:
      psk === undefined
        ? null
        : psk.replace(/^(\\s)+/, (all) => ' '.repeat(all.length / 2)).replace(/\\\\/g, '\\'),
    priority: Number(value('autoconnect-priority') ?? 0),
    hidden: value('hidden') === 'true',
  };
}

export const PROFILES = '/etc/NetworkManager/system-connections';
