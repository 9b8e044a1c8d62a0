import * as fc from 'fast-check';
import { nameSaid, readAddressRequest } from '../src/net/address-request';

const MAC = [0x02, 0, 0x5e, 0, 0x53, 0x15];

/** A message of a client, put together after RFC 2131 section 2 and figure 1. */
function message(options: number[], change: (octets: Uint8Array) => void = () => undefined): Uint8Array {
  const octets = new Uint8Array(240 + options.length + 1);
  octets.set([1, 1, 6, 0, 0x39, 0x03, 0xf3, 0x26, 0, 17]);
  octets.set(MAC, 28);
  octets.set([0x63, 0x82, 0x53, 0x63], 236);
  octets.set([...options, 255], 240);
  change(octets);
  return octets;
}
const text = (code: number, value: string): number[] => [code, value.length, ...Buffer.from(value, 'latin1')];

describe('messages with which boards ask for an address', () => {
  it('a request that takes an offer: who, what name, which address, from whom', () => {
    const options = [
      53,
      1,
      3,
      ...text(12, 'tank-01'),
      50,
      4,
      10,
      8,
      0,
      15,
      54,
      4,
      10,
      8,
      0,
      1,
      61,
      7,
      1,
      ...MAC,
    ];
    expect(readAddressRequest(message(options))).toEqual({
      kind: 'request',
      hardwareAddress: '02:00:5e:00:53:15',
      exchange: 0x3903f326,
      seconds: 17,
      hostName: 'tank-01',
      wants: '10.8.0.15',
      server: '10.8.0.1',
      clientId: '0102005e005315',
    });
  });

  it('one without a name, and one whose name stands in option 81 (RFC 4702)', () => {
    expect(readAddressRequest(message([53, 1, 1]))).toMatchObject({
      kind: 'discover',
      hostName: null,
      wants: null,
    });
    const full = [81, 3 + 7, 0, 0, 0, ...Buffer.from('tank-01')];
    expect(readAddressRequest(message([53, 1, 1, ...full]))).toMatchObject({ hostName: 'tank-01' });
    const wire = [81, 3 + 9, 4, 0, 0, 7, ...Buffer.from('tank-02'), 0];
    expect(readAddressRequest(message([53, 1, 1, ...wire]))).toMatchObject({ hostName: 'tank-02' });
  });

  it('an option in two parts is one (RFC 3396), and more of them may stand in the fields before', () => {
    const split = [53, 1, 1, ...text(12, 'tan'), ...text(12, 'k-01')];
    expect(readAddressRequest(message(split))).toMatchObject({ hostName: 'tank-01' });
    const elsewhere = message([53, 1, 1, 52, 1, 1], (octets) =>
      octets.set([...text(12, 'tank-03'), 255], 108),
    );
    expect(readAddressRequest(elsewhere)).toMatchObject({ hostName: 'tank-03' });
  });

  it('what is no client’s message is passed over', () => {
    const good = [53, 1, 1];
    for (const change of [
      (octets: Uint8Array) => octets.set([2], 0),
      (octets: Uint8Array) => octets.set([16], 2),
      (octets: Uint8Array) => octets.set([0], 236),
      (octets: Uint8Array) => octets.set([0, 0, 0, 0, 0, 0], 28),
      (octets: Uint8Array) => octets.set([0xff], 28),
      (octets: Uint8Array) => octets.set([2], 242),
    ])
      expect(readAddressRequest(message(good, change))).toBeNull();
    expect(readAddressRequest(message(good).subarray(0, 239))).toBeNull();
  });

  it('names are others’ text: what no host name can have is left out', () => {
    expect(nameSaid([...Buffer.from('a\x1b[31mb<i>c.example')])).toBe('a31mbic');
    expect(nameSaid([...Buffer.from('x'.repeat(255))])).toHaveLength(63);
    expect(nameSaid([0, 0])).toBeNull();
  });

  it('whatever comes, it is read or passed over (fuzzed: 20,000 with seed 67)', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 400 }), fc.boolean(), (noise, shaped) => {
        const octets = shaped ? message([...noise]) : noise;
        const read = readAddressRequest(octets);
        if (read?.hostName) expect(read.hostName).toMatch(/^[\w-]{1,63}$/);
      }),
      { numRuns: 20_000, seed: 67 },
    );
  });
});
