import { runInside, type Inside } from './sandbox';

/** A file of a scratch root as its system sees it. */
export interface InsideFile {
  path: string;
  /** Permission bits. */
  mode: number;
  uid: number;
  content: Buffer;
}

/** Octets of a file that are read, and files of a folder that are listed. */
const LARGEST = 64 << 10;
const MOST = 64;

// Links are followed by the root's own system, where they cannot lead out of it; what is no plain file is left out.
const reader = `
for path in "$@"; do
    if [ -d "$path" ]; then set -- "$@" $(find "$path" -maxdepth 1 -type f -name '*[!a-zA-Z0-9._-]*' -prune -o -type f -print | sort | head -n ${String(MOST)}); continue; fi
done
for path in "$@"; do
    [ -f "$path" ] && [ -r "$path" ] || continue
    printf '%s %s ' "$(stat -L -c '%a %u' "$path")" "$(printf %s "$path" | base64 -w0)"
    head -c ${String(LARGEST)} "$path" | base64 -w0
    echo
done
`;

/**
 * Reads files of a root from inside it.
 * @param paths files, or folders whose plainly named files are read
 * @returns those that are plain files, in the order asked for; beginnings of long ones
 */
export async function readInside(where: Inside, paths: readonly string[]): Promise<InsideFile[]> {
  const { output } = await runInside(where, ['/bin/sh', '-c', reader, 'sh', ...paths], 20_000);
  return output
    .toString('latin1')
    .split('\n')
    .flatMap((line): InsideFile[] => {
      const [mode = '', uid = '', path = '', content = ''] = line.split(' ');
      if (!/^[0-7]+$/.test(mode) || !/^\d+$/.test(uid)) return [];
      return [
        {
          path: Buffer.from(path, 'base64').toString('utf8'),
          mode: parseInt(mode, 8),
          uid: Number(uid),
          content: Buffer.from(content, 'base64'),
        },
      ];
    });
}
