import { sha512Crypt } from '../../access/sha512crypt';
import { textOrNull } from '../../bytes';
import type { BootFiles } from '../boot-files';
import { Findings, type CheckFinding } from '../../formats/finding';

/** What is tried: the first ones of every list of default logins (common practice), and the user's own name. */
const tried = ['password', 'admin', 'changeme', '12345678', 'root'];

/** A hash with its user: in user-data a name comes before it, elsewhere it stands on the same line. */
function hashesOf(name: string, text: string): { user: string; hash: string; line: number }[] {
  const found: { user: string; hash: string; line: number }[] = [];
  let user = '';
  for (const [at, line] of text.split('\n').entries()) {
    user = /^\s*-?\s*name:\s*["']?([a-z0-9_-]+)/.exec(line)?.[1] ?? user;
    const hash = /\$6\$(?:rounds=\d+\$)?[^$:\s"']+\$[./0-9A-Za-z]{86}/.exec(line)?.[0];
    if (hash !== undefined)
      found.push({ user: name === 'user-data' ? user : (line.split(':')[0] ?? ''), hash, line: at + 1 });
  }
  return found;
}

/** Whether a password fits a SHA-512-crypt hash; one with more rounds than usual is not tried, for its time. */
function fits(password: string, hash: string): boolean {
  const [, rounds = '', salt = ''] = /^\$6\$(?:rounds=(\d+)\$)?([^$]+)\$/.exec(hash) ?? [];
  return rounds === '' && sha512Crypt(password, salt) === hash;
}

/**
 * Looks for hashes of passwords that come with devices. Apart from the other checks, since it takes a twentieth of a
 * second for each password that is tried.
 */
export function checkGuessable({ files }: Pick<BootFiles, 'files'>): CheckFinding[] {
  return files.flatMap(({ name, content }) => {
    const found = new Findings(name);
    const known = name.toLowerCase();
    if (!['user-data', 'userconf.txt', 'run-once/users'].includes(known)) return [];
    for (const { user, hash, line } of hashesOf(known, textOrNull(content) ?? ''))
      if ([user, ...tried].some((password) => password !== '' && fits(password, hash)))
        found.add(
          'stops',
          'default-password',
          `${user} has a password that comes with devices, or its own name.`,
          'Such passwords are the first that are tried; the board belongs to whoever finds it.',
          'A password of its own, or none and a key.',
          { line },
        );
    return found.list;
  });
}
