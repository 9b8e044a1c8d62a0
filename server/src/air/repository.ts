import { randomUUID } from 'node:crypto';
import { TriedKeySchema, type TriedKey } from '@nest-mark/core/api';
import type { Knex } from 'knex';

interface Row {
  network_id: string;
  verdict: string;
  message: string;
  signal: number | null;
  seconds: number;
  adapter: string;
  station: string;
  at: Date;
  current: boolean;
}

const toTried = ({ network_id: networkId, at, signal, seconds, ...row }: Row): TriedKey =>
  TriedKeySchema.parse({
    ...row,
    networkId,
    at: at.getTime(),
    signal: signal === null ? null : Math.round(signal),
    seconds: Math.round(seconds * 10) / 10,
  });

/** Trials of keys; one counts while its network has not been saved since. */
export class TrialRepository {
  constructor(private readonly knex: Knex) {}

  /** The last trial of each network. */
  async latest(): Promise<TriedKey[]> {
    const rows = await this.knex('network_trial as trial')
      .join('network', 'network.id', 'trial.network_id')
      .distinctOn('trial.network_id')
      .orderBy('trial.network_id')
      .orderBy('trial.at', 'desc')
      .orderBy('trial.id')
      .select<Row[]>('trial.*', this.knex.raw('trial.network_version = network.version as current'));
    return rows.map(toTried);
  }

  async add(
    {
      networkId,
      networkVersion,
      ...trial
    }: Pick<TriedKey, 'networkId' | 'verdict' | 'message' | 'signal' | 'seconds' | 'adapter' | 'station'> & {
      networkVersion: number;
    },
    db: Knex,
  ): Promise<void> {
    await db('network_trial').insert({
      ...trial,
      id: randomUUID(),
      network_id: networkId,
      network_version: networkVersion,
    });
  }
}
