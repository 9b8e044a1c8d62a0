import type { WifiBand } from '@nest-mark/core';
import {
  NMCLI_FIELDS,
  readIwScan,
  readNmcliList,
  type HeardPoint,
  type RadioAdapter,
} from '@nest-mark/core/in-air';
import { readIwDev, readIwPhy } from './iw';
import { runProgram } from './programs';
import { RadioError, type Radio } from './radio';
import { heardBySupplicant } from './supplicant-bus';
import { tryKey } from './trial';

const root = (): boolean => process.getuid?.() === 0;

const ASKS =
  'While the key is tried, this computer is off its network, for a minute at the most; then it goes back by itself. What looks for boards over that network meanwhile finds none.';

/** NetworkManager's view of an adapter, by name: whether it is connected. */
async function managed(): Promise<Map<string, boolean>> {
  const { code, out } = await runProgram('nmcli', ['-t', '-f', 'DEVICE,TYPE,STATE', 'device']);
  const rows = code === 0 ? out.split('\n').map((line) => line.split(':')) : [];
  return new Map(
    rows.flatMap(([name = '', type, state]) =>
      type === 'wifi' && state !== 'unmanaged' ? [[name, state === 'connected'] as const] : [],
    ),
  );
}

async function bandsByManager(name: string): Promise<WifiBand[]> {
  const { out } = await runProgram('nmcli', [
    '-t',
    '-f',
    'WIFI-PROPERTIES.2GHZ,WIFI-PROPERTIES.5GHZ',
    'device',
    'show',
    name,
  ]);
  return [
    ...(/2GHZ:yes/.test(out) ? (['2.4 GHz'] as const) : []),
    ...(/5GHZ:yes/.test(out) ? (['5 GHz'] as const) : []),
  ];
}

/** Why a key cannot be tried with an adapter; empty where it can. */
async function whyNotTry(name: string, inUse: boolean, ruled: boolean): Promise<string> {
  if (!root()) return 'Trying a key needs root: start the program as root, or take another way to be sure.';
  if ((await runProgram('wpa_supplicant', ['-v'])).code === null)
    return 'Trying a key needs the program wpa_supplicant, which is not on this computer.';
  if (inUse && !ruled && (await runProgram('wpa_cli', ['-i', name, 'status'])).code !== 0)
    return 'This computer is on a network with it by a program that the bench does not know. Plug in another adapter.';
  return '';
}

const wordsOf = (said: string, name: string): RadioError => {
  if (/not permitted|\(-1\)/i.test(said))
    return new RadioError(
      'rights',
      `Listening with ${name} needs root, or NetworkManager, which does it for everybody.`,
    );
  if (/No such device|\(-19\)/.test(said)) return new RadioError('gone', `The adapter ${name} is gone.`);
  if (/resource busy|\(-16\)/.test(said))
    return new RadioError(
      'busy',
      `The adapter ${name} is listening for somebody else. Try again in some seconds.`,
    );
  return new RadioError('failed', `Listening with ${name} failed: ${said.trim().split('\n').at(-1) ?? ''}`);
};

/** The radios of a Linux computer, by the programs that come with it: iw, NetworkManager's nmcli, and wpa_supplicant. */
export const linuxRadio: Radio = {
  async adapters(): Promise<RadioAdapter[]> {
    const [{ code, out }, ruled] = await Promise.all([runProgram('iw', ['dev']), managed()]);
    const kernel = code === 0 ? readIwDev(out) : [];
    const names = [...new Set([...kernel.map(({ name }) => name), ...ruled.keys()])];
    return Promise.all(
      names.map(async (name): Promise<RadioAdapter> => {
        const seen = kernel.find((one) => one.name === name);
        const inUse = seen?.joined === true || ruled.get(name) === true;
        const bands = seen
          ? readIwPhy((await runProgram('iw', ['phy', seen.phy, 'info'])).out)
          : await bandsByManager(name);
        const mayTry = await whyNotTry(name, inUse, ruled.has(name));
        return { name, bands, inUse, mayTry, asks: mayTry === '' && inUse ? ASKS : '' };
      }),
    );
  },

  async look(name: string, signal: AbortSignal): Promise<HeardPoint[]> {
    const ruled = (await managed()).has(name);
    if (ruled) {
      // It says nothing of a refusal, and gives what was heard last.
      await runProgram('nmcli', ['device', 'wifi', 'rescan', 'ifname', name], { seconds: 30, signal });
      const list = ['-t', '-f', NMCLI_FIELDS, 'device', 'wifi', 'list', '--rescan', 'yes', 'ifname', name];
      const heard = await runProgram('nmcli', list, { seconds: 40, signal });
      // What the kernel remembers of it has the signal in dBm, and the country; anybody may read it.
      const dump = await runProgram('iw', ['dev', name, 'scan', 'dump'], { signal });
      const points = dump.code === 0 ? readIwScan(dump.out) : [];
      if (points.length > 0) return points;
      // Where there is no iw: the supplicant below tells the same, to those whom it answers.
      const told = await heardBySupplicant(name);
      if (told.length > 0) return told;
      if (heard.code !== 0) throw wordsOf(heard.said, name);
      return readNmcliList(heard.out);
    }
    const up = await runProgram('ip', ['-o', 'link', 'show', 'dev', name, 'up']);
    const wasDown = up.code === 0 && up.out.trim() === '';
    if (wasDown && root()) await runProgram('ip', ['link', 'set', 'dev', name, 'up']);
    try {
      // Passively: who hides its name is told by its beacons alone.
      const heard = await runProgram('iw', ['dev', name, 'scan', 'passive'], { seconds: 40, signal });
      if (heard.code === null)
        throw new RadioError(
          'none',
          'Listening needs the program iw, or NetworkManager. Install one of them.',
        );
      if (heard.code !== 0) throw wordsOf(heard.said, name);
      return readIwScan(heard.out);
    } finally {
      if (wasDown && root()) await runProgram('ip', ['link', 'set', 'dev', name, 'down']);
    }
  },

  tryKey,
};
