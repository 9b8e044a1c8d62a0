import { networkInterfaces } from 'node:os';
import type { Surroundings } from '@nest-mark/core';

/** This machine's own IPv4 addresses, as its system lists them; nothing is asked on any network. */
export const ownAddresses = (): Surroundings['workstation'] =>
  Object.values(networkInterfaces()).flatMap((list) =>
    (list ?? []).flatMap(({ family, address, cidr }) =>
      family === 'IPv4' && cidr !== null ? [{ address, prefix: Number(cidr.split('/')[1]) }] : [],
    ),
  );
