import { AddressError, numberAddresses } from '../src/plan/number-addresses';
import { addressFault } from '../src/net/subnet';
import { soundPlan } from './helpers/plan';

const all = (count: number): ReadonlySet<string> => new Set(soundPlan(count).devices.map(({ id }) => id));

describe('fixed wired addresses', () => {
  it('go up in the order of the nests, also over the end of an octet', () => {
    const plan = soundPlan(3);
    plan.devices.reverse();
    const numbered = numberAddresses(plan, all(3), '10.0.0.255/16');
    expect(numbered.devices.map(({ nest, overrides }) => `${nest} ${overrides.wiredAddress ?? ''}`)).toEqual([
      'A3 10.0.1.1/16',
      'A2 10.0.1.0/16',
      'A1 10.0.0.255/16',
    ]);
    expect(
      numberAddresses(numbered, all(3), '').devices.every(({ overrides }) => !('wiredAddress' in overrides)),
    ).toBe(true);
  });

  it('say when the subnet ends too early, or the first one is none', () => {
    expect(() => numberAddresses(soundPlan(3), all(3), '192.168.40.253/24')).toThrow(AddressError);
    expect(() => numberAddresses(soundPlan(2), all(2), '192.168.40.253/24')).not.toThrow();
    for (const text of ['192.168.40.21', '192.168.40.0/24', '192.168.40.255/24', '010.0.0.1/8', '1.2.3.4/33'])
      expect(() => numberAddresses(soundPlan(1), all(1), text)).toThrow(AddressError);
    expect(addressFault('192.168.40.21/24', '192.168.41.1')).toContain('another subnet');
    // RFC 3021: both addresses of a /31 are usable.
    expect(addressFault('192.168.40.20/31')).toBeNull();
  });
});
