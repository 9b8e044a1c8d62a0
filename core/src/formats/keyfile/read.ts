import { utf8 } from '../../bytes';

/**
 * Reading NetworkManager's keyfile: groups of `key=value` lines (nm-settings-keyfile(5)), values escaped as GLib's key
 * files are (GLib, "Key-value file parser": `\s` for a leading space, `\n`, `\t`, `\r`, `\\`).
 */

const backslashes: Record<string, string> = { s: ' ', n: '\n', t: '\t', r: '\r', '\\': '\\' };

/** A value without its escapes. */
export const unescaped = (value: string): string =>
  value.replace(/\\(.)/g, (_all, letter: string) => backslashes[letter] ?? `\\${letter}`);

/** Octets of a name as it stands in a keyfile. */
export function ssidOfKeyfile(value: string): Uint8Array {
  if (/^(\d{1,3};)+$/.test(value)) {
    const octets = value.split(';').slice(0, -1).map(Number);
    if (octets.every((octet) => octet < 256)) return Uint8Array.from(octets);
  }
  // A semicolon in a name is escaped once more than other text (as nmcli writes it).
  return utf8(unescaped(value).replace(/\\;/g, ';'));
}

/** Groups of a keyfile, each with its keys; values still escaped. */
export function readKeyfile(text: string): Map<string, Map<string, string>> {
  const groups = new Map<string, Map<string, string>>();
  let group: Map<string, string> | null = null;
  for (const line of text.split(/\r?\n/)) {
    const header = /^\s*\[([^\]]+)\]\s*$/.exec(line)?.[1];
    if (header !== undefined) {
      group = groups.get(header) ?? new Map<string, string>();
      groups.set(header, group);
      continue;
    }
    const pair = /^\s*([^#\s=][^=]*?)\s*=\s*(.*)$/.exec(line);
    if (pair && group) group.set(pair[1] ?? '', pair[2] ?? '');
  }
  return groups;
}
