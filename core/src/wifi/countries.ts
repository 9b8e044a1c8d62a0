import { iso31661 } from 'iso-3166';

export interface Country {
  code: string;
  name: string;
}

/** Countries with assigned two-letter codes (ISO 3166-1), by name. */
export const countries: readonly Country[] = iso31661
  .map((entry) => ({ code: entry.alpha2, name: entry.name }))
  .sort((a, b) => a.name.localeCompare(b.name, 'en'));

const codes = new Set(countries.map((country) => country.code));

/** Whether a text is an assigned ISO 3166-1 alpha-2 code in capitals. */
export const isCountry = (code: string): boolean => codes.has(code);
