import { inSubnet } from '@nest-mark/core';
import { isHostAddress } from '@nest-mark/core/find';
import type { NeighbourTable } from '../ports';
import type { ClueListener } from './ports';

/** Milliseconds between two looks at the table. */
const EVERY = 2000;

/** This computer's own table of neighbours, looked at again and again; it tells what others were asked for. */
export const followNeighbours = (table: NeighbourTable): ClueListener => ({
  source: 'neighbours',
  async listen({ places }, onClue) {
    const told = new Map<string, string>();
    const look = async (): Promise<void> => {
      for (const [address, hardwareAddress] of await table.read()) {
        const here =
          places.some(({ subnet }) => isHostAddress(address) && inSubnet(address, subnet)) ||
          places.some(({ name }) => address.endsWith(`%${name}`));
        if (!here || told.get(address) === hardwareAddress) continue;
        told.set(address, hardwareAddress);
        onClue({
          source: 'neighbours',
          at: Date.now(),
          address,
          hardwareAddress,
          name: null,
          mark: null,
          kind: 'here',
        });
      }
    };
    let looking: Promise<void> = look().catch(() => undefined);
    await looking;
    const timer = setInterval(() => {
      looking = look().catch(() => undefined);
    }, EVERY);
    return async () => {
      clearInterval(timer);
      await looking;
    };
  },
});
