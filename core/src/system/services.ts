import type { ExtVolume } from '../disk/ext/volume';

/** Units of systemd that are started by themselves (systemd.unit(5), systemctl(1), "enable" and "mask"). */

const own = '/etc/systemd/system';
const shipped = ['/usr/lib/systemd/system', '/lib/systemd/system'];

export interface Services {
  /** Names of all units that something wants. */
  wanted: ReadonlySet<string>;
  masked: ReadonlySet<string>;
  /** Where each unit's file is. */
  files: ReadonlyMap<string, string>;
}

/** @throws DiskError */
export async function readServices(root: ExtVolume): Promise<Services> {
  const wanted = new Set<string>();
  const masked = new Set<string>();
  const files = new Map<string, string>();
  for (const folder of [...shipped, own])
    for (const name of await root.list(folder)) {
      const path = `${folder}/${name}`;
      if (/\.(wants|requires)$/.test(name)) for (const unit of await root.list(path)) wanted.add(unit);
      else if (/\.(service|socket|timer|path)$/.test(name)) {
        if (folder === own && (await root.readLink(path)) === '/dev/null') masked.add(name);
        else files.set(name, path);
      }
    }
  return { wanted, masked, files };
}

/** Whether one of some units is started by itself. */
export const isOn = ({ wanted, masked }: Services, ...units: string[]): boolean =>
  units.some((unit) => wanted.has(unit) && !masked.has(unit));
