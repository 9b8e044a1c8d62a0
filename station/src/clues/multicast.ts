import type { RemoteInfo, Socket } from 'node:dgram';
import { encode, type Question } from 'dns-packet';
import type { Clue } from '@nest-mark/core/find';
import { cluesOfPacket, SERVICES } from './multicast-packet';
import { ClueError, type ClueListener, type ListenOrder, type ListenPlace } from './ports';
import { bind, type Bound } from './socket';

/**
 * Names in one question: with more, an answer to a plain question does not fit into 512 octets and is not sent at all
 * (seen with the common responder, version 0.8, from 40 on).
 */
const NAMES_AT_ONCE = 10;
/** Milliseconds after the start at which is asked, since packets get lost; then in a steady round. */
const ASK_AT = [0, 1000, 3000, 9000] as const;
const ASK_EVERY = 15_000;
const GROUP_V6 = 'ff02::fb';

const isGroup = (address: string): boolean => Number(address.split('.')[0]) >= 224;

/** Questions for services and for the addresses of names. */
function questions(names: readonly string[]): Buffer[] {
  const packets: Question[][] = [SERVICES.map((name) => ({ type: 'PTR' as const, name }))];
  for (let at = 0; at < names.length; at += NAMES_AT_ONCE)
    packets.push(
      names
        .slice(at, at + NAMES_AT_ONCE)
        .flatMap((name) => (['A', 'AAAA'] as const).map((type) => ({ type, name: `${name}.local` }))),
    );
  return packets.map((asked) => encode({ type: 'query', id: 1, questions: asked }));
}

const zoneOf = ({ address }: RemoteInfo): string | null => address.split('%')[1] ?? null;

/** One that cannot be had is left out: the others hear on. */
async function tried(opening: Promise<Bound>): Promise<Bound | null> {
  try {
    return await opening;
  } catch {
    return null;
  }
}

/** Joins groups; a network that is gone, or knows none, is left out. @returns null when none could be joined */
async function joined(
  ear: Bound | null,
  memberships: (socket: Socket) => (() => void)[],
): Promise<Bound | null> {
  if (!ear) return null;
  let count = 0;
  for (const join of memberships(ear.socket)) {
    try {
      join();
      count++;
    } catch {
      // The others hear on.
    }
  }
  if (count > 0) return ear;
  await ear.close();
  return null;
}

/** Listens where hosts announce themselves, on all places together. */
async function openEar(
  places: readonly ListenPlace[],
  hear: (octets: Buffer, from: RemoteInfo) => void,
): Promise<Bound[]> {
  const bound: Bound[] = [];
  const real = places.filter(({ announcements }) => isGroup(announcements.address));
  const [first] = real;
  if (first) {
    // Several programs listen on this port; each gets every packet of the group.
    const ear = await tried(
      bind({ type: 'udp4', reuseAddr: true }, { address: '0.0.0.0', port: first.announcements.port }, hear),
    );
    const four = await joined(ear, (socket) =>
      real.map(
        ({ announcements, address }) =>
          () =>
            socket.addMembership(announcements.address, address),
      ),
    );
    const six = await joined(
      await tried(
        bind(
          { type: 'udp6', reuseAddr: true, ipv6Only: true },
          { address: '::', port: first.announcements.port },
          hear,
        ),
      ),
      (socket) =>
        real
          .filter(({ ipv6 }) => ipv6)
          .map(
            ({ name }) =>
              () =>
                socket.addMembership(GROUP_V6, `::%${name}`),
          ),
    );
    bound.push(...[four, six].filter((one) => one !== null));
  }
  for (const { announcements } of places.filter((place) => !real.includes(place))) {
    const ear = await tried(bind({ type: 'udp4' }, announcements, hear));
    if (ear) bound.push(ear);
  }
  return bound;
}

/** Asks on one network; answers to a question from another port than 5353 come straight back (RFC 6762, 6.7). */
async function openMouth(
  place: ListenPlace,
  hear: (octets: Buffer, from: RemoteInfo) => void,
): Promise<{ bound: Bound; send: (packet: Buffer) => void }[]> {
  const mouths: { bound: Bound; send: (packet: Buffer) => void }[] = [];
  const { address, port } = place.announcements;
  if (!isGroup(address)) return mouths;
  const four = await tried(bind({ type: 'udp4' }, { address: place.address, port: 0 }, hear));
  if (four) {
    four.socket.setMulticastInterface(place.address);
    four.socket.setMulticastTTL(255);
    mouths.push({ bound: four, send: (packet) => four.socket.send(packet, port, address, () => undefined) });
  }
  const six = place.ipv6
    ? await tried(bind({ type: 'udp6', ipv6Only: true }, { address: '::', port: 0 }, hear))
    : null;
  if (six)
    mouths.push({
      bound: six,
      send: (packet) => six.socket.send(packet, port, `${GROUP_V6}%${place.name}`, () => undefined),
    });
  return mouths;
}

/** Multicast DNS: what hosts announce, what they answer, and when they take their leave. */
export const multicast: ClueListener = {
  source: 'multicast',
  async listen({ places, names }: ListenOrder, onClue: (clue: Clue) => void) {
    const hear = (octets: Buffer, from: RemoteInfo): void => {
      const origin = { address: from.address.split('%')[0] ?? '', zone: zoneOf(from) };
      for (const clue of cluesOfPacket(octets, origin, places, Date.now())) onClue(clue);
    };
    const ears = await openEar(places, hear);
    const mouths = (await Promise.all(places.map((place) => openMouth(place, hear)))).flat();
    if (ears.length === 0 && mouths.length === 0)
      throw new ClueError(
        'Announcements cannot be heard: no network could be opened for it. Choose a network that this computer is on.',
      );
    const ask = (): void => {
      for (const packet of questions(names())) for (const { send } of mouths) send(packet);
    };
    const timers = ASK_AT.map((after) => setTimeout(ask, after));
    const steady = setInterval(ask, ASK_EVERY);
    return async () => {
      timers.forEach(clearTimeout);
      clearInterval(steady);
      await Promise.all([...ears, ...mouths.map(({ bound }) => bound)].map((one) => one.close()));
    };
  },
};
