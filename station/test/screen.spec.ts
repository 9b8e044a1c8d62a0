import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { BOUND_SCREEN, readListeners, shippedSteps } from '@nest-mark/core/bring-up';
import { libraries, program } from './helpers/programs';

/**
 * Where Debian's own remote screen listens by the settings that it comes with, and by those that we make of them: in a
 * mount and network namespace of its own, with a folder of settings laid over /etc.
 */

const server = program('xrdp');
const ours = process.getuid?.() === 0 && server !== null;

/** Its own libraries lie in a folder of their own. */
const own = libraries
  .split(':')
  .map((folder) => join(folder, 'xrdp'))
  .join(':');

(ours ? describe : describe.skip)('the settings of a remote screen', () => {
  const etc = mkdtempSync(join(tmpdir(), 'nest-mark-screen-'));
  const settings = join(etc, 'xrdp/xrdp.ini');
  // From /usr/sbin the settings are two folders up.
  const shipped = join(dirname(server ?? ''), '../../etc/xrdp/xrdp.ini');
  beforeAll(() => {
    mkdirSync(join(etc, 'xrdp'));
    copyFileSync(shipped, settings);
  });
  afterAll(() => rmSync(etc, { recursive: true, force: true }));

  const inside = (script: string): string =>
    execFileSync(
      'unshare',
      [
        '-nm',
        'sh',
        '-c',
        `mount -t overlay over -o "lowerdir=$1:/etc" /etc && ip link set lo up && ${script}`,
        'sh',
        etc,
        server ?? '',
        program('xrdp-keygen') ?? '',
      ],
      { encoding: 'utf8', env: { ...process.env, LD_LIBRARY_PATH: `${libraries}:${own}` } },
    );
  /** Ends when somebody listens, or when the server has ended. */
  const listeners = (): ReturnType<typeof readListeners> =>
    readListeners(
      inside(`{ "$2" -n >/dev/null 2>&1 & }
pid=$!
while kill -0 "$pid" 2>/dev/null && ! grep -q ' 0A ' /proc/net/tcp /proc/net/tcp6; do sleep 0.1; done
cat /proc/net/tcp /proc/net/tcp6
kill "$pid"; wait "$pid" 2>/dev/null; true`),
    );

  it('are open to everybody as they come, and the board’s alone as they are made', () => {
    inside('"$3" xrdp "$1/xrdp/rsakeys.ini" >/dev/null');
    expect(listeners()).toEqual([{ port: 3389, loopback: false }]);
    const before = readFileSync(settings, 'utf8');
    const after = inside(BOUND_SCREEN);
    writeFileSync(settings, after);
    expect(listeners()).toEqual([{ port: 3389, loopback: true }]);
    // One line is another, and doing it again changes nothing.
    const lines = before.split('\n');
    const changed = after.split('\n').flatMap((line, at) => (line === lines[at] ? [] : [line]));
    expect(changed).toEqual(['port=tcp://.:3389']);
    expect(inside(BOUND_SCREEN)).toBe(after);
    const ports = shippedSteps
      .find(({ id }) => id === 'screen-set-up')
      ?.questions({ screen: true } as never)
      .find(({ id }) => id === 'screen');
    expect(inside(ports?.command ?? 'false')).toBe('tcp://.:3389\n');
  });
});
