import fc from 'fast-check';
import { matchSightings, type Sighting } from '../src/locate/match';
import { compareAddresses, subnetFault, subnetHosts } from '../src/net/subnet';

describe('subnets (RFC 4632, RFC 1918)', () => {
  it('lists hosts without network and broadcast address', () => {
    const hosts = subnetHosts('192.168.43.77/24');
    expect([hosts.length, hosts[0], hosts.at(-1)]).toEqual([254, '192.168.43.1', '192.168.43.254']);
    expect(subnetHosts('127.44.7.0/31')).toEqual(['127.44.7.0', '127.44.7.1']);
    expect(subnetHosts('10.1.2.3/32')).toEqual(['10.1.2.3']);
    expect(subnetHosts('172.16.0.0/20')).toHaveLength(4094);
  });

  it.each([
    ['', 'empty'],
    ['192.168.1.0', 'form'],
    ['192.168.1/24', 'form'],
    ['010.1.1.0/24', 'form'], // octal for some readers
    ['192.168.1.0/33', 'form'],
    ['192.168.1.0/24/1', 'form'],
    ['10.0.0.0/19', 'wide'],
    ['192.0.2.0/24', 'public'], // RFC 5737, documentation: nobody's bench
    ['8.8.8.0/24', 'public'],
    ['172.32.0.0/24', 'public'],
    ['169.254.3.0/24', null],
    ['172.31.0.0/24', null],
  ])('%s → %s', (cidr, fault) => {
    expect(subnetFault(cidr)).toBe(fault);
    if (fault) expect(() => subnetHosts(cidr)).toThrow(RangeError);
  });

  it('sorts addresses by number', () => {
    expect(['10.0.0.10', '10.0.0.9', '9.0.0.1'].sort(compareAddresses)).toEqual([
      '9.0.0.1',
      '10.0.0.9',
      '10.0.0.10',
    ]);
  });
});

describe('matching by host key', () => {
  let number = 0;
  const seen = (address: string, hostKey: string | null, change: Partial<Sighting> = {}): Sighting => ({
    id: String(++number),
    searchId: 's1',
    address,
    port: 22,
    hardwareAddress: null,
    banner: null,
    hostKey,
    keyProven: hostKey !== null,
    at: 1000,
    ...change,
  });
  const wanted = [
    { deviceId: 'a', hostKey: 'ssh-ed25519 AAA' },
    { deviceId: 'b', hostKey: 'ssh-ed25519 BBB' },
    { deviceId: 'c', hostKey: null },
  ];

  it('proves who signed, reports strangers and names who is missing', () => {
    const result = matchSightings(wanted, [
      seen('10.0.0.2', 'ssh-ed25519 AAA'),
      seen('10.0.0.3', 'ssh-ed25519 XXX'),
      seen('10.0.0.4', null),
    ]);
    expect(result.matches.map(({ deviceId, standing }) => [deviceId, standing])).toEqual([['a', 'proved']]);
    expect(result.strangers.map((sighting) => sighting.address)).toEqual(['10.0.0.3', '10.0.0.4']);
    expect(result.missing).toEqual(['b', 'c']);
  });

  it('does not take a shown key for a proven one, and prefers the proof', () => {
    const shown = seen('10.0.0.2', 'ssh-ed25519 AAA', { keyProven: false, at: 3000 });
    expect(matchSightings(wanted, [shown]).matches[0]?.standing).toBe('guess');
    const both = matchSightings(wanted, [shown, seen('10.0.0.9', 'ssh-ed25519 AAA')]);
    expect(both.matches).toMatchObject([
      { standing: 'proved', sighting: { address: '10.0.0.9' }, alsoAt: [] },
    ]);
    expect(both.strangers).toMatchObject([{ address: '10.0.0.2', showsKeyOf: 'a' }]);
  });

  it('lets the newest sighting of an address count, so that a board that took it over is not mistaken', () => {
    const result = matchSightings(wanted, [
      seen('10.0.0.2', 'ssh-ed25519 AAA', { at: 1000 }),
      seen('10.0.0.2', 'ssh-ed25519 BBB', { at: 2000 }),
    ]);
    expect(result.matches.map((match) => match.deviceId)).toEqual(['b']);
    expect(result.missing).toEqual(['a', 'c']);
  });

  it('says when one key signed at two addresses in one search: a copied card', () => {
    const result = matchSightings(wanted, [
      seen('10.0.0.2', 'ssh-ed25519 AAA', { at: 1000 }),
      seen('10.0.0.3', 'ssh-ed25519 AAA', { at: 2000 }),
    ]);
    expect(result.matches).toMatchObject([{ sighting: { address: '10.0.0.2' }, alsoAt: ['10.0.0.3'] }]);
  });

  it('takes no address for a copy that is dead since the last search, and follows a board that moved', () => {
    const result = matchSightings(wanted, [
      seen('10.0.0.2', 'ssh-ed25519 AAA', { at: 1000, searchId: 's1' }),
      seen('10.0.0.3', 'ssh-ed25519 AAA', { at: 2000, searchId: 's2' }),
    ]);
    expect(result.matches).toMatchObject([{ sighting: { address: '10.0.0.3' }, alsoAt: [] }]);
  });
});

describe('matching, whatever answers', () => {
  const keys = ['ssh-ed25519 A', 'ssh-ed25519 B', 'ssh-ed25519 C'];
  const devices = ['d1', 'd2', 'd3'].map((deviceId, index) => ({ deviceId, hostKey: keys[index]! }));
  const sighting = fc.record({
    id: fc.uuid(),
    searchId: fc.constantFrom('s1', 's2'),
    address: fc.constantFrom('10.0.0.1', '10.0.0.2', '10.0.0.3', '10.0.0.4'),
    port: fc.constant(22),
    hardwareAddress: fc.constant(null),
    banner: fc.constant(null),
    hostKey: fc.constantFrom(...keys, 'ssh-ed25519 X', null),
    keyProven: fc.boolean(),
    at: fc.nat(9),
  });

  it('names each device once, leaves nobody out, and proves nothing without a signature', () => {
    fc.assert(
      fc.property(fc.array(sighting, { maxLength: 12 }), (sightings) => {
        const { matches, strangers, missing } = matchSightings(devices, sightings);
        const found = matches.map(({ deviceId }) => deviceId);
        expect([...found, ...missing].sort()).toEqual(['d1', 'd2', 'd3']);
        for (const match of matches) {
          const wanted = devices.find(({ deviceId }) => deviceId === match.deviceId)!;
          expect(match.sighting.hostKey).toBe(wanted.hostKey);
          expect(match.standing === 'proved').toBe(match.sighting.keyProven);
        }
        // No address counts twice: as somebody, as a copy of somebody, or as a stranger; none is left out that signed
        // with no device's key.
        const places = [
          ...matches.flatMap(({ sighting: seen, alsoAt }) => [seen.address, ...alsoAt]),
          ...strangers.map(({ address }) => address),
        ];
        expect(new Set(places).size).toBe(places.length);
        const all = new Set(sightings.map(({ address }) => address));
        for (const address of all)
          if (!places.includes(address))
            expect(sightings.some((one) => one.address === address && one.keyProven)).toBe(true);
        // A copy is only what signed in the very search in which the device itself did.
        for (const { sighting: seen, alsoAt } of matches)
          for (const address of alsoAt)
            expect(
              sightings.some(
                (one) =>
                  one.address === address &&
                  one.keyProven &&
                  one.hostKey === seen.hostKey &&
                  one.searchId === seen.searchId,
              ),
            ).toBe(true);
      }),
    );
  });
});
