import type { SentBootFiles } from '../api/checks';
import { fromBase64, toBase64 } from '../bytes';
import type { BootFiles } from './check/check-card';

/** First-boot files as they are sent. */
export const packBootFiles = ({ files, ...rest }: BootFiles): SentBootFiles => ({
  ...rest,
  files: files.map(({ name, content }) => ({ name, content: toBase64(content) })),
});

/** First-boot files as they came. */
export const unpackBootFiles = ({ files, ...rest }: SentBootFiles): BootFiles => ({
  ...rest,
  files: files.map(({ name, content }) => ({ name, content: fromBase64(content) ?? new Uint8Array() })),
});
