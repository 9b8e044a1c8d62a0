import type { NetManager, NewNetwork } from './commands';
import { managers } from './managers';

/**
 * Lines of shell, as root, that take every saved network of a name off a board; they print `gone N`. It cannot be undone
 * from there, so the board itself has to say that it is on the new one; whatever else it has saved stays. How they end
 * where nothing was taken off: `TAKE_OFF_REFUSED`.
 * @param oldHex octets of the old network's name, in hexadecimal digits
 */
export const takeOffNetwork = (manager: NetManager, network: NewNetwork, oldHex: string): string =>
  `${managers[manager].takeOff(network, oldHex)}
echo "gone $gone"`;

/** How many networks were taken off, from what the lines printed; null where they did not come to their end. */
export function readTakenOff(text: string): number | null {
  const [, count] = /^gone (\d{1,4})$/m.exec(text) ?? [];
  return count === undefined ? null : Number(count);
}
