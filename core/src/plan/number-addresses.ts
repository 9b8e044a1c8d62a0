import { addressFault, addressNumber, addressOf } from '../net/subnet';
import type { Device, Plan } from './model';
import { compareNests } from './nests';

/** A first address from which devices cannot be numbered, with a sentence that says what to do. */
export class AddressError extends Error {
  override readonly name = 'AddressError';
}

/**
 * Gives devices fixed wired addresses in the order of their nests, one after the other.
 * @param first the first one in CIDR form, as 192.168.40.21/24; empty takes the addresses away
 * @throws AddressError when it is none, or the subnet ends before the devices do
 */
export function numberAddresses(plan: Plan, ids: ReadonlySet<string>, first: string): Plan {
  const chosen = plan.devices.filter(({ id }) => ids.has(id)).sort((a, b) => compareNests(a.nest, b.nest));
  const given = new Map<string, string>();
  if (first.trim() !== '') {
    const fault = addressFault(first);
    if (fault !== null) throw new AddressError(`${fault} Write the first address as 192.168.40.21/24.`);
    const [address = '', prefix = ''] = first.trim().split('/');
    const start = addressNumber(address);
    for (const [at, { id }] of chosen.entries()) {
      const text = addressOf(start + at);
      if (addressFault(first, text) !== null || addressFault(`${text}/${prefix}`) !== null)
        throw new AddressError(
          `The subnet ends before the ${String(chosen.length)} devices do. Begin lower, or take a wider subnet.`,
        );
      given.set(id, `${text}/${prefix}`);
    }
  }
  const withAddress = (device: Device): Device => {
    if (!ids.has(device.id)) return device;
    const { wiredAddress: _old, ...overrides } = device.overrides;
    const wiredAddress = given.get(device.id);
    return { ...device, overrides: wiredAddress === undefined ? overrides : { ...overrides, wiredAddress } };
  };
  return { ...plan, devices: plan.devices.map(withAddress) };
}
