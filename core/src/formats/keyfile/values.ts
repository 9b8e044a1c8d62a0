import { unescaped } from './read';
import { shownWord } from '../shown';

/** Which values NetworkManager takes in a keyfile (nm-settings-keyfile(5)); tried with `nmcli --offline`. */

type Groups = ReadonlyMap<string, ReadonlyMap<string, string>>;

/** A line that sets a key; names are letters, digits and hyphens wherever this is asked. */
export const lineWith = (key: string): RegExp => new RegExp(`^\\s*${key.replace(/[^\w-]/g, '.')}\\s*=`);

/** Types of a connection that a small board may have; others are rare enough to be looked at. */
export const types: ReadonlySet<string> = new Set(
  'wifi 802-11-wireless ethernet 802-3-ethernet bridge bond vlan vpn wireguard gsm bluetooth dummy loopback tun'.split(
    ' ',
  ),
);

/** Values of which NetworkManager takes a few only. */
const choices: readonly [group: string, key: string, of: readonly string[]][] = [
  ['wifi', 'mode', ['infrastructure', 'ap', 'adhoc', 'mesh']],
  ['wifi', 'band', ['a', 'bg']],
  ['ipv4', 'method', ['auto', 'manual', 'disabled', 'shared', 'link-local']],
  ['ipv6', 'method', ['auto', 'manual', 'disabled', 'ignore', 'dhcp', 'shared', 'link-local']],
];

/** Values that lose the file; the connection’s own settings come later. */
export function valueFaults(groups: Groups): { what: string; advice: string; at: RegExp }[] {
  const faults: { what: string; advice: string; at: RegExp }[] = [];
  const uuid = valueOf(groups, 'connection', 'uuid');
  if (
    uuid !== undefined &&
    !uuid.includes('\\') &&
    !/^([0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}|[0-9a-f]{40})$/i.test(uuid)
  )
    faults.push({
      what: 'The uuid is none.',
      advice: 'Take the line away, or make one with uuidgen.',
      at: lineWith('uuid'),
    });
  for (const [group, key, of] of choices) {
    const inside = groups.get(group);
    const value = valueOf(groups, group, key);
    if (value === undefined ? !inside || key !== 'method' : of.includes(value)) continue;
    faults.push({
      what:
        value === undefined
          ? `The group [${group}] has no ${key}.`
          : `${shownWord(value)} is no ${key} of [${group}].`,
      advice: `${key}=${of[0] ?? ''}`,
      at: value === undefined ? new RegExp(`^\\s*\\[${group}\\]`) : lineWith(key),
    });
  }
  const wifi = groups.get('wifi');
  const channel = Number(wifi?.get('channel') ?? 0);
  const band = wifi?.get('band');
  if (channel !== 0 && (band === undefined || (band === 'bg') !== (channel >= 1 && channel <= 14)))
    faults.push({
      what: 'A channel is set without its band, or with one that does not have it.',
      advice: 'band=bg for the channels 1 to 14, band=a for those above, or no channel',
      at: lineWith('channel'),
    });
  return faults;
}

/** Whether every backslash of a value begins an escape; a network's name is taken as it stands where one does not. */
export const isEscaped = (key: string, value: string): boolean =>
  key === 'ssid' || /^([^\\]|\\[sntr\\])*$/.test(value);

/**
 * Values with a backslash that begins no escape (GLib, "Key-value file parser"); GLib refuses to read such a value, and
 * NetworkManager goes on without it.
 */
export const brokenEscapes = (groups: Groups): { group: string; key: string }[] =>
  [...groups].flatMap(([group, pairs]) =>
    [...pairs].flatMap(([key, value]) => (isEscaped(key, value) ? [] : [{ group, key }])),
  );

/** A value as NetworkManager gets it; undefined also where its escapes are broken. */
export function valueOf(groups: Groups, group: string, key: string): string | undefined {
  const value = groups.get(group)?.get(key);
  return value === undefined || !isEscaped(key, value) ? undefined : unescaped(value);
}
