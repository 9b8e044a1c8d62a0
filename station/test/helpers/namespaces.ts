import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';

/**
 * Runs lines of shell as root in namespaces where nothing of this computer is changed: a network of its own with a pair of
 * virtual cables w0 and w1, and empty /run and /var/lib.
 * @param folder for scripts
 * @param parts titles and lines of what is done, in order
 * @returns what each part printed, by its title
 */
export function inside(
  folder: string,
  setUp: string,
  parts: readonly (readonly [string, string])[],
): Record<string, string> {
  const script = [
    'export LC_ALL=C',
    'ip link set lo up && ip link add w0 type veth peer name w1 && ip link set w0 up && ip link set w1 up || exit 9',
    'mount -t tmpfs t /run && mount -t tmpfs t /var/lib && mount -t sysfs -o ro s /sys || exit 9',
    setUp,
    ...parts.map(([title, lines]) => `echo "== ${title}"\n${lines}`),
    'for p in $pids; do kill "$p"; done; wait 2>/dev/null; true',
  ].join('\n');
  const file = join(folder, 'work.sh');
  writeFileSync(file, script);
  const text = execFileSync('unshare', ['-nm', '--kill-child', '-fp', '--mount-proc', 'sh', file], {
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  return Object.fromEntries(
    text
      .split(/^== /m)
      .slice(1)
      .map((part) => [part.split('\n')[0] ?? '', part.split('\n').slice(1).join('\n').trim()]),
  );
}

/** Keeps lines as a file and tells how they end, with or without what they print. */
export function shell(folder: string, title: string, content: string, prints = false): string {
  const file = join(folder, title);
  writeFileSync(file, content);
  return `sh ${file} ${prints ? '2>/dev/null' : '>/dev/null 2>&1'}; echo "ended $?"`;
}

/** Lines that start the real NetworkManager in there, with the profiles that lie in its folder, and wait for cable w0. */
export const startManager = `dbus-daemon --system --nofork --nopidfile & pids=$!
until [ -S /run/dbus/system_bus_socket ]; do sleep 0.1; done
NetworkManager --no-daemon >/run/nm.log 2>&1 & pids="$pids $!"
until nmcli -t -f DEVICE,STATE device 2>/dev/null | grep -q '^w0:'; do sleep 0.1; done`;
