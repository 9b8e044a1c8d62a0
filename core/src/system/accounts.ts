import type { ExtVolume } from '../disk/ext/volume';
import type { SystemFacts } from './facts';

/** Numbers of people's accounts (Debian Policy, section 9.2.2; login.defs(5)). */
const FIRST_PERSON = 1000;
const LAST_PERSON = 59_999;
/** Shells of accounts that nobody is. */
const noShell = /\/(nologin|false|sync)$/;

const linesOf = async (root: ExtVolume, path: string): Promise<string[][]> =>
  new TextDecoder()
    .decode((await root.readFile(path, 1 << 20)) ?? new Uint8Array())
    .split('\n')
    .filter((line) => line.includes(':'))
    .map((line) => line.split(':'));

/**
 * Accounts that somebody could log in with as the image is shipped (passwd(5), shadow(5)): a password field that is
 * empty asks for none, one that no hash can be equal to locks the password, not the account.
 * @throws DiskError
 */
export async function readAccounts(root: ExtVolume): Promise<SystemFacts['accounts']> {
  const shadow = new Map((await linesOf(root, '/etc/shadow')).map(([name = '', hash = '']) => [name, hash]));
  const found: SystemFacts['accounts'] = [];
  for (const [name = '', hash = '', id = '', , , home = '', shell = ''] of await linesOf(
    root,
    '/etc/passwd',
  )) {
    const number = Number(id);
    const isPerson = number === 0 || (number >= FIRST_PERSON && number <= LAST_PERSON);
    if (!isPerson || noShell.test(shell.trim())) continue;
    const kept = hash === 'x' ? (shadow.get(name) ?? '*') : hash;
    const keys = await root.stat(`${home}/.ssh/authorized_keys`);
    const login =
      kept === ''
        ? 'no-password'
        : /^[$_./A-Za-z0-9]/.test(kept)
          ? 'password'
          : keys && keys.size > 0
            ? 'keys'
            : 'none';
    found.push({ name, login, where: hash === 'x' ? '/etc/shadow' : '/etc/passwd' });
  }
  return found;
}
