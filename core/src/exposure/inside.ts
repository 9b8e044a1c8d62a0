import ipaddr from 'ipaddr.js';
import type { Expected } from '../bringup/expected';
import { said, type Answers, type Question } from '../bringup/model';
import { asPlanned } from '../bringup/steps/as-planned';
import { remoteScreen } from '../bringup/steps/remote-screen';
import { hasShell, readAccounts, readKeys, readListeners, readPasswords, readSshd } from '../bringup/readers';
import type { Inside } from './model';

/** What a board is asked about itself: some of the questions of bringing it up, and its own addresses. */
export function insideQuestions(expected: Expected): Question[] {
  const wanted = new Set(['people', 'passwords', 'keys', 'login', 'listens']);
  return [
    ...[...asPlanned.questions(expected), ...remoteScreen.questions(expected)].filter(({ id }) =>
      wanted.has(id),
    ),
    { id: 'addresses', command: 'ip -o addr show', root: false },
  ];
}

/** Addresses that the whole internet could reach (the registries of special-purpose addresses, RFC 6890). */
export function publicAmong(addresses: readonly string[]): string[] {
  return addresses.filter((address) => {
    if (!ipaddr.isValid(address)) return false;
    return ipaddr.process(address).range() === 'unicast';
  });
}

/** Addresses of `ip -o addr show` (ip-address(8)). */
export const readAddresses = (text: string): string[] =>
  text.split('\n').flatMap((line) => /^\d+: \S+\s+inet6? ([0-9a-fA-F.:]+)[/ ]/.exec(line)?.[1] ?? []);

/** What a board's answers come to. @returns null when it answered nothing that counts */
export function readInside(answers: Answers, expected: Expected): Inside | null {
  const people = said(answers, 'people');
  if (people === null) return null;
  const passwords = readPasswords(said(answers, 'passwords') ?? '');
  const shellKeys = readKeys(said(answers, 'keys') ?? '', true);
  const allKeys = readKeys(said(answers, 'keys') ?? '');
  const planned = new Map(expected.users.map((user) => [user.name, user]));
  const login = said(answers, 'login');
  const settings = login === null ? null : readSshd(login);
  const accounts = readAccounts(people).filter(hasShell);
  const listens = said(answers, 'listens');
  return {
    strangers: accounts.flatMap(({ name }) => {
      if (planned.has(name)) return [];
      const ways = [
        ...(passwords.get(name) === 'set' ? ['a password'] : []),
        ...((shellKeys.get(name)?.length ?? 0) > 0 ? ['a key'] : []),
      ];
      return ways.length > 0 ? [{ name, ways }] : [];
    }),
    open: accounts.flatMap(({ name }) => (passwords.get(name) === 'none' ? [name] : [])),
    moreKeys: [...planned.values()].flatMap(({ name, keys }) => {
      const more = new Set(
        (allKeys.get(name) ?? []).filter((key) => !keys.includes(key) && key !== expected.benchKey),
      ).size;
      return more > 0 ? [{ name, keys: more }] : [];
    }),
    benchKey:
      expected.benchKey !== null &&
      [...allKeys.values()].some((keys) => keys.includes(expected.benchKey ?? '')),
    passwordLogin:
      settings === null
        ? null
        : settings.get('passwordauthentication') === 'yes' ||
          settings.get('kbdinteractiveauthentication') === 'yes',
    rootByPassword: settings === null ? null : settings.get('permitrootlogin') === 'yes',
    listening:
      listens === null
        ? []
        : [...new Set(readListeners(listens).flatMap(({ port, loopback }) => (loopback ? [] : [port])))].sort(
            (a, b) => a - b,
          ),
    publicAddresses: publicAmong(readAddresses(said(answers, 'addresses') ?? '')),
  };
}
