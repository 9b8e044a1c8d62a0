import type { BootFiles } from '../boot-files';
import type { CheckFix } from '../../formats/finding';

/** The files of a card as they are with a fix done, for those who mend copies of them; what was given is left alone. */
export function mendedFiles(boot: BootFiles, fix: CheckFix): BootFiles {
  const top = (path: string): string => path.split('/')[0] ?? path;
  if (fix.do === 'rename')
    return {
      ...boot,
      names: boot.names.map((name) => (name === fix.file ? fix.to : name)),
      files: boot.files.map((file) => (file.name === fix.file ? { ...file, name: fix.to } : file)),
    };
  const others = boot.files.filter(({ name }) => name !== fix.file);
  return {
    ...boot,
    names: [...new Set([...boot.names, top(fix.file)])],
    files: [...others, { name: fix.file, content: fix.content }],
  };
}

/** What a fix leaves to be put onto a card: a file's name and octets; null when they were not read. */
export function savedFile(
  boot: Pick<BootFiles, 'files'>,
  fix: CheckFix,
): { name: string; content: Uint8Array } | null {
  if (fix.do === 'replace') return { name: fix.file, content: fix.content };
  const file = boot.files.find(({ name }) => name === fix.file);
  return file ? { name: fix.to, content: file.content } : null;
}
