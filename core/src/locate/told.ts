import { isCountedUp } from '../net/renamed';
import type { Host } from './hosts';
import type { Sighting } from './match';

/** A device that signed with its key, and what else is known. */
export interface ProvedDevice {
  hostName: string;
  address: string;
  hardwareAddress: string | null;
  /** Everything that signed with its key, newest first. */
  proofs: readonly Sighting[];
}

const known = (text: string | null): text is string => text !== null;

/**
 * What is remarkable about a device that is proved: a sentence each for a board that moved, a card that lies in another
 * board than before, and a name that was taken.
 * @param nameOfHardware host name of another device whose board an address was proved to be
 * @param hosts all hosts that were heard of
 */
export function tellProved(
  { hostName, address, hardwareAddress, proofs }: ProvedDevice,
  nameOfHardware: (hardwareAddress: string) => string | undefined,
  hosts: readonly Host[],
): string[] {
  const told: string[] = [];
  const before = proofs.find((one) => one.address !== address && one.searchId !== proofs[0]?.searchId);
  if (before) told.push(`It moved: it signed at ${before.address} before.`);
  const earlier = proofs
    .map((one) => one.hardwareAddress)
    .filter(known)
    .find((one) => one !== hardwareAddress);
  if (known(hardwareAddress)) {
    const other = nameOfHardware(hardwareAddress);
    if (other !== undefined)
      told.push(`Its card is in the board that was ${other} before. The card decides who it is.`);
    else if (earlier !== undefined)
      told.push(`Its card is in another board than before; that one had the hardware address ${earlier}.`);
  }
  const host = hosts.find(({ addresses }) => addresses.includes(address));
  const said = host?.names.find(({ name, source }) => source === 'multicast' && isCountedUp(hostName, name));
  if (said) {
    const holder = hosts.find(
      (one) => one !== host && one.names.some(({ name }) => name.toLowerCase() === hostName.toLowerCase()),
    );
    const whose = holder
      ? `the host at ${holder.addresses[0] ?? holder.hardwareAddress ?? 'an unknown place'}`
      : 'another host';
    told.push(
      `It calls itself ${said.name}.local, because ${whose} has the name ${hostName} already. Switch that one off or give it another name, then start this board again.`,
    );
  }
  return told;
}
