import * as fc from 'fast-check';
import type { HeardClue } from '../src/locate/clue';
import type { Sought } from '../src/locate/evidence';
import { hostsOf } from '../src/locate/hosts';
import { matchSightings, type Sighting } from '../src/locate/match';
import { tellProved } from '../src/locate/told';
import { reckonUnproved } from '../src/locate/who';
import { isCountedUp, nextName } from '../src/net/renamed';
import { many } from './helpers/soak';

const START = 1_000_000;

const sought = (at: number, more: Partial<Sought> = {}): Sought => ({
  deviceId: `d${String(at)}`,
  batchId: 'b',
  hostName: `tank-0${String(at)}`,
  mark: `MARK${String(at)}`,
  hostKey: `ssh-ed25519 key${String(at)}`,
  hardware: [],
  named: [],
  poweredAt: null,
  bootSeconds: 60,
  ...more,
});

const clue = (address: string | null, more: Partial<HeardClue> = {}): HeardClue => ({
  source: 'multicast',
  at: START,
  since: START,
  times: 1,
  address,
  hardwareAddress: null,
  name: null,
  mark: null,
  kind: 'here',
  ...more,
});

let ids = 0;
const sighting = (address: string, hostKey: string | null, more: Partial<Sighting> = {}): Sighting => ({
  id: String(++ids),
  searchId: 's1',
  address,
  port: 22,
  hardwareAddress: null,
  banner: 'SSH-2.0-x',
  hostKey,
  keyProven: hostKey !== null,
  at: START,
  ...more,
});

const nobody = new Map<string, string[]>();
const only = (devices: Sought[], clues: HeardClue[], sightings: Sighting[] = []) =>
  reckonUnproved(devices, { clues, sightings }, nobody).reckoned.map(({ deviceId, host, standing, why }) => ({
    deviceId,
    at: host.addresses[0],
    standing,
    why,
  }));

const MAC = '02:00:5e:00:53:01';

describe('names that are counted up after a conflict', () => {
  it.each([
    // Seen with the common responder, version 0.8, as its log had them.
    ['node-5', 'node-6'],
    ['tank-10', 'tank-11'],
    ['lab05', 'lab05-2'],
    ['rig-05', 'rig-05-2'],
    ['rig-05-2', 'rig-05-3'],
    ['lab', 'lab-2'],
  ])('%s becomes %s', (name, next) => expect(nextName(name)).toBe(next));

  it('a host two numbers on can be the one that was named', () => {
    expect(isCountedUp('node-5', 'node-7')).toBe(true);
    expect(isCountedUp('node-5', 'node-4')).toBe(false);
    expect(isCountedUp('node-5', 'node-5')).toBe(false);
    expect(isCountedUp('tank-05', 'tank-05-2')).toBe(true);
    expect(isCountedUp('tank-05', 'other')).toBe(false);
  });
});

describe('putting together what was heard of one host', () => {
  it('joins names, addresses and requests by the hardware address', () => {
    const [host, ...others] = hostsOf(
      [
        clue(null, {
          source: 'address-request',
          hardwareAddress: MAC,
          name: 'tank-01',
          kind: 'asks',
          times: 3,
        }),
        clue('10.0.0.5', { at: START + 1, hardwareAddress: MAC, source: 'neighbours' }),
        clue('10.0.0.5', { at: START + 2, name: 'tank-01-2' }),
      ],
      [sighting('10.0.0.5', null, { at: START + 3 })],
    );
    expect(others).toEqual([]);
    expect(host).toMatchObject({ addresses: ['10.0.0.5'], hardwareAddress: MAC, asked: 3, left: false });
    expect(host!.names.map(({ name }) => name)).toEqual(['tank-01', 'tank-01-2']);
  });

  it('knows a link-local address by the hardware address in it (RFC 4291 appendix A, its example)', () => {
    const hosts = hostsOf(
      [clue('fe80::3656:78ff:fe9a:bcde%eth0'), clue('10.0.0.5', { hardwareAddress: '34:56:78:9a:bc:de' })],
      [],
    );
    expect(hosts).toHaveLength(1);
    expect(hosts[0]!.addresses).toEqual(['10.0.0.5', 'fe80::3656:78ff:fe9a:bcde%eth0']);
  });

  it('an address that changes hands takes nothing of the first host with it', () => {
    const other = '02:00:5e:00:53:02';
    const hosts = hostsOf(
      [
        clue('10.0.0.5', { hardwareAddress: MAC, name: 'old' }),
        clue('10.0.0.5', { hardwareAddress: other, at: START + 10, name: 'new' }),
      ],
      [sighting('10.0.0.5', 'k', { at: START + 20 })],
    );
    expect(
      hosts.map(({ addresses, names, sightings }) => [
        addresses,
        names.map(({ name }) => name),
        sightings.length,
      ]),
    ).toEqual([
      [[], ['old'], 0],
      [['10.0.0.5'], ['new'], 1],
    ]);
  });
});

