import ipaddr from 'ipaddr.js';
import { readHardwareAddress } from '../../net/hardware-address';

/** What stands in a cell of a table about hosts, told by its content alone. */
export type Cell =
  | { kind: 'address'; value: string }
  | { kind: 'hardware'; value: string }
  | { kind: 'gone' }
  | { kind: 'name'; value: string }
  | { kind: 'other' };

const other: Cell = { kind: 'other' };
const gone: Cell = { kind: 'gone' };

/** Words of the programs that print such tables; none of them is a host's name there. */
const words = new Set(
  `dev lladdr at on dynamic static permanent ether ethernet wifi wireless lan wan wlan online offline active
   inactive connected yes no none n/a unknown reachable stale delay probe noarp router c m i p ifscope netmask
   address hwaddress hwtype flags mask iface interface dhcp ipv4 ipv6 ip mac host hostname name device lease
   expires state status type hours minutes days never offered to proto kernel via used ago seconds offered leases`.split(
    /\s+/,
  ),
);
const goneWords = new Set([
  'failed',
  'incomplete',
  'expired',
  'released',
  'free',
  'abandoned',
  '<incomplete>',
]);

/** Interfaces as systems call them. */
const interfaceName =
  /^(?:(?:eth|wlan|en|wl|br|lan|wwan|usb|veth|tap|tun|vlan|bond|ath|phy|ra)[-a-z]*\d[\w.-]*|br-\w+|lo\d*)$/i;

/** Four decimal parts; octal and shortened forms are read differently by different programs. */
const fourParts = (text: string): boolean =>
  /^\d{1,3}(?:\.\d{1,3}){3}$/.test(text) &&
  text.split('.').every((part) => Number(part) < 256 && (part.length === 1 || !part.startsWith('0')));
/** The library says no by throwing, which takes its time in a list of thousands. */
const manyParts = (text: string): boolean =>
  /^[\da-f:.]+$/i.test(text) &&
  (text.includes('::') || text.split(':').length === 8) &&
  ipaddr.IPv6.isValid(text);

/** Whether an IPv4 address can be that of one host. */
export const isHostAddress = (text: string): boolean =>
  fourParts(text) &&
  !text.startsWith('0.') &&
  Number(text.slice(0, text.indexOf('.'))) < 224 &&
  !text.endsWith('.255');

const ipv6Host = (text: string): boolean => {
  const [plain = '', zone] = text.split('%');
  if (!manyParts(plain) || (zone !== undefined && !/^[\w.-]{1,15}$/.test(zone))) return false;
  const range = ipaddr.IPv6.parse(plain).range();
  return range !== 'multicast' && range !== 'unspecified' && range !== 'loopback';
};

/** The zone is an interface's name, whose letters count. */
const lowered = (text: string): string => {
  const [plain = '', ...zone] = text.split('%');
  return [plain.toLowerCase(), ...zone].join('%');
};

const NAME = /^[A-Za-z0-9](?:[A-Za-z0-9_-]{0,61}[A-Za-z0-9])?(?:\.[A-Za-z0-9.-]{1,190})?\.?$/;

const opening = new Set('([<"\'');
const closing = new Set(')]>"\',;:');

/** Without the brackets and commas that programs put around a value. */
function bare(text: string): string {
  const trimmed = text.trim();
  let from = 0;
  let to = trimmed.length;
  while (from < to && opening.has(trimmed.charAt(from))) from++;
  while (to > from && closing.has(trimmed.charAt(to - 1))) to--;
  return trimmed.slice(from, to);
}

/** @param text one cell, without the separators around it */
export function readCell(text: string): Cell {
  const value = bare(text);
  if (value === '' || value.length > 255) return other;
  const lower = value.toLowerCase();
  if (goneWords.has(lower)) return gone;
  if (value.includes('.') || value.includes(':') || value.includes('-')) {
    if (isHostAddress(value)) return { kind: 'address', value };
    // With its length of prefix, as `ip addr` and some pages print it.
    const slash = value.indexOf('/');
    if (slash > 0 && /^\d{1,3}$/.test(value.slice(slash + 1)) && isHostAddress(value.slice(0, slash)))
      return { kind: 'address', value: value.slice(0, slash) };
    const hardware = readHardwareAddress(value);
    if (hardware !== null) return { kind: 'hardware', value: hardware };
    if (ipv6Host(value)) return { kind: 'address', value: lowered(value) };
    if (fourParts(value) || value.includes(':')) return other;
  }
  if (words.has(lower) || /^[\d.-]+$/.test(value) || interfaceName.test(value) || !NAME.test(value))
    return other;
  return { kind: 'name', value: value.split('.')[0] ?? value };
}
