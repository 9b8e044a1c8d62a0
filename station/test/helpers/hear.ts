/** Listens on every network that this process is on, offers each that is heard a handshake, and prints what came. */
import {
  addressRequests,
  fetchHostKey,
  followNeighbours,
  linuxNeighbours,
  multicast,
  ownPlaces,
} from '../../src';

const [source = '', names = ''] = process.argv.slice(2);
const listener = [multicast, addressRequests, followNeighbours(linuxNeighbours)].find(
  (one) => one.source === source,
);
if (!listener) throw new Error(`no such source: ${source}`);

const print = (line: unknown): boolean => process.stdout.write(`${JSON.stringify(line)}\n`);
const asking = new Set<string>();
const proved = new Set<string>();

/** Knocks until the login service is up and signs. */
async function knock(address: string): Promise<void> {
  if (asking.has(address)) return;
  asking.add(address);
  for (let times = 0; times < 200 && !proved.has(address); times++) {
    const key = await fetchHostKey(address, 22, 1, 2000);
    if (key?.proven) {
      proved.add(address);
      print({ proved: key.hostKey, address, at: Date.now() });
    } else await new Promise((resolve) => setTimeout(resolve, 200));
  }
  asking.delete(address);
}

const stop = await listener.listen(
  { places: ownPlaces(), callIn: null, listPath: '', names: () => names.split(',') },
  (clue) => {
    print({ clue });
    if (clue.address !== null && clue.kind !== 'leaves') void knock(clue.address);
  },
);
print({ listening: source, places: ownPlaces() });
process.stdin.once('end', () => void stop().then(() => process.exit(0)));
process.stdin.resume();