describe('who a host probably is', () => {
  it('a mark and a name are likely, and the reasons are told', () => {
    expect(only([sought(1), sought(2)], [clue('10.0.0.5', { name: 'tank-01', mark: 'MARK1' })])).toEqual([
      {
        deviceId: 'd1',
        at: '10.0.0.5',
        standing: 'likely',
        why: 'It tells the mark MARK1, which stands on this device’s card and it calls itself tank-01.',
      },
    ]);
  });

  it('a name alone is a guess: names repeat', () => {
    expect(only([sought(1)], [clue('10.0.0.5', { name: 'tank-01' })])).toMatchObject([
      { standing: 'guess', why: 'It calls itself tank-01.' },
    ]);
  });

  it('its own board that comes after its power-on is likely without any name', () => {
    const device = sought(1, { hardware: [MAC], poweredAt: START - 30_000 });
    expect(only([device], [clue('10.0.0.5', { hardwareAddress: MAC })])).toMatchObject([
      {
        standing: 'likely',
        why: 'It has the hardware address at which this device was proved and it came 30 s after this board was powered.',
      },
    ]);
  });

  it('whom a person named is likely, by that alone, unless a key says that it is another one', () => {
    const named = sought(1, { hostKey: null, named: [MAC] });
    const host = clue('10.0.0.5', { hardwareAddress: MAC, name: 'board' });
    expect(only([named, sought(2)], [host])).toMatchObject([
      {
        deviceId: 'd1',
        standing: 'likely',
        why: 'A person said that this board is it. Against it: it calls itself board.',
      },
    ]);
    const owner = sought(2, { hardware: [MAC] });
    expect(only([named, owner], [host]).map(({ deviceId }) => deviceId)).toEqual(['d2']);
  });

  it('two boards that were powered together and say nothing stay a guess, and it says what would tell them apart', () => {
    const devices = [1, 2].map((at) => sought(at, { poweredAt: START - 30_000 }));
    const told = only(devices, [clue('10.0.0.5'), clue('10.0.0.6')]);
    expect(told).toHaveLength(2);
    for (const { standing, why } of told) {
      expect(standing).toBe('guess');
      expect(why).toContain('power one of them alone, or wait until one signs with its key');
    }
  });

  it('whom the name takes first is not kept from the one that it fits better', () => {
    // Counted up: node-6 may be node-5 or node-6 itself; the other one settles it.
    const devices = [
      sought(1, { hostName: 'node-5', mark: 'A' }),
      sought(2, { hostName: 'node-6', mark: 'B' }),
    ];
    const told = only(devices, [clue('10.0.0.5', { name: 'node-6' }), clue('10.0.0.6', { name: 'node-7' })]);
    expect(told.map(({ deviceId, at }) => [deviceId, at])).toContainEqual(['d2', '10.0.0.5']);
    expect(told.every(({ standing }) => standing === 'guess')).toBe(true);
  });

  it('what was there before the power-on, and what signs with another key, is not it', () => {
    const device = sought(1, { poweredAt: START + 60_000 });
    expect(only([device], [clue('10.0.0.5', { name: 'tank-01' })])).toEqual([]);
    const named = [clue('10.0.0.6', { name: 'tank-01', mark: 'MARK1' })];
    expect(only([sought(1)], named, [sighting('10.0.0.6', 'ssh-ed25519 other', { at: START + 1 })])).toEqual(
      [],
    );
  });

  it('many arrivals at once tell nothing about any', () => {
    const devices = [sought(1, { poweredAt: START - 30_000 })];
    const clues = Array.from({ length: 9 }, (_, at) => clue(`10.0.0.${String(at + 5)}`));
    expect(only(devices, clues)).toEqual([]);
  });
});

