import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const here = __dirname;
const folder = join(here, '../../data/soak/radio');

/** Makes the emulated machine, once. @throws when this machine does not allow it */
export function makeRadio(): void {
  if (existsSync(join(folder, 'root.img'))) return;
  mkdirSync(folder, { recursive: true });
  execFileSync(join(here, 'make-radio.sh'), [folder], { stdio: 'inherit' });
}

/** Shell that every work begins with: an access point with its own radio, namespace and address server, and waiting. */
export const AIR = `ap() {
    n=$1 name=$2 channel=$3
    shift 3
    ip netns add air$n && iw phy phy$n set netns name air$n || exit 90
    until ip netns exec air$n ip link show wlan$n >/dev/null 2>&1; do sleep 0.1; done
    printf '%s\\n' "interface=wlan$n" driver=nl80211 "ssid=$name" hw_mode=g "channel=$channel" "$@" >/run/ap$n.conf
    ip netns exec air$n ip link set lo up
    ip netns exec air$n hostapd -B -t -P /run/ap$n.pid -f /run/ap$n.log /run/ap$n.conf >/dev/null || exit 91
    ip netns exec air$n ip addr add 10.9.$n.1/24 dev wlan$n
    ip netns exec air$n dnsmasq --conf-file=/dev/null --port=0 --interface=wlan$n --bind-interfaces \\
        --dhcp-range=10.9.$n.50,10.9.$n.90,1h --pid-file=/run/dns$n.pid --dhcp-leasefile=/run/leases$n
}
# Waits until lines end well.
until_so() { tries=0; until eval "$1"; do tries=$((tries + 1)); [ $tries -lt 400 ] || { echo "never: $1"; return 1; }; sleep 0.3; done; }
`;

/**
 * Starts the machine, has it run lines of a shell as root, and waits until it is off.
 * @param files by name, in the folder /share that the lines begin in
 * @param words of the kernel's command line
 * @returns what they printed
 * @throws with what they said, when they ended with another code than 0
 */
export async function onRadio(
  work: string,
  files: Readonly<Record<string, string>> = {},
  { radios = 5, words = '', memory = 640, node = false } = {},
): Promise<string> {
  const share = mkdtempSync(join(tmpdir(), 'nest-mark-radio-'));
  try {
    for (const [name, content] of Object.entries(files)) writeFileSync(join(share, name), content);
    // Node itself, which the machine does not have.
    if (node) copyFileSync(process.execPath, join(share, 'node'));
    writeFileSync(join(share, 'work'), `#!/bin/bash\n${AIR}${work}\n`);
    chmodSync(join(share, 'work'), 0o755);
    const machine = spawn(join(here, 'start-radio.sh'), [folder, share], {
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, RADIOS: String(radios), WORDS: words, MEMORY: String(memory) },
    });
    await once(machine, 'exit');
    const read = (name: string): string => {
      const path = join(share, name);
      return existsSync(path) ? readFileSync(path, 'utf8') : '';
    };
    if (read('code').trim() !== '0')
      throw new Error(`ended with "${read('code').trim()}":\n${read('out')}\n${read('said').slice(-3000)}`);
    return read('out');
  } finally {
    rmSync(share, { recursive: true, force: true });
  }
}

/** Parts of what was printed, by their titles. */
export const partsOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    text
      .split(/^== /m)
      .slice(1)
      .map((part) => [part.split('\n')[0] ?? '', part.split('\n').slice(1).join('\n').trim()]),
  );
