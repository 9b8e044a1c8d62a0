import { isMark } from '../marks';
import { hostNameFault, type HostNameFault } from '../names';
import { parseNest } from '../nests';
import type { Device } from '../model';
import { deviceTitle, type Hit, type Rule } from './rule';

const faultTexts: Record<HostNameFault, { message: string; fix: string }> = {
  empty: { message: 'has no host name', fix: 'Type a name, or fill all names from a pattern.' },
  long: {
    message: 'has a host name of more than 63 characters',
    fix: 'Shorten it to 63 characters or fewer.',
  },
  character: {
    message: 'has a character that a host name cannot hold',
    fix: 'Use the letters a to z, digits and hyphens; no spaces, dots or underscores.',
  },
  edge: { message: 'begins or ends with a hyphen', fix: 'Take the hyphen off the end.' },
};

const hostNameForm: Rule = {
  id: 'host-name-form',
  title: 'Host names are labels of letters, digits and hyphens',
  why: 'A name outside the standard is refused or changed at first boot, and the board is then not found by name.',
  source: 'RFC 952, RFC 1123 section 2.1; length RFC 1035 section 2.3.4',
  check: ({ plan }) =>
    plan.devices.flatMap((device): Hit[] => {
      const fault = hostNameFault(device.hostName);
      if (!fault) return [];
      const who = fault === 'empty' ? `Nest ${device.nest}` : `"${device.hostName}"`;
      const { message, fix } = faultTexts[fault];
      return [
        {
          severity: 'stops',
          place: 'device.hostName',
          deviceId: device.id,
          message: `${who} ${message}.`,
          fix,
        },
      ];
    }),
};

/** Devices that share a value, all but the first of each group. */
function repeated(
  devices: readonly Device[],
  value: (device: Device) => string,
): { device: Device; first: Device }[] {
  const seen = new Map<string, Device>();
  const again: { device: Device; first: Device }[] = [];
  for (const device of devices) {
    const key = value(device);
    const first = seen.get(key);
    if (first) again.push({ device, first });
    else if (key !== '') seen.set(key, device);
  }
  return again;
}

const hostNameUnique: Rule = {
  id: 'host-name-unique',
  title: 'Every device has a host name of its own',
  why: 'Two boards with one name: the second one renames itself on the network, and nobody knows which is which. Capitals make no difference.',
  source: 'RFC 1035 section 2.3.3 (case), RFC 6762 section 9 (renaming)',
  check: ({ plan }) =>
    repeated(plan.devices, (device) => device.hostName.toLowerCase()).map(({ device, first }) => ({
      severity: 'stops',
      place: 'device.hostName',
      deviceId: device.id,
      message: `"${device.hostName}" in nest ${device.nest} is the name of nest ${first.nest} too.`,
      fix: 'Give one of the two another name.',
    })),
};

const nestPlace: Rule = {
  id: 'nest-place',
  title: 'Every device has a nest of its own in the tray',
  why: 'The nest says where the verified card goes; two devices in one nest, or one outside the tray, lead to swapped cards.',
  source: 'common practice',
  check: ({ plan }) => {
    const outside = plan.devices.filter((device) => {
      const place = parseNest(device.nest);
      return !place || place.row >= plan.tray.rows || place.column >= plan.tray.columns;
    });
    return [
      ...outside.map((device): Hit => ({
        severity: 'stops',
        place: 'device.nest',
        deviceId: device.id,
        message: `${deviceTitle(device)} lies in nest ${device.nest}, which the tray does not have.`,
        fix: 'Make the tray larger, or move the device.',
      })),
      ...repeated(plan.devices, (device) => device.nest).map(({ device, first }): Hit => ({
        severity: 'stops',
        place: 'device.nest',
        deviceId: device.id,
        message: `Nest ${device.nest} is taken twice: by ${deviceTitle(first)} and ${deviceTitle(device)}.`,
        fix: 'Move one of the two to a free nest.',
      })),
    ];
  },
};

const markForm: Rule = {
  id: 'mark-form',
  title: 'Every device has a mark whose check character fits',
  why: 'The mark is what is printed on the label; a wrong or repeated one makes two boards indistinguishable.',
  source: 'ISO/IEC 7064 MOD 37,36',
  check: ({ plan }) => [
    ...plan.devices
      .filter((device) => !isMark(device.mark))
      .map((device): Hit => ({
        severity: 'stops',
        place: 'device.mark',
        deviceId: device.id,
        message: `The mark "${device.mark}" of ${deviceTitle(device)} was mistyped: its check character does not fit.`,
        fix: 'Read the label again, or remove the device and add it anew.',
      })),
    ...repeated(plan.devices, (device) => device.mark).map(({ device, first }): Hit => ({
      severity: 'stops',
      place: 'device.mark',
      deviceId: device.id,
      message: `The mark ${device.mark} is given to ${deviceTitle(first)} and to ${deviceTitle(device)}.`,
      fix: 'Remove one of the two and add it anew.',
    })),
  ],
};

const someDevices: Rule = {
  id: 'some-devices',
  title: 'The batch has devices',
  why: 'Without devices there is nothing to write.',
  source: 'common practice',
  check: ({ plan }) =>
    plan.devices.length > 0
      ? []
      : [
          {
            severity: 'stops',
            place: 'devices',
            message: 'The batch has no devices yet.',
            fix: 'Add them from a name pattern such as tank-{n:02}, or paste a list.',
          },
        ],
};

export const deviceRules: readonly Rule[] = [someDevices, hostNameForm, hostNameUnique, nestPlace, markForm];
