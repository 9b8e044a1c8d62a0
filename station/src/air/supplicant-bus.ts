import { readBss, readBssPaths, readInterfacePath, type HeardPoint } from '@nest-mark/core/in-air';
import { bus } from './bus';

const SUPPLICANT = 'fi.w1.wpa_supplicant1';
const ROOT = `/${SUPPLICANT.replaceAll('.', '/')}`;
const PROPERTIES = 'org.freedesktop.DBus.Properties';

/** Access points that are asked for. */
const MOST = 300;

/**
 * What the supplicant of NetworkManager heard last with an adapter, octet by octet and in dBm. It answers root, and on some
 * systems a group.
 * @returns nothing where it does not answer
 */
export async function heardBySupplicant(adapter: string): Promise<HeardPoint[]> {
  const found = await bus(SUPPLICANT, ROOT, SUPPLICANT, 'GetInterface', 's', adapter);
  const path = found.code === 0 ? readInterfacePath(found.out) : null;
  if (path === null) return [];
  const list = await bus(SUPPLICANT, path, PROPERTIES, 'Get', 'ss', `${SUPPLICANT}.Interface`, 'BSSs');
  const points: HeardPoint[] = [];
  for (const one of (list.code === 0 ? readBssPaths(list.out) : []).slice(0, MOST)) {
    const told = await bus(SUPPLICANT, one, PROPERTIES, 'GetAll', 's', `${SUPPLICANT}.BSS`);
    // It may be gone by now.
    const point = told.code === 0 ? readBss(told.out) : null;
    if (point) points.push(point);
  }
  return points;
}
