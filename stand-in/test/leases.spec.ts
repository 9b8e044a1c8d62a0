import type { Air } from '@nest-mark/core/api';
import { AddressPool, type Leases } from '../src/air/access-point';

/** Boards keep their addresses when the program starts again, in whatever order they start. */

const air = (change: Partial<Air> = {}): Air => ({
  on: true,
  ssid: 'Saltmarsh Bench',
  passphrase: 'low tide at seven',
  country: 'DK',
  network: '127.62.9',
  poolStart: 20,
  poolSize: 3,
  port: 2222,
  bands: ['2.4 GHz'],
  hidden: false,
  apart: false,
  elsewhere: false,
  carried: 0,
  clients: null,
  sleepsAfter: null,
  ...change,
});

describe('the addresses of the practice bench', () => {
  it('are remembered over a start of the program, in another order too', () => {
    const leases: Leases = {};
    const before = new AddressPool(air, leases);
    const first = ['a', 'b', 'c'].map((one) => before.lease(one));
    expect(first).toEqual(['127.62.9.20', '127.62.9.21', '127.62.9.22']);
    const written = JSON.parse(JSON.stringify(leases)) as Leases;
    const after = new AddressPool(air, written);
    expect(['c', 'a', 'b'].map((one) => after.lease(one))).toEqual([first[2], first[0], first[1]]);
    expect(after.lease('d')).toBeNull();
  });

  it('are told when they change, are forgotten when that is asked for, and are not those of another network', () => {
    let told = 0;
    let network = '127.62.9';
    const pool = new AddressPool(
      () => air({ network }),
      {},
      () => told++,
    );
    pool.lease('a');
    pool.lease('a');
    expect(told).toBe(1);
    network = '127.62.10';
    expect(pool.lease('a')).toBe('127.62.10.20');
    expect([...pool.table()]).toEqual([['127.62.10.20', 'a']]);
    pool.clear();
    expect([pool.table().size, told]).toEqual([0, 3]);
  });
});
