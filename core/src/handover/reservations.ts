import { comments, isIpv4, sortReached, type HandoverDevice, type Reached } from './device';
import { inComment } from '../plain-name';

/** Fixed addresses in the words of three address servers, for boards whose hardware address was seen. */

const hardwareForm = /^(?:[0-9a-f]{2}:){5}[0-9a-f]{2}$/;

interface Reserved {
  fit: Reached[];
  remarks: string[];
}

function reservable(devices: readonly HandoverDevice[]): Reserved {
  const { fit, remarks } = sortReached(devices);
  const out: Reserved = { fit: [], remarks: [...remarks] };
  const taken = new Set<string>();
  for (const device of fit) {
    const hardware = device.hardwareAddress.toLowerCase();
    const fault = !hardwareForm.test(hardware)
      ? 'nobody saw its hardware address'
      : !isIpv4(device.address)
        ? 'its address is not IPv4'
        : taken.has(hardware) || taken.has(device.address)
          ? 'another device of the batch has its address'
          : null;
    if (fault === null) {
      taken.add(hardware).add(device.address);
      out.fit.push({ ...device, hardwareAddress: hardware });
    } else
      out.remarks.push(
        `left out: ${inComment(device.hostName)} (mark ${inComment(device.mark)}), since ${fault}`,
      );
  }
  return out;
}

/** Lines for dnsmasq(8), option --dhcp-host. */
export function dnsmasqHosts(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = reservable(devices);
  return (
    comments('#', remarks) +
    fit
      .map(
        ({ hardwareAddress, hostName, address }) => `dhcp-host=${hardwareAddress},${hostName},${address}\n`,
      )
      .join('')
  );
}

/** Declarations for ISC's dhcpd.conf(5). */
export function iscHosts(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = reservable(devices);
  return (
    comments('#', remarks) +
    fit
      .map(
        ({ hardwareAddress, hostName, address }) =>
          `host ${hostName} {\n    hardware ethernet ${hardwareAddress};\n    fixed-address ${address};\n    option host-name "${hostName}";\n}\n`,
      )
      .join('')
  );
}

/** A `reservations` list for a subnet of Kea's DHCPv4 server (its manual, "Host Reservations in DHCPv4"). */
export function keaReservations(devices: readonly HandoverDevice[]): string {
  const { fit, remarks } = reservable(devices);
  const list = fit.map(({ hardwareAddress, hostName, address, mark }) => ({
    'hw-address': hardwareAddress,
    'ip-address': address,
    hostname: hostName,
    'user-context': { mark },
  }));
  // Kea reads comments of this form in its JSON; other readers need a file without them.
  return comments('//', remarks) + `"reservations": ${JSON.stringify(list, null, 2)}\n`;
}
