/** What a published text says about a file: its SHA-256, or why it says nothing. */
export type PublishedDigest = { digest: string } | { fault: 'form' | 'other-file'; names: string[] };

/** Lines of sha256sum (GNU coreutils manual, "md5sum invocation"): digits, a space, a space or an asterisk, the name. */
const plain = /^\\?([0-9a-fA-F]{64})(?: [ *]?\s*(\S.*))?$/;
/** Lines with a tag, as BSD tools write them: `SHA256 (name) = digits`. */
const tagged = /^\\?SHA256 \((.+)\) = ([0-9a-fA-F]{64})$/;

const baseName = (name: string): string => name.trim().split(/[\\/]/).at(-1) ?? '';

/**
 * Finds the SHA-256 of a file in what is published beside it: the digits alone, one line, or a whole list of files.
 * Comments, blank lines, a signature around the list and digests of other kinds are passed over.
 * @param fileName the file's own name, without its folder
 * @returns null for an empty text
 */
export function publishedDigest(text: string, fileName: string): PublishedDigest | null {
  const clean = text.replace(/^\uFEFF/, '').trim();
  if (clean === '') return null;
  const found: { name: string; digest: string }[] = [];
  for (const raw of clean.split(/\r\n|\r|\n/)) {
    const line = raw.trim();
    const bare = plain.exec(line);
    const tag = tagged.exec(line);
    if (bare?.[1]) found.push({ digest: bare[1].toLowerCase(), name: baseName(bare[2] ?? '') });
    else if (tag?.[2]) found.push({ digest: tag[2].toLowerCase(), name: baseName(tag[1] ?? '') });
  }
  const names = found.map(({ name }) => name).filter((name) => name !== '');
  const [only] = found;
  if (!only) return { fault: 'form', names };
  const own = found.find(({ name }) => name === baseName(fileName));
  if (own) return { digest: own.digest };
  // Digits without a name are meant for the file at hand.
  return found.length === 1 && only.name === '' ? { digest: only.digest } : { fault: 'other-file', names };
}
