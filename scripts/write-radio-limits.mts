/**
 * Writes core/src/wifi/radio-limits.ts from the database of Debian's package wireless-regdb.
 * Form of the file: the Linux kernel's net/wireless/reg.c, version 20 ("RGDB"), all numbers most significant octet first.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readRadioDatabase } from './lib/radio-database.mjs';

const target = join(import.meta.dirname, '../core/src/wifi/radio-limits.ts');
const limits = readRadioDatabase(readFileSync('/lib/firmware/regulatory.db'));
const lines = Object.entries(limits).map(([country, ranges]) => `  ${country}: '${ranges.join(' ')}',`);
writeFileSync(
  target,
  [
    '/**',
    ' * Frequencies in MHz on which radios may work, by country (ISO 3166-1), from Debian’s package wireless-regdb by',
    ' * `npm run radio-limits`. Power, outdoor and radar conditions are left out: local radio rules apply.',
    ' */',
    'export const radioLimits: Readonly<Record<string, string>> = {',
    ...lines,
    '};',
    '',
  ].join('\n'),
);
