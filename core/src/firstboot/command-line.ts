import type { BaseFiles } from './settings';

/**
 * The kernel's command line as images keep it on their boot partition: a file of one line, or the `append` lines of a
 * boot loader's list (extlinux.conf, syslinux documentation). Words are parted by spaces (Linux documentation, "The
 * kernel's command-line parameters").
 */

const ONE_LINE = 'cmdline.txt';
const LISTED = 'extlinux/extlinux.conf';
const append = /^(\s*append)[ \t]+(.*?)[ \t]*$/gim;

/** Path of the file that holds the command line, or null when the boot partition has none that is known here. */
export function commandLinePath(base: Pick<BaseFiles, 'texts'>): string | null {
  for (const path of base.texts.keys()) if (path.toLowerCase() === ONE_LINE) return path;
  const listed = base.texts.get(LISTED);
  return listed !== undefined && listed.search(append) >= 0 ? LISTED : null;
}

const withWords = (line: string, words: readonly string[]): string => {
  const there = line.split(/\s+/).filter((word) => word !== '');
  return [...there.filter((word) => !words.includes(word)), ...words].join(' ');
};

/** A file with words put at the end of its command line, or of each one in a list; none is there twice. */
export function addWords(path: string, text: string, words: readonly string[]): string {
  if (path !== LISTED) {
    const [line = '', ...rest] = text.split(/\r?\n/);
    return `${withWords(line, words)}\n${rest.filter((other) => other.trim() !== '').join('\n')}`;
  }
  return text.replace(append, (_all, key: string, line: string) => `${key} ${withWords(line, words)}`);
}

/** Words of a command line file, of the first line in a list. */
export function wordsOfCommandLine(path: string, text: string): string[] {
  const line =
    path.toLowerCase() === LISTED
      ? (/^\s*append[ \t]+(.*)$/im.exec(text)?.[1] ?? '')
      : (text.split('\n')[0] ?? '');
  return line.split(/\s+/).filter((word) => word !== '');
}
