import type { ExtVolume } from '../disk/ext/volume';

/** Installed packages with their versions, as the package manager's own list has them. */
export interface PackageList {
  manager: 'dpkg' | 'apk' | 'rpm' | 'none';
  where: string;
  versions: ReadonlyMap<string, string>;
}

const DPKG = '/var/lib/dpkg/status';
/** A file for each package, as images without a package manager have it. */
const DPKG_PARTS = '/var/lib/dpkg/status.d';
const APK = '/lib/apk/db/installed';
const rpmLists = ['/var/lib/rpm/rpmdb.sqlite', '/usr/lib/sysimage/rpm/rpmdb.sqlite', '/var/lib/rpm/Packages'];

/** A list of some 10,000 packages. */
const LARGEST = 32 << 20;

const textOf = async (root: ExtVolume, path: string): Promise<string | null> => {
  const bytes = await root.readFile(path, LARGEST);
  return bytes && new TextDecoder().decode(bytes);
};

/**
 * Stanzas of `dpkg`'s status file (deb-control(5), dpkg(1), "PACKAGE STATES"): those whose state is `installed`. A
 * package of several architectures is there once, with the version of the last stanza.
 */
export function dpkgPackages(text: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const stanza of text.split(/\n[ \t]*\n/)) {
    const field = (name: string): string =>
      new RegExp(`^${name}:[ \\t]*(.*?)[ \\t\\r]*$`, 'im').exec(stanza)?.[1] ?? '';
    const state = field('Status').split(/\s+/)[2];
    const name = field('Package');
    // Parts without a state are of images that leave it out.
    if (name !== '' && (state === undefined || state === 'installed')) found.set(name, field('Version'));
  }
  return found;
}

/** Stanzas of apk's list: `P:` is the name, `V:` the version (Alpine package keeper, apk-installed(5)). */
export function apkPackages(text: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const stanza of text.split(/\n\n+/)) {
    const name = /^P:(.*)$/m.exec(stanza)?.[1];
    if (name !== undefined) found.set(name, /^V:(.*)$/m.exec(stanza)?.[1] ?? '');
  }
  return found;
}

/** The list of a root file system; rpm's is a database that is only named here. @throws DiskError */
export async function readPackages(root: ExtVolume): Promise<PackageList> {
  const dpkg = await textOf(root, DPKG);
  if (dpkg !== null) return { manager: 'dpkg', where: DPKG, versions: dpkgPackages(dpkg) };
  const parts = (await root.list(DPKG_PARTS)).filter((name) => !name.endsWith('.md5sums'));
  if (parts.length > 0) {
    const texts: string[] = [];
    for (const part of parts) texts.push((await textOf(root, `${DPKG_PARTS}/${part}`)) ?? '');
    return { manager: 'dpkg', where: DPKG_PARTS, versions: dpkgPackages(texts.join('\n\n')) };
  }
  const apk = await textOf(root, APK);
  if (apk !== null) return { manager: 'apk', where: APK, versions: apkPackages(apk) };
  for (const path of rpmLists)
    if (await root.stat(path)) return { manager: 'rpm', where: path, versions: new Map() };
  return { manager: 'none', where: '', versions: new Map() };
}
