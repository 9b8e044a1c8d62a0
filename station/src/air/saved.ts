import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import {
  readConnectionPaths,
  readManagedProfile,
  readSupplicantProfiles,
  type SavedProfile,
} from '@nest-mark/core/in-air';
import { openPlain } from '../plain-file';
import { bus } from './bus';
import { RadioError, type SavedPlace, type SavedProfiles } from './radio';

const NM = 'org.freedesktop.NetworkManager';
const SETTINGS = `/${NM.replaceAll('.', '/')}/Settings`;
const CONNECTION = `${NM}.Settings.Connection`;

/** Profiles that are read; a computer that has more has them from something else than people. */
const MOST = 500;
/** Octets of a file that are read. */
const MOST_OCTETS = 1 << 20;

/** A profile with where its key is asked for. */
interface Found {
  place: SavedPlace;
  key: () => Promise<string>;
}

const placeOf = (id: string, by: SavedPlace['by'], { key, ...profile }: SavedProfile): SavedPlace => ({
  ...profile,
  id,
  by,
  hasKey: key !== '',
});

async function managedProfiles(): Promise<Found[]> {
  const list = await bus(NM, SETTINGS, `${NM}.Settings`, 'ListConnections');
  if (list.code !== 0) return [];
  const found: Found[] = [];
  for (const path of readConnectionPaths(list.out).slice(0, MOST)) {
    const settings = await bus(NM, path, CONNECTION, 'GetSettings');
    // One that was taken away meanwhile.
    if (settings.code !== 0) continue;
    const profile = readManagedProfile(settings.out, null);
    if (!profile) continue;
    const closed = profile.security !== 'open' && profile.security !== null && !profile.keyElsewhere;
    found.push({
      place: {
        ...placeOf(`networkmanager ${path} ${profile.ssidHex}`, 'NetworkManager', profile),
        hasKey: closed,
      },
      key: async () => {
        if (!closed) return '';
        const secrets = await bus(NM, path, CONNECTION, 'GetSecrets', 's', '802-11-wireless-security');
        if (secrets.code !== 0)
          throw new RadioError(
            'rights',
            'NetworkManager does not give the key to the account that runs this program. Start it as root, or type the key.',
          );
        return readManagedProfile(settings.out, secrets.out)?.key ?? '';
      },
    });
  }
  return found;
}

async function textOf(path: string): Promise<string> {
  const file = await openPlain(path);
  if (!file) return '';
  try {
    const octets = Buffer.alloc(MOST_OCTETS);
    const { bytesRead } = await file.read(octets, 0, MOST_OCTETS, 0);
    return octets.toString('utf8', 0, bytesRead);
  } finally {
    await file.close();
  }
}

/** @returns what was found, and why some of it could not be read */
async function supplicantProfiles(folder: string): Promise<{ found: Found[]; problem: string }> {
  const closed = `What wpa_supplicant has saved in ${folder} is closed to the account that runs this program.`;
  const code = (error: unknown): unknown => (error as NodeJS.ErrnoException).code;
  try {
    const names = (await readdir(folder)).filter((name) => name.endsWith('.conf')).sort();
    const found: Found[] = [];
    let problem = '';
    for (const name of names)
      try {
        const profiles = readSupplicantProfiles(await textOf(join(folder, name)));
        for (const [at, profile] of profiles.slice(0, MOST).entries())
          found.push({
            place: placeOf(
              `wpa_supplicant ${name} ${String(at)} ${profile.ssidHex}`,
              'wpa_supplicant',
              profile,
            ),
            key: () => Promise.resolve(profile.key),
          });
      } catch (error) {
        if (code(error) !== 'EACCES' && code(error) !== 'EPERM') throw error;
        problem = closed;
      }
    return { found, problem };
  } catch (error) {
    if (code(error) === 'ENOENT') return { found: [], problem: '' };
    return {
      found: [],
      problem: code(error) === 'EACCES' ? closed : `${folder} could not be read: ${(error as Error).message}`,
    };
  }
}

/** What this computer's own programs have saved. @param folder of wpa_supplicant's files */
export function savedOn(folder = '/etc/wpa_supplicant'): SavedProfiles {
  const all = async (): Promise<{ found: Found[]; problem: string }> => {
    const [managed, files] = await Promise.all([managedProfiles(), supplicantProfiles(folder)]);
    return { found: [...managed, ...files.found], problem: files.problem };
  };
  return {
    async list() {
      const { found, problem } = await all();
      return { profiles: found.map(({ place }) => place), problem };
    },
    async take(id) {
      const one = (await all()).found.find(({ place }) => place.id === id);
      if (!one) throw new RadioError('gone', 'This computer has no such profile any more.');
      return { profile: one.place, key: await one.key() };
    },
  };
}
