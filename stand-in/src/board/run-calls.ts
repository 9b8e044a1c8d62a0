import { readInside } from './read-inside';
import { runInside } from './sandbox';
import type { Call } from './settings';

/** Services that are started by themselves (systemd.unit(5)). */
const WANTED = '/etc/systemd/system/multi-user.target.wants/nest-mark-call-in.service';

/** The place of a program that stands for one of the image: a scratch root has no network to send anything to. */
const FOLDER = '/board/bin';
const curl = `#!/bin/sh
data=
for word; do
    [ "\${before-}" = --data ] && data=$word
    before=$word
done
printf 'POST %s %s\\n' "$before" "$data"
`;

/**
 * Really runs what the card left to be run once the network is there, and takes what it would have posted.
 * @param root the scratch root that the card's script has set up
 */
export async function callsOf(root: string): Promise<Call[]> {
  const [unit] = await readInside(root, [WANTED]);
  const [, program = ''] = /^ExecStart=(.+)$/m.exec(unit?.content.toString('utf8') ?? '') ?? [];
  if (program === '') return [];
  const { output } = await runInside(
    root,
    [
      '/bin/sh',
      '-c',
      'mkdir -p "$1" && printf %s "$2" >"$1/curl" && chmod 755 "$1/curl" && PATH=$1:$PATH && export PATH && $3',
      'sh',
      FOLDER,
      curl,
      program,
    ],
    20_000,
  );
  return output
    .toString('utf8')
    .split('\n')
    .flatMap((line): Call[] => {
      const [, url = '', body = ''] = /^POST (\S{1,300}) (\S{0,300})$/.exec(line) ?? [];
      return url === '' ? [] : [{ url, body }];
    });
}
