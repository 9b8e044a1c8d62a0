import type { BaseFiles } from './settings';

/**
 * Lines for the boot configuration, merged into the file that an image ships: by section and key, none twice, with
 * everything else left as it is. The form is that of files with `[section]` lines and `key=value` lines; lines before
 * the first section, and those of `[all]`, hold for every board (common practice).
 */

/** Names of the file, the first that is there counts. */
export const BOOT_CONFIG_NAMES = ['config.txt', 'usercfg.txt', 'uenv.txt'] as const;

/** Keys whose lines may stand there several times; the first part of the value tells them apart. */
const repeated = new Set(['dtoverlay', 'dtparam', 'device_tree_param', 'gpio', 'include', 'initramfs']);

/** Name of the file among a boot partition's, or null when the image has none that is known here. */
export function bootConfigName(files: Iterable<string>): string | null {
  const all = [...files];
  for (const wanted of BOOT_CONFIG_NAMES) {
    const found = all.find((name) => name.toLowerCase() === wanted);
    if (found !== undefined) return found;
  }
  return null;
}

export const bootConfigPath = (base: Pick<BaseFiles, 'texts'>): string | null =>
  bootConfigName(base.texts.keys());

/** Lines that people look up each time (common practice), with what they do. */
export const usualBootLines: readonly { id: string; label: string }[] = [
  { id: 'dtparam=i2c_arm=on', label: 'I2C bus on' },
  { id: 'dtparam=spi=on', label: 'SPI bus on' },
  { id: 'enable_uart=1', label: 'Serial port on' },
  { id: 'camera_auto_detect=1', label: 'Camera found by itself' },
  { id: 'disable_overscan=1', label: 'No black border round the picture' },
  { id: 'display_rotate=1', label: 'Screen turned right, a quarter' },
  { id: 'display_rotate=2', label: 'Screen upside down' },
  { id: 'display_rotate=3', label: 'Screen turned left, a quarter' },
];

/** One setting of a boot configuration. */
export interface BootLine {
  /** `all` for lines outside sections. */
  section: string;
  /** What makes two lines the same setting. */
  identity: string;
  text: string;
}

const sectionOf = (line: string): string | null =>
  /^\s*\[([^\]]*)\]\s*$/.exec(line)?.[1]?.trim().toLowerCase() ?? null;

function identityOf(line: string): string | null {
  const pair = /^\s*([A-Za-z_][\w.-]*)\s*=\s*(.*?)\s*$/.exec(line);
  if (!pair) return null;
  const [, key = '', value = ''] = pair;
  return repeated.has(key) ? `${key}=${value.split(/[,=]/)[0]?.trim() ?? ''}` : key;
}

/** Settings of a text; what is no setting, section or comment comes back as `strange`. */
export function readBootLines(text: string): {
  lines: BootLine[];
  strange: { line: number; text: string }[];
} {
  const lines: BootLine[] = [];
  const strange: { line: number; text: string }[] = [];
  let section = 'all';
  for (const [at, raw] of text.split(/\r?\n/).entries()) {
    const line = raw.trim();
    if (line === '' || line.startsWith('#')) continue;
    const header = sectionOf(line);
    const identity = identityOf(line);
    if (header !== null) section = header === '' ? 'all' : header;
    else if (identity !== null) lines.push({ section, identity, text: line });
    else strange.push({ line: at + 1, text: line });
  }
  return { lines, strange };
}

/** A boot configuration with more settings in it. */
export function mergeBootLines(base: string, wanted: string): string {
  const ends = base.includes('\r\n') ? '\r\n' : '\n';
  const lines = base.split(/\r?\n/);
  const closed = lines.at(-1) === '';
  if (closed) lines.pop();
  for (const { section, identity, text } of readBootLines(wanted).lines) {
    const places: number[] = [];
    let sleeping = -1;
    let last = section === 'all' ? lines.length : -1;
    let now = 'all';
    let ended = section !== 'all';
    for (const [at, line] of lines.entries()) {
      const header = sectionOf(line);
      if (header !== null) {
        if (now === section && !ended) {
          last = at;
          ended = true;
        }
        now = header === '' ? 'all' : header;
        if (now === section) {
          ended = false;
          last = lines.length;
        }
      } else if (now === section) {
        if (identityOf(line) === identity) places.push(at);
        else if (/^\s*#/.test(line) && identityOf(line.replace(/^\s*#+\s*/, '')) === identity && sleeping < 0)
          sleeping = at;
      }
    }
    const [first, ...others] = places;
    if (first !== undefined) {
      lines[first] = text;
      for (const at of others.reverse()) lines.splice(at, 1);
    } else if (sleeping >= 0) lines[sleeping] = text;
    else if (last < 0) lines.push(`[${section}]`, text);
    else {
      // Behind the section's last line that says something.
      let at = last;
      while (at > 0 && (lines[at - 1] ?? '').trim() === '') at--;
      lines.splice(at, 0, text);
    }
  }
  return lines.join(ends) + (closed || wanted.trim() !== '' ? ends : '');
}
