import { nextName } from '../net/renamed';
import { isMark } from '../plan/marks';
import { hostNameFault, type HostNameFault } from '../plan/names';
import { parseNest } from '../plan/nests';
import type { Device } from '../plan/model';
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

/** Longest name that older name services keep (NetBIOS: RFC 1001 section 14.1, 16 octets with the service's own). */
const SHORT_NAME = 15;

const hostNameLength: Rule = {
  id: 'host-name-length',
  title: 'Host names have 15 characters or fewer',
  why: 'Older name services cut longer names, and two that begin alike become one.',
  source: 'RFC 1001 section 14.1 (NetBIOS names)',
  check: ({ plan }) => {
    const long = plan.devices.filter(
      ({ hostName }) => hostName.length > SHORT_NAME && !hostNameFault(hostName),
    );
    const [first] = long;
    if (!first) return [];
    const cut = ({ hostName }: Device): string => hostName.slice(0, SHORT_NAME).toLowerCase();
    const alike = new Map<string, Device[]>();
    for (const device of plan.devices) {
      const group = alike.get(cut(device));
      if (group) group.push(device);
      else alike.set(cut(device), [device]);
    }
    const fix = `Shorten them to ${String(SHORT_NAME)} if older machines shall find them by name.`;
    // One finding for a whole group: a pattern that is too long is one mistake and not five hundred.
    const groups = [...new Set(long.map(cut))].flatMap((begin): Hit[] => {
      const [one, two, ...more] = alike.get(begin) ?? [];
      if (!one || !two) return [];
      return [
        {
          severity: 'warns',
          place: 'device.hostName',
          deviceId: one.id,
          message: `${String(more.length + 2)} names are alike in their first ${String(SHORT_NAME)} characters, for instance "${one.hostName}" and "${two.hostName}".`,
          fix,
        },
      ];
    });
    if (groups.length > 0) return groups;
    return [
      {
        severity: 'note',
        place: 'device.hostName',
        deviceId: first.id,
        message: `${long.length === 1 ? 'A name has' : `${String(long.length)} names have`} more than ${String(SHORT_NAME)} characters, for instance "${first.hostName}".`,
        fix,
      },
    ];
  },
};

const hostNameRename: Rule = {
  id: 'host-name-rename',
  title: 'No name is the one that another board would take in a conflict',
  why: 'A board whose name is taken renames itself to name-2, name-3; if that name is planned too, the wrong board answers.',
  source: 'RFC 6762 section 9; "-2" as its example',
  check: ({ plan }) => {
    const names = new Set(plan.devices.map(({ hostName }) => hostName.toLowerCase()));
    return plan.devices.flatMap((device): Hit[] => {
      const stem = /^(.+)-([2-9]|[1-9]\d+)$/.exec(device.hostName.toLowerCase())?.[1];
      if (stem === undefined || !names.has(stem)) return [];
      return [
        {
          severity: 'warns',
          place: 'device.hostName',
          deviceId: device.id,
          message: `"${device.hostName}" is what "${stem}" would call itself in a conflict.`,
          fix: 'Write numbers with zeros in front, as tank-02, or name the first one differently.',
        },
      ];
    });
  },
};

const hostNameSeen: Rule = {
  id: 'host-name-seen',
  title: 'No name is one that answers on the network already',
  why: 'Two boards of one name: the newcomer renames itself, and logins go to the other one.',
  source: 'RFC 6762 section 9',
  check: ({ plan, surroundings }) => {
    const seen = new Map(
      surroundings.names.map(({ hostName, batchName }) => [hostName.toLowerCase(), batchName]),
    );
    return plan.devices.flatMap((device): Hit[] => {
      const where = device.hostName === '' ? undefined : seen.get(device.hostName.toLowerCase());
      if (where === undefined) return [];
      const next = nextName(device.hostName);
      const taken = plan.devices.find(({ hostName }) => hostName.toLowerCase() === next.toLowerCase());
      const chain = taken ? `, which is the name of ${taken.nest}: that one moves on in turn` : '';
      return [
        {
          severity: 'warns',
          place: 'device.hostName',
          deviceId: device.id,
          message: `"${device.hostName}" was seen on the network already, as a device of "${where}". Beside it this one would call itself ${next}.local${chain}.`,
          fix: 'Give this one another name, unless the two never share a network.',
        },
      ];
    });
  },
};

/** Names that systems have before anybody names them. */
const defaultNames = new Set(
  'localhost localdomain board host device linux computer server default unknown node'.split(' '),
);

const hostNameDefault: Rule = {
  id: 'host-name-default',
  title: 'No device keeps a name that systems come with',
  why: 'The default name left on all boards is the commonest reason why nobody knows which is which.',
  source: 'common practice; RFC 6761 section 6.3 (localhost)',
  check: ({ plan }) =>
    plan.devices
      .filter(({ hostName }) => defaultNames.has(hostName.toLowerCase()))
      .map((device): Hit => ({
        severity: device.hostName.toLowerCase().startsWith('local') ? 'stops' : 'warns',
        place: 'device.hostName',
        deviceId: device.id,
        message: `"${device.hostName}" is a name that systems come with.`,
        fix: 'Give it a name that says what it does.',
      })),
};

export const deviceRules: readonly Rule[] = [
  someDevices,
  hostNameForm,
  hostNameUnique,
  hostNameDefault,
  hostNameRename,
  hostNameSeen,
  hostNameLength,
  nestPlace,
  markForm,
];
