import { randomUUID } from 'node:crypto';
import type { TriedKey } from '@nest-mark/core';
import type { Knex } from 'knex';

/** A trial as it is written down, with the version of the network that was tried. */
export interface Trial extends Omit<TriedKey, 'at' | 'current'> {
  networkId: string;
  networkVersion: number;
}

/** Trials of keys; the shelf shows the last one of each network. */
export class TrialRepository {
  async add({ networkId, networkVersion, ...trial }: Trial, db: Knex): Promise<void> {
    await db('network_trial').insert({
      ...trial,
      id: randomUUID(),
      network_id: networkId,
      network_version: networkVersion,
    });
  }
}
