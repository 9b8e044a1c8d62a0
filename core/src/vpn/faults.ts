import ipaddr from 'ipaddr.js';
import { isOwnAddress, isSix } from '../net/subnet';
import type { Plan } from '../plan/model';
import { hostNameFault } from '../plan/names';
import { vpnNetworkFault, vpnRoom } from './addresses';

/** Whether a text can be where a hub is found: a name of labels (RFC 1123, section 2.1), or an address. */
export function isHubPlace(text: string): boolean {
  if (isSix(text)) return ipaddr.IPv6.isValid(text) && !text.includes('%');
  if (/^[\d.]+$/.test(text)) return ipaddr.IPv4.isValidFourPartDecimal(text);
  return text.length <= 253 && text.split('.').every((label) => hostNameFault(label) === null);
}

/** What keeps the files of a tunnel from being made. */
export interface VpnFault {
  place: 'hub' | 'network';
  message: string;
  fix: string;
}

/** What is wrong with the tunnel of a plan; nothing where none is wanted. */
export function vpnFaults({ vpn, devices }: Pick<Plan, 'vpn' | 'devices'>): VpnFault[] {
  if (!vpn.wanted) return [];
  const hub = vpn.hub.trim();
  const faults: VpnFault[] = [];
  if (hub === '')
    faults.push({
      place: 'hub',
      message: 'Nobody told where boards find the hub of their VPN.',
      fix: 'Give the name or the address of a computer that is reached from everywhere.',
    });
  else if (!isHubPlace(hub))
    faults.push({
      place: 'hub',
      message: `Boards cannot find a hub at "${hub}".`,
      fix: 'Give a host name, or an address of IPv4 or IPv6; its port has a field of its own.',
    });
  const fault = vpnNetworkFault(vpn.network);
  if (fault !== null)
    faults.push({
      place: 'network',
      message: `The addresses inside the VPN: ${fault}`,
      fix: 'Give a private range that nobody uses, such as 10.86.40.0/24.',
    });
  else if (vpnRoom(vpn.network) < devices.length)
    faults.push({
      place: 'network',
      message: `The VPN has addresses for ${String(vpnRoom(vpn.network))} boards, and the batch has ${String(devices.length)}.`,
      fix: 'Give a wider range, with a smaller number behind the stroke.',
    });
  return faults;
}

/** Whether boards find a hub only where they are: its address is one of somebody's own network. */
export const isHubNearOnly = (hub: string): boolean => isOwnAddress(hub.trim());
