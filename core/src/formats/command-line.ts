import { Findings, type BootFile, type CheckFinding } from './finding';
import { readText } from './text';

/** Checks a kernel command line: one line and no more. */
export function checkCommandLine(file: BootFile): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, { carriageReturns: 'break', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  if (lines.length > 1) {
    const joined = `${lines.map((line) => line.trim()).join(' ')}\n`;
    found.add(
      'stops',
      'command-line-broken',
      `${file.name} is broken over ${String(lines.length)} lines.`,
      'Only the first line reaches the kernel; without the rest it may not find its root.',
      joined.length > 120 ? 'Put everything on one line, with spaces between.' : joined.trim(),
      { line: 2, fix: { do: 'replace', file: file.name, content: new TextEncoder().encode(joined) } },
    );
  }
  return found.list;
}
