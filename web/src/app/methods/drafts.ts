import { emptyEntry, emptyFile, type OwnDescription, type OwnEntry, type OwnFile } from '@nest-mark/core';

/** Changes of a description that is being edited; each gives a new one. */

const at = <T>(list: readonly T[], index: number, change: (one: T) => T): T[] =>
  list.map((one, place) => (place === index ? change(one) : one));

export const withFile = (draft: OwnDescription, file: number, change: Partial<OwnFile>): OwnDescription => ({
  ...draft,
  files: at(draft.files, file, (one) => ({ ...one, ...change })),
});

export const withEntry = (
  draft: OwnDescription,
  file: number,
  entry: number,
  change: Partial<OwnEntry>,
): OwnDescription =>
  withFile(draft, file, {
    entries: at(draft.files[file]?.entries ?? [], entry, (one) => ({ ...one, ...change })),
  });

export const withMoreFiles = (draft: OwnDescription): OwnDescription => ({
  ...draft,
  files: [...draft.files, emptyFile()],
});

export const withoutFile = (draft: OwnDescription, file: number): OwnDescription => ({
  ...draft,
  files: draft.files.filter((_one, place) => place !== file),
});

/** An entry more, repeated like the one before it: entries for a network come in groups. */
export function withMoreEntries(draft: OwnDescription, file: number): OwnDescription {
  const entries = draft.files[file]?.entries ?? [];
  const last = entries.at(-1);
  return withFile(draft, file, {
    entries: [...entries, { ...emptyEntry(), section: last?.section ?? '', each: last?.each ?? 'once' }],
  });
}

export const withoutEntry = (draft: OwnDescription, file: number, entry: number): OwnDescription =>
  withFile(draft, file, {
    entries: (draft.files[file]?.entries ?? []).filter((_one, place) => place !== entry),
  });
