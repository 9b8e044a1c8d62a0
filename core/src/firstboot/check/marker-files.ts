import { userNameFault } from '../../access/user-names';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from './finding';
import { shownWord } from './shown';
import { readText } from './text';

/** Whether a text is a password hash in one of the forms of crypt(5). */
export const isPasswordHash = (text: string): boolean => /^\$(1|2[aby]|5|6|y|gy|7)\$[^\s:]+$/.test(text);

/** Checks `userconf.txt`: one line, user and password hash with a colon between. */
export function checkUserconf(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  const text = readText(file, { carriageReturns: 'break', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  const [name = '', hash = ''] = (lines[0] ?? '').split(':');
  if (lines.length !== 1 || !(lines[0] ?? '').includes(':'))
    found.add(
      'stops',
      'userconf-form',
      `${file.name} is not one line with a colon in it.`,
      'No user is made.',
      'name:$6$…',
      { line: 1 },
    );
  else {
    const fault = userNameFault(name);
    if (fault)
      found.add(
        'stops',
        'user-name',
        `${shownWord(name)} cannot be a user.`,
        fault === 'reserved' ? 'The system has an account of this name already.' : 'No user is made.',
        'A small letter, then small letters, digits, hyphens; at most 32.',
        { line: 1 },
      );
    const isHash = isPasswordHash(hash);
    if (!isHash)
      found.add(
        'stops',
        'password-hash',
        'What stands behind the colon is no password hash.',
        'A password in plain in this place never fits: nobody can log in with it.',
        'A hash as openssl passwd -6 prints it.',
        { line: 1, byte: name.length + 1 },
      );
    if (!fault) settings.users.push({ name, keys: 0, password: isHash });
    settings.passwordLogin = isHash;
  }
  return found.list;
}

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
