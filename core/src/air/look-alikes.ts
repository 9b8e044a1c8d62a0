import { fromHex, textOrNull } from '../bytes';
import { grouped } from '../listed';

/**
 * Letters that look like another one; the foreign ones are those of the Cyrillic and Greek alphabets that have the shape of
 * a Latin one (Unicode Technical Standard 39 has the whole list; this choice is common practice, from memory).
 */
const SAME: Readonly<Record<string, string>> = Object.fromEntries(
  [
    ['аΑα', 'a'],
    ['ВвΒ', 'b'],
    ['сС', 'c'],
    ['еЕΕ', 'e'],
    ['НнΗ', 'h'],
    ['іІΙ1l|!', 'i'],
    ['јЈ', 'j'],
    ['кКΚκ', 'k'],
    ['мМΜ', 'm'],
    ['ΝνП', 'n'],
    ['оОΟο0', 'o'],
    ['рРΡρ', 'p'],
    ['ѕЅ5', 's'],
    ['тТΤτ', 't'],
    ['υ', 'u'],
    ['хХΧχ', 'x'],
    ['уУΥ', 'y'],
    ['ΖZ2', 'z'],
  ].flatMap(([letters = '', plain = '']) => [...letters].map((letter) => [letter, plain])),
);

/** What eyes take a name for: without case, accents, spaces and marks, with one letter for all that look alike. */
export const seenAs = (text: string): string =>
  [...text.normalize('NFKD').replace(/\p{M}/gu, '')]
    .map((letter) => SAME[letter] ?? SAME[letter.toLowerCase()] ?? letter.toLowerCase())
    .join('')
    .replaceAll('rn', 'm')
    .replaceAll('vv', 'w')
    .replace(/[^\p{L}\p{N}]/gu, '');

const rawName = (ssidHex: string): string => {
  const octets = fromHex(ssidHex);
  return (octets && textOrNull(octets)) ?? ssidHex;
};

/** A name as it is shown: its text, in which what nobody can see is told by its number; or its digits. */
export const shownName = (ssidHex: string): string =>
  rawName(ssidHex).replace(
    /\p{C}/gu,
    (sign) => `⟨${(sign.codePointAt(0) ?? 0).toString(16).padStart(2, '0')}⟩`,
  );

/** Whether eyes take one name for the other. */
export const looksLike = (one: string, other: string): boolean =>
  one !== '' && other !== '' && one !== other && seenAs(rawName(one)) === seenAs(rawName(other));

/** For each name those of the others that eyes take for it, as they are shown. @param names digits of octets, all different */
export function lookAlikesOf(names: readonly string[]): Map<string, string[]> {
  const groups = grouped(
    names.filter((name) => name !== ''),
    (name) => seenAs(rawName(name)),
  );
  return new Map(
    [...groups.values()].flatMap((group) =>
      group.map((name) => [name, group.filter((other) => other !== name).map(shownName)] as const),
    ),
  );
}
