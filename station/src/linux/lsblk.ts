import * as z from 'zod';
import type { Medium } from '../ports';

/** One line of `lsblk --json --bytes` (util-linux); what is not known is null there. */
const text = z.string().nullish();
const flag = z
  .union([z.boolean(), z.literal('0'), z.literal('1')])
  .nullish()
  .transform((value) => value === true || value === '1');
interface Device {
  name: string;
  path: string;
  type: string;
  size: number;
  model?: string | null | undefined;
  vendor?: string | null | undefined;
  tran?: string | null | undefined;
  rm: boolean;
  hotplug: boolean;
  ro: boolean;
  mountpoints: string[];
  fstype?: string | null | undefined;
  label?: string | null | undefined;
  'maj:min': string;
  children: Device[];
}
const DeviceSchema: z.ZodType<Device> = z.object({
  name: z.string(),
  path: z.string(),
  type: z.string(),
  size: z.coerce.number(),
  model: text,
  vendor: text,
  tran: text,
  rm: flag,
  hotplug: flag,
  ro: flag,
  mountpoints: z
    .array(z.string().nullable())
    .nullish()
    .transform((points) => (points ?? []).filter((point) => point !== null)),
  fstype: text,
  label: text,
  'maj:min': z.string(),
  get children() {
    return z
      .array(DeviceSchema)
      .nullish()
      .transform((children) => children ?? []);
  },
});
const ListSchema = z.object({ blockdevices: z.array(DeviceSchema) });

/** Columns that are asked for. */
export const LSBLK_ARGUMENTS = [
  '--json',
  '--bytes',
  '--output',
  'NAME,PATH,TYPE,SIZE,MODEL,VENDOR,TRAN,RM,HOTPLUG,RO,MOUNTPOINTS,FSTYPE,LABEL,MAJ:MIN',
];

/** A whole disk of this computer. */
export interface BlockDevice {
  /** `/dev/sdb` */
  path: string;
  type: string;
  /** Major and minor number, by which the kernel knows it. */
  number: string;
  /** How it is connected, as lsblk names it; empty where that is not known. */
  bus: string;
  /** File systems as the system knows them. */
  volumes: { fileSystem: string; label: string; size: number }[];
  /** Without its serial: what lsblk tells behind USB is the reader's, whatever card is in it. */
  medium: Omit<Medium, 'label' | 'caution'>;
  /** Partitions in use and where. */
  inUse: { path: string; mountedAt: string }[];
}

/** Places from which a running system works; what lies there is never written. */
const systemPlaces = /^(\/|\/boot.*|\/usr|\/var|\/home|\/etc|\/opt|\/srv|\/nix|\[SWAP\])$/;

const family = (device: Device): Device[] => [device, ...device.children.flatMap(family)];

/** Disks behind USB and in card slots are media that people put in; everything else belongs to the computer. */
const isRemovable = ({ rm, hotplug, tran, name }: Device): boolean =>
  rm || hotplug || tran === 'usb' || /^mmcblk\d+$/.test(name);

function holds(device: Device): string {
  const inside = device.children.map(({ fstype, label }) =>
    label ? `${fstype ?? 'unknown'} "${label}"` : (fstype ?? 'unknown'),
  );
  if (inside.length > 0)
    return `${String(inside.length)} partition${inside.length === 1 ? '' : 's'} (${inside.slice(0, 4).join(', ')})`;
  return device.fstype ? `one ${device.fstype} file system without partitions` : 'nothing that can be read';
}

/**
 * Reads what `lsblk` printed.
 * @returns whole disks, loop devices included; partitions, optical drives and the like are left out
 * @throws when it is not what lsblk prints
 */
export function readLsblk(json: string): BlockDevice[] {
  const { blockdevices } = ListSchema.parse(JSON.parse(json));
  return blockdevices
    .filter(({ type, size }) => (type === 'disk' || type === 'loop') && size > 0)
    .map((device): BlockDevice => {
      const members = family(device);
      const inUse = members.flatMap(({ path, mountpoints }) =>
        mountpoints.map((mountedAt) => ({ path, mountedAt })),
      );
      // A volume group, an array or an encrypted device on top is somebody's, even while it is not mounted.
      const stacked = members.some(({ type }) => !['disk', 'part', 'loop'].includes(type));
      return {
        path: device.path,
        type: device.type,
        number: device['maj:min'],
        inUse,
        bus: device.tran?.trim() ?? '',
        volumes: members.flatMap(({ fstype, label, size }) =>
          fstype ? [{ fileSystem: fstype, label: label ?? '', size }] : [],
        ),
        medium: {
          identity: { path: device.path, size: device.size, serial: '', content: '' },
          model:
            [device.vendor, device.model]
              .map((part) => part?.trim() ?? '')
              .filter((part) => part !== '')
              .join(' ') || 'card',
          removable: isRemovable(device),
          readOnly: device.ro,
          mounted: inUse.map(({ mountedAt }) => mountedAt),
          system: stacked || inUse.some(({ mountedAt }) => systemPlaces.test(mountedAt)),
          holds: holds(device),
        },
      };
    });
}
