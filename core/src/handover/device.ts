import { userNameFault } from '../access/user-names';
import { hostNameFault } from '../plan/names';
import { inComment } from '../plain-name';

/** A device as others have to know it, once it is handed over. */
export interface HandoverDevice {
  nest: string;
  mark: string;
  hostName: string;
  role: string;
  /** Letter of its colour, and what the colour stands for; empty where none is used. */
  colour: string;
  colourTitle: string;
  /** In words, as everywhere. */
  state: string;
  /** `ssh-ed25519 AAAA…`, without comment; empty while none was made. */
  hostKey: string;
  hostKeyFingerprint: string;
  /** Null while the device has not been proved on the network, or its card was copied. */
  address: string | null;
  port: number;
  /** Inside the VPN of the batch; null where it has none. */
  vpnAddress: string | null;
  /** As the network knows it; empty where nobody saw it. */
  hardwareAddress: string;
  userName: string;
  /** Further users that the plan gives it. */
  otherUsers: readonly string[];
  /** Ports of remote screens that are reached through its login alone, as it was brought up. */
  screens: readonly number[];
  /** Addresses at which its key signed in one search, when there was more than one: its card was copied. */
  copiedTo: readonly string[];
  /** What keeps the device from being handed over as it is; empty for nothing. */
  remark: string;
}

/** `type base64` as OpenSSH has it, and nothing beside it. */
const keyForm = /^[a-z0-9@.-]{1,64} [A-Za-z0-9+/]+={0,2}$/;

/** Four decimal numbers of 0 to 255 without leading zeros (RFC 6943, section 3.1.1). */
const fourParts = /^(?:(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)(?:\.(?!$)|$)){4}$/;
/** Loosely an IPv6 address: what no file could take for anything else. */
const sixForm = /^(?=.*:)[0-9a-fA-F:.]{2,45}$/;

export const isIpv4 = (address: string): boolean => fourParts.test(address);

/** Why a device cannot stand in a file that others read; null when it can. */
export function unfit(device: HandoverDevice): string | null {
  if (hostNameFault(device.hostName) !== null) return 'its host name is none';
  if (userNameFault(device.userName) === 'form') return 'its user name is none';
  if (!keyForm.test(device.hostKey)) return 'its host key is none';
  const { address } = device;
  if (address !== null && !isIpv4(address) && !sixForm.test(address)) return 'its address is none';
  if (device.vpnAddress !== null && !isIpv4(device.vpnAddress)) return 'its address inside the VPN is none';
  return null;
}

/** A device whose address is known for sure. */
export type Reached = HandoverDevice & { address: string };

/** What can be written, and a sentence for each thing that a person has to know. */
export interface Sorted<D extends HandoverDevice = HandoverDevice> {
  fit: D[];
  remarks: string[];
}

const who = (device: HandoverDevice): string =>
  `${inComment(device.hostName)} (mark ${inComment(device.mark)})`;

/** Splits what can be written from what cannot. */
export function sortFit(devices: readonly HandoverDevice[]): Sorted {
  const fit: HandoverDevice[] = [];
  const remarks: string[] = [];
  for (const device of devices) {
    const fault = unfit(device);
    if (fault === null) fit.push(device);
    else remarks.push(`left out: ${who(device)}, since ${fault}`);
    if (device.copiedTo.length > 0)
      remarks.push(
        `without address: ${who(device)}, since its card was copied: its key signs at ${device.copiedTo.map(inComment).join(' and ')}`,
      );
  }
  return { fit, remarks };
}

/** As `sortFit`, for files that tell where a device is. */
export function sortReached(devices: readonly HandoverDevice[]): Sorted<Reached> {
  const { fit, remarks } = sortFit(devices);
  const away = fit.filter(({ address }) => address === null);
  return {
    fit: fit.filter((device): device is Reached => device.address !== null),
    remarks: [
      ...remarks,
      ...away.map((device) => `left out: ${who(device)}, since it was not proved anywhere`),
    ],
  };
}

/** Sentences as comment lines behind `sign`. */
export const comments = (sign: string, remarks: readonly string[]): string =>
  remarks.map((remark) => `${sign} ${remark}\n`).join('');
