import * as fc from 'fast-check';
import { staysOf, type Sighting } from '../src';

const seen = (id: number, address: string, at: number, change: Partial<Sighting> = {}): Sighting => ({
  id: String(id),
  searchId: 's',
  address,
  port: 22,
  hardwareAddress: '02:00:00:00:00:01',
  banner: null,
  hostKey: 'ssh-ed25519 AAAA',
  keyProven: true,
  at,
  ...change,
});

describe('where a device was over time', () => {
  it('is one stay for each time at one place, newest first', () => {
    const stays = staysOf([
      seen(1, '10.0.0.5', 100),
      seen(2, '10.0.0.5', 200),
      seen(3, '10.0.0.9', 300),
      seen(4, '10.0.0.5', 400),
    ]);
    expect(stays.map(({ address, from, to, times }) => [address, from, to, times])).toEqual([
      ['10.0.0.5', 400, 400, 1],
      ['10.0.0.9', 300, 300, 1],
      ['10.0.0.5', 100, 200, 2],
    ]);
  });

  it('another board at the address, and one that only shows the key, are told apart', () => {
    const stays = staysOf([
      seen(1, '10.0.0.5', 100),
      seen(2, '10.0.0.5', 200, { hardwareAddress: '02:00:00:00:00:02' }),
      seen(3, '10.0.0.5', 300, { hardwareAddress: '02:00:00:00:00:02', keyProven: false }),
    ]);
    expect(stays.map(({ hardwareAddress, proved }) => [hardwareAddress?.slice(-1), proved])).toEqual([
      ['2', false],
      ['2', true],
      ['1', true],
    ]);
  });

  it('a hardware address that one search could not read does not make it another board', () => {
    const stays = staysOf([
      seen(1, '10.0.0.5', 100, { hardwareAddress: null }),
      seen(2, '10.0.0.5', 200),
      seen(3, '10.0.0.5', 300, { hardwareAddress: null }),
    ]);
    expect(stays).toHaveLength(1);
    expect(stays[0]).toMatchObject({ hardwareAddress: '02:00:00:00:00:01', times: 3, from: 100, to: 300 });
  });

  it('no sighting is lost or told twice, whatever their order', () => {
    const place = fc.constantFrom('10.0.0.5', '10.0.0.6', '10.0.0.7');
    const sightings = fc
      .array(fc.record({ place, step: fc.nat(3), known: fc.boolean(), proved: fc.boolean() }))
      .map((list) => {
        let at = 0;
        return list.map(({ place, step, known, proved }, index) =>
          seen(index, place, (at += step), {
            hardwareAddress: known ? '02:00:00:00:00:01' : null,
            keyProven: proved,
          }),
        );
      });
    fc.assert(
      fc.property(sightings, (list) => {
        const stays = staysOf(list);
        expect(stays.reduce((sum, { times }) => sum + times, 0)).toBe(list.length);
        expect(staysOf([...list].reverse())).toEqual(stays);
        for (const [index, stay] of stays.entries()) {
          expect(stay.from).toBeLessThanOrEqual(stay.to);
          const older = stays[index + 1];
          if (older) expect(older.to).toBeLessThanOrEqual(stay.from);
        }
      }),
    );
  });
});
