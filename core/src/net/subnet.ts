import ipaddr from 'ipaddr.js';

/** Largest subnet that is searched: 4,096 addresses; beyond, neighbour tables overflow (measured). */
export const WIDEST_PREFIX = 20;

export type SubnetFault = 'empty' | 'form' | 'wide' | 'public';

export const subnetFaultTexts: Record<SubnetFault, string> = {
  empty: 'The subnet is missing.',
  form: 'This is not a subnet in CIDR form.',
  wide: `The subnet is wider than /${String(WIDEST_PREFIX)}; name the part on which the boards will appear.`,
  public: 'This subnet is not a private one; only private ranges are searched.',
};

/** Ranges that are nobody else's (RFC 1918, loopback RFC 1122 section 3.2.1.3, link-local RFC 3927). */
const ownRanges = new Set(['private', 'loopback', 'linkLocal']);

/** Whether an address is one of IPv6. */
export const isSix = (address: string): boolean => address.includes(':');

/**
 * Whether an address is one of somebody's own network: private, link-local or loopback (RFC 1918, 3927, 1122, 4291,
 * 4193). A link-local one of IPv6 is one only with its interface behind a percent sign (RFC 4007 section 11).
 */
export function isOwnAddress(address: string): boolean {
  const [plain = '', zone] = address.split('%');
  if (!ipaddr.isValid(plain)) return false;
  const range = ipaddr.parse(plain).range();
  if (isSix(plain))
    return range === 'uniqueLocal' || range === 'loopback' || (range === 'linkLocal' && !!zone);
  return zone === undefined && ownRanges.has(range);
}

function parse(cidr: string): { address: ipaddr.IPv4; prefix: number } | null {
  const [address = '', prefix = '', ...rest] = cidr.trim().split('/');
  // ipaddr.js alone also takes octal and shortened forms, which other tools read differently.
  if (rest.length > 0 || !ipaddr.IPv4.isValidFourPartDecimal(address) || !/^\d{1,2}$/.test(prefix))
    return null;
  return Number(prefix) > 32 ? null : { address: ipaddr.IPv4.parse(address), prefix: Number(prefix) };
}

/** An address as one number of 32 bits. */
const toNumber = (address: ipaddr.IPv4): number =>
  address.octets.reduce((sum, octet) => sum * 256 + octet, 0);
/** A number as an address in four parts. */
export const addressOf = (value: number): string =>
  [24, 16, 8, 0].map((shift) => String((value >>> shift) & 255)).join('.');

/** What is wrong with a subnet to be searched, or null. */
export function subnetFault(cidr: string): SubnetFault | null {
  if (cidr.trim() === '') return 'empty';
  const subnet = parse(cidr);
  if (!subnet) return 'form';
  if (subnet.prefix < WIDEST_PREFIX) return 'wide';
  return ownRanges.has(subnet.address.range()) ? null : 'public';
}

/**
 * The host addresses of a subnet in order; network and broadcast address are left out below /31 (RFC 4632,
 * RFC 3021).
 * @throws RangeError when `subnetFault` finds something
 */
export function subnetHosts(cidr: string): string[] {
  const subnet = parse(cidr);
  const fault = subnetFault(cidr);
  if (!subnet || fault) throw new RangeError(fault ? subnetFaultTexts[fault] : subnetFaultTexts.form);
  const size = 2 ** (32 - subnet.prefix);
  const base = Math.floor(toNumber(subnet.address) / size) * size;
  const edge = size > 2 ? 1 : 0;
  return Array.from({ length: size - 2 * edge }, (_, index) => addressOf(base + edge + index));
}

/** An address in four parts as one number of 32 bits, 0 when it is none. */
export const addressNumber = (text: string): number =>
  ipaddr.IPv4.isValidFourPartDecimal(text) ? toNumber(ipaddr.IPv4.parse(text)) : 0;

/** Orders addresses by their number. */
export const compareAddresses = (a: string, b: string): number =>
  addressNumber(a) - addressNumber(b) || a.localeCompare(b);

/** Number of host addresses of a subnet. @throws RangeError as `subnetHosts` */
export function subnetHostCount(cidr: string): number {
  const subnet = parse(cidr);
  if (!subnet) throw new RangeError(subnetFaultTexts.form);
  const size = 2 ** (32 - subnet.prefix);
  return size > 2 ? size - 2 : size;
}

/** Whether an IPv4 address lies in a subnet; false when either is not one. */
export function inSubnet(address: string, cidr: string): boolean {
  const subnet = parse(cidr);
  if (!subnet || !ipaddr.IPv4.isValidFourPartDecimal(address)) return false;
  return ipaddr.IPv4.parse(address).match(subnet.address, subnet.prefix);
}

/** Whether two subnets share an address; false when either is not one. */
export function overlap(one: string, other: string): boolean {
  const [a, b] = [parse(one), parse(other)];
  if (!a || !b) return false;
  const [wide, narrow] = a.prefix <= b.prefix ? [a, b] : [b, a];
  return narrow.address.match(wide.address, wide.prefix);
}

/** The length of a subnet's prefix; null when it is none. */
export const prefixOf = (cidr: string): number | null => parse(cidr)?.prefix ?? null;

/** The n-th address of a subnet behind that of the network itself; null when there is none of that number. */
export function addressAt(cidr: string, number: number): string | null {
  const subnet = parse(cidr);
  if (!subnet) return null;
  const size = 2 ** (32 - subnet.prefix);
  return number < 1 || number > size - 2
    ? null
    : addressOf(Math.floor(toNumber(subnet.address) / size) * size + number);
}

/**
 * What is wrong with a device's address in CIDR form, or null: it has to be a whole address that a device may have, not
 * that of its network nor of its broadcast (RFC 4632 section 3.1, RFC 919). With `other`, that one has to lie in the
 * same subnet.
 */
export function addressFault(cidr: string, other?: string): string | null {
  const subnet = parse(cidr);
  if (!subnet) return 'It is not four numbers and the length of the prefix.';
  const { address, prefix } = subnet;
  if (prefix < 31) {
    const size = 2 ** (32 - prefix);
    const at = toNumber(address) % size;
    if (at === 0) return 'It is the address of the network itself.';
    if (at === size - 1) return 'It is the broadcast address.';
  }
  if (other === undefined) return null;
  if (!ipaddr.IPv4.isValidFourPartDecimal(other)) return 'The other address is none.';
  return ipaddr.IPv4.parse(other).match(address, prefix) ? null : 'The other address is in another subnet.';
}
