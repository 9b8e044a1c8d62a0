import { passphraseKind } from '../wifi/psk';
import { isSaePassword } from '../wifi/secret';
import { isCountry } from '../wifi/countries';
import type { CheckedNetwork, Findings } from './finding';
import { shownValue } from './shown';

/** Checks a network's passphrase or key as it stands on the card. Never repeats it: it is a secret. */
export function checkPassphrase(
  ssid: string,
  value: string,
  line: number | null,
  found: Findings,
  security: 'psk' | 'sae' = 'psk',
): void {
  if (value !== value.trim())
    found.add(
      'warns',
      'passphrase-spaces',
      `The passphrase of "${ssid}" begins or ends with a space.`,
      'A space is part of the passphrase; one that was copied along makes it another one.',
      'Take the space away, unless the access point really has it.',
      { line },
    );
  if (passphraseKind(value) || (security === 'sae' && isSaePassword(value))) return;
  const length = [...value].length;
  if (length < 8)
    found.add(
      'stops',
      'passphrase-short',
      `The passphrase of "${ssid}" has ${String(length)} characters; 8 are the least.`,
      'The whole file can be refused because of it, and the board then joins no network.',
      'Type the passphrase of the access point, 8 to 63 characters.',
      { line },
    );
  else
    found.add(
      'stops',
      'passphrase-form',
      `The passphrase of "${ssid}" has ${length > 63 ? `${String(length)} characters; 63 are the most` : 'characters outside plain ASCII'}.`,
      'It is no passphrase of WPA (IEEE Std 802.11-2020 annex J.4), and the board joins no network.',
      '8 to 63 characters of plain ASCII, or a key of 64 hexadecimal digits.',
      { line },
    );
}

/** A code that is surely meant as another one. */
const properCountry = (code: string): string => {
  const capitals = code.toUpperCase();
  return capitals === 'UK' ? 'GB' : isCountry(capitals) ? capitals : code;
};

/** Checks the country; without one the radio stays off on many boards. */
export function checkCountry(country: string | null, line: number | null, found: Findings): void {
  if (country === null)
    found.add(
      'stops',
      'country-missing',
      'The country is missing.',
      'Without it the radio stays off, or may not use the channel of the access point.',
      'Give the country where the board will run, two capital letters (ISO 3166-1).',
      { line },
    );
  else if (!isCountry(country))
    found.add(
      'stops',
      'country-unknown',
      `${shownValue(country)} is not a country.`,
      'The radio falls back to what is allowed everywhere, or stays off.',
      country === 'UK'
        ? 'GB'
        : 'Two capital letters of ISO 3166-1, as DK; it is the country where the board will run.',
      { line, mend: (text) => text.replace(/\b[A-Za-z]{2}\b(?=[^A-Za-z]*$)/, properCountry) },
    );
}

/** Networks that only look different to people: one name twice, or names that differ by case or spaces alone. */
export function checkNames(networks: readonly CheckedNetwork[], found: Findings): void {
  const seen = new Map<string, string>();
  for (const { ssid } of networks) {
    const key = ssid.trim().toLowerCase();
    const before = seen.get(key);
    if (before === undefined) seen.set(key, ssid);
    else
      found.add(
        'warns',
        'network-twice',
        before === ssid
          ? `The network "${ssid}" is there twice.`
          : `"${before}" and "${ssid}" differ by capitals or spaces alone.`,
        'Only one of them is joined, and it may be the one with the old or the wrong key.',
        'Leave the right one.',
      );
  }
  for (const { ssid } of networks)
    if (ssid !== ssid.trim())
      found.add(
        'warns',
        'network-spaces',
        `The network name "${ssid}" begins or ends with a space.`,
        'A name must be the same to the letter; a space that was copied along makes it another one.',
        'Take the space away, unless the access point really has it.',
      );
}