describe('what is remarkable about a device that is proved', () => {
  const device = { hostName: 'tank-01', address: '10.0.0.7', hardwareAddress: MAC };

  it('nothing, as a rule', () => {
    expect(tellProved({ ...device, proofs: [sighting('10.0.0.7', 'k')] }, () => undefined, [])).toEqual([]);
  });

  it('a board that moved', () => {
    const proofs = [sighting('10.0.0.7', 'k', { searchId: 's2' }), sighting('10.0.0.5', 'k')];
    expect(tellProved({ ...device, proofs }, () => undefined, [])).toEqual([
      'It moved: it signed at 10.0.0.5 before.',
    ]);
  });

  it('a card in the board of another device, and in another board than before', () => {
    const proofs = [
      sighting('10.0.0.7', 'k', { hardwareAddress: MAC }),
      sighting('10.0.0.7', 'k', { hardwareAddress: '02:00:5e:00:53:09' }),
    ];
    expect(tellProved({ ...device, proofs }, () => 'tank-04', [])).toEqual([
      'Its card is in the board that was tank-04 before. The card decides who it is.',
    ]);
    expect(tellProved({ ...device, proofs }, () => undefined, [])).toEqual([
      'Its card is in another board than before; that one had the hardware address 02:00:5e:00:53:09.',
    ]);
  });

  it('a board that renamed itself, and who has its name', () => {
    const hosts = hostsOf(
      [clue('10.0.0.7', { name: 'tank-01-2' }), clue('10.0.0.9', { name: 'tank-01' })],
      [],
    );
    expect(tellProved({ ...device, proofs: [] }, () => undefined, hosts)).toEqual([
      'It calls itself tank-01-2.local, because the host at 10.0.0.9 has the name tank-01 already. Switch that one off or give it another name, then start this board again.',
    ]);
  });
});

/** A world with boards, strangers, copies, moves and lies; the truth is kept beside what can be heard of it. */
interface World {
  devices: Sought[];
  clues: HeardClue[];
  sightings: Sighting[];
  /** Which device is really at an address. */
  truth: Map<string, string>;
}

const SECONDS = 1000;

function worldOf(dice: () => number): World {
  const pick = (below: number): number => Math.floor(dice() * below);
  const chance = (share: number): boolean => dice() < share;
  const together = chance(0.5);
  const devices = Array.from({ length: 1 + pick(6) }, (_, at) =>
    sought(at + 1, {
      hardware: chance(0.3) ? [`02:00:00:00:01:0${String(at + 1)}`] : [],
      poweredAt: chance(0.8) ? START + (together ? 0 : at * 200 * SECONDS) : null,
    }),
  );
  const world: World = { devices, clues: [], sightings: [], truth: new Map() };
  let host = 1;
  const appear = (device: Sought | null, lies: Sought | null): void => {
    const address = `10.0.0.${String(host)}`;
    const hardwareAddress = device?.hardware[0] ?? `02:00:00:00:02:${host.toString(16).padStart(2, '0')}`;
    host++;
    if (device) world.truth.set(address, device.deviceId);
    const claims = lies ?? device;
    const at = device?.poweredAt
      ? device.poweredAt + (20 + pick(60)) * SECONDS
      : START + (pick(1200) - 200) * SECONDS;
    // Whoever lies takes what anybody on the network can copy: name, mark, and the public half of a key.
    const name = claims && chance(0.6) ? claims.hostName : chance(0.2) ? 'printer' : null;
    const mark = claims && chance(0.4) ? claims.mark : null;
    const lied =
      lies && chance(0.5) ? (device?.hardware[0] ?? lies.hardware[0] ?? hardwareAddress) : hardwareAddress;
    world.clues.push(
      clue(address, { at, since: at, name, mark, hardwareAddress: chance(0.7) ? lied : null }),
    );
    if (chance(0.6)) {
      const signs = device !== null && !lies;
      world.sightings.push(
        sighting(address, signs ? device.hostKey : lies ? lies.hostKey : `ssh-ed25519 own${address}`, {
          at: at + 1,
          keyProven: !lies,
          hardwareAddress: null,
        }),
      );
    }
  };
  for (const device of devices) if (chance(0.8)) appear(device, null);
  for (let count = pick(4); count > 0; count--)
    appear(null, chance(0.5) ? devices[pick(devices.length)]! : null);
  return world;
}

