import type { Carried } from '../carried';
import type { OwnDescription, OwnFile } from '../../plan/own-method';
import { parseTemplate, type Placeholder } from './template';
import { NUMBER, ownValues, type PlanValueName } from './values';

const wordValues = (Object.keys(ownValues) as PlanValueName[]).filter((name) =>
  ['yes-no', 'security'].includes(ownValues[name].type),
);

interface Use extends Placeholder {
  file: OwnFile;
}

const usesOf = ({ files }: OwnDescription): Use[] =>
  files.flatMap((file) =>
    file.entries.flatMap(({ section, key, value }) =>
      [section, key, value]
        .flatMap(parseTemplate)
        .flatMap((part) => (typeof part === 'string' ? [] : [{ ...part, file }])),
    ),
  );

/**
 * What of a plan a description carries: what it puts into a file, and no more, so that it cannot promise what it does not
 * write.
 */
export function ownCarries(description: OwnDescription): ReadonlySet<Carried> {
  const uses = usesOf(description);
  const carried = new Set<Carried>();
  for (const { name } of uses) {
    const what = name === NUMBER ? null : ownValues[name].carries;
    if (what) carried.add(what);
  }
  if (!carried.has('networks')) return carried;
  const security = uses.filter(({ name }) => name === 'security');
  const says = (kind: 'wep' | 'wpa3'): boolean => security.some(({ file }) => file.words[kind] !== '');
  // Without a word for it the reader would have to guess from the key.
  if (says('wpa3')) carried.add('wpa3');
  if (says('wep')) carried.add('wep');
  const names = uses.filter(({ name }) => name === 'ssid');
  if (
    names.every(
      ({ spelling, file }) => spelling !== null || (file.quoting === 'percent' && file.form !== 'yaml'),
    )
  )
    carried.add('octets');
  return carried;
}

/** Whether a file has values that its own words stand for. */
export const usesWords = ({ entries }: OwnFile): boolean =>
  entries.some(({ value }) => wordValues.some((name) => value.includes(`<<${name}`)));

/** Whether the host key's private half belongs into a file. */
export const holdsHostKey = (description: OwnDescription, path: string): boolean =>
  usesOf(description).some(
    ({ name, file }) => name === 'hostKey' && file.path.toLowerCase() === path.toLowerCase(),
  );
