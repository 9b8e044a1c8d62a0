import { problem } from './problems';

/** Version from an If-Match header such as `"3"`. @throws Problem 428 when there is none */
export function versionOf(header: string | undefined): number {
  const version = /^"(\d+)"$/.exec(header ?? '')?.[1];
  if (version === undefined) throw problem('version-missing');
  return Number(version);
}