/** mulberry32, from memory; any repeatable source would do. */
function diceOf(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

const WORLDS = many(1500, 10_000);

describe(`${String(WORLDS)} random worlds, by seeds from 1`, () => {
  const worlds = Array.from({ length: WORLDS }, (_, seed) => worldOf(diceOf(seed + 1)));
  const judged = worlds.map((world) => {
    const { matches } = matchSightings(world.devices, world.sightings);
    const proved = matches.filter(({ standing }) => standing === 'proved');
    const where = new Map(proved.map(({ deviceId, sighting: { address } }) => [deviceId, [address]]));
    return { world, proved, ...reckonUnproved(world.devices, world, where) };
  });

  it('yield no wrong "proved"', () => {
    const all = judged.flatMap(({ world, proved }) =>
      proved.map(({ deviceId, sighting: { address } }) => world.truth.get(address) === deviceId),
    );
    expect(all.length).toBeGreaterThan(WORLDS);
    expect(all.every((right) => right)).toBe(true);
  });

  it('no "likely" that a coin could have made: whoever else is as likely stands beside it as a guess', () => {
    for (const { world, proved, reckoned } of judged) {
      const sure = reckoned.filter(({ standing }) => standing === 'likely');
      for (const one of sure) {
        // Turned about, with the devices in another order, it is the same.
        const where = new Map(proved.map(({ deviceId, sighting: { address } }) => [deviceId, [address]]));
        const again = reckonUnproved(
          [...world.devices].reverse(),
          { clues: [...world.clues].reverse(), sightings: world.sightings },
          where,
        ).reckoned.find(({ deviceId }) => deviceId === one.deviceId);
        expect([again?.standing, again?.host.addresses]).toEqual(['likely', one.host.addresses]);
      }
    }
  });

  it('a second host of which the very same is heard makes a guess of every "likely" that no board of its own speaks for', () => {
    let tried = 0;
    for (const { world, proved, reckoned } of judged)
      for (const { deviceId, host, standing, evidence } of reckoned) {
        if (standing !== 'likely' || evidence.some(({ text }) => text.includes('hardware'))) continue;
        tried++;
        const twin = world.clues
          .filter(({ address }) => host.addresses.includes(address ?? ''))
          .map((one) => ({ ...one, address: '10.0.1.1', hardwareAddress: null }));
        const where = new Map(proved.map(({ deviceId: id, sighting: { address } }) => [id, [address]]));
        const again = reckonUnproved(world.devices, { ...world, clues: [...world.clues, ...twin] }, where);
        expect(again.reckoned.find((one) => one.deviceId === deviceId)?.standing).not.toBe('likely');
      }
    expect(tried).toBeGreaterThan(500);
  });

  it('and of those without a liar, nearly every "likely" is right', () => {
    const honest = judged.filter(({ world }) => world.sightings.every(({ keyProven }) => keyProven));
    const likely = honest.flatMap(({ world, reckoned }) =>
      reckoned
        .filter(({ standing }) => standing === 'likely')
        .map(({ deviceId, host }) => world.truth.get(host.addresses[0] ?? '') === deviceId),
    );
    expect(likely.length).toBeGreaterThan(WORLDS / 10);
    expect(likely.filter((right) => right).length / likely.length).toBeGreaterThan(0.9);
  });
});

describe('properties of putting hosts together', () => {
  const addresses = fc.constantFrom('10.0.0.1', '10.0.0.2', '10.0.0.3', null);
  const hardware = fc.constantFrom('02:00:00:00:00:01', '02:00:00:00:00:02', null);
  it('no address belongs to two hosts, no hardware address to two, and no sighting is lost', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(addresses, hardware, fc.boolean()), { maxLength: 30 }), (events) => {
        const clues: HeardClue[] = [];
        const sightings: Sighting[] = [];
        events.forEach(([address, hardwareAddress, seen], at) => {
          if (seen && address) sightings.push(sighting(address, null, { at, hardwareAddress }));
          else clues.push(clue(address, { at, since: at, hardwareAddress }));
        });
        const hosts = hostsOf(clues, sightings);
        const all = hosts.flatMap((host) => host.addresses);
        expect(new Set(all).size).toBe(all.length);
        const macs = hosts.flatMap((host) => host.hardwareAddress ?? []);
        expect(new Set(macs).size).toBe(macs.length);
        expect(hosts.flatMap((host) => host.sightings)).toHaveLength(sightings.length);
      }),
      { numRuns: 1000 },
    );
  });
});
