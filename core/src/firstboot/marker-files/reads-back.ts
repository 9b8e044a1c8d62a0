import { userNameFault } from '../../access/user-names';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from '../../formats/finding';
import { isPasswordHash } from '../../formats/password-hash';
import { shownWord } from '../../formats/shown';
import { checkSupplicant } from '../../formats/supplicant/supplicant';
import { readText } from '../../formats/text';
import { byName, hasName, type BootFiles } from '../boot-files';

/** Checks `userconf.txt`: one line, user and password hash with a colon between. */
function checkUserconf(file: BootFile, settings: CheckedSettings): CheckFinding[] {
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

function noUser(): CheckFinding[] {
  const found = new Findings('userconf.txt');
  found.add(
    'warns',
    'no-user',
    'There is no userconf.txt, so no user is made.',
    'Images of the last years have no user of their own, and nobody can log in; older ones keep one whose password everybody knows.',
    'userconf.txt with one line: name:$6$…, as openssl passwd -6 prints it',
  );
  return found.list;
}

function loginServiceOff(): CheckFinding[] {
  const found = new Findings('ssh');
  found.add(
    'stops',
    'login-service-off',
    'There is no file named ssh.',
    'The login service stays off, and the board can be found but not reached.',
    'Make an empty file named ssh.',
    { fix: { do: 'replace', file: 'ssh', content: new Uint8Array() } },
  );
  return found.list;
}

/** Reads marker files back. */
export function readMarkerFiles(boot: BootFiles, settings: CheckedSettings): CheckFinding[] {
  const files = byName(boot);
  settings.loginService = hasName(boot, 'ssh');
  const findings: CheckFinding[] = [];
  const supplicant = files.get('wpa_supplicant.conf');
  if (supplicant) findings.push(...checkSupplicant(supplicant, settings));
  const userconf = files.get('userconf.txt');
  if (userconf) findings.push(...checkUserconf(userconf, settings));
  // A misspelt one is told by its name.
  else if (!boot.names.some((name) => /^userconf/i.test(name))) findings.push(...noUser());
  if (!settings.loginService) findings.push(...loginServiceOff());
  return findings;
}
