import type { Knex } from 'knex';
import type { CardProof, CardRecord, CardWriting, SaveCard } from '@nest-mark/core';
import { millis } from './connect';

interface CardRow {
  key: string;
  model: string;
  size: string;
  note: string;
  retired: boolean;
  first_seen: Date;
  proof: CardProof | null;
}

interface WritingRow {
  card_key: string;
  at: Date;
  state: string;
  fault: string | null;
  batch_name: string | null;
  host_name: string | null;
  mark: string | null;
  nest: string | null;
  octets: string | null;
  write_seconds: number | null;
  verify_seconds: number | null;
}

/** Writings of a card that are told; what is older is in the log. */
const TOLD = 30;

const rate = (octets: string | null, seconds: number | null): number | null =>
  octets !== null && seconds !== null && seconds > 0 ? Number(octets) / seconds : null;

const toWriting = (row: WritingRow): CardWriting => ({
  at: millis(row.at),
  state: row.state,
  fault: row.fault,
  batchName: row.batch_name ?? 'a removed batch',
  hostName: row.host_name ?? 'a removed device',
  mark: row.mark ?? '',
  nest: row.nest ?? '',
  writeRate: rate(row.octets, row.write_seconds),
  verifyRate: rate(row.octets, row.verify_seconds),
});

/** Records of single cards. */
export class CardRepository {
  constructor(private readonly knex: Knex) {}

  /** Cards that were ever used here, the newest first, or those named. */
  async list(keys?: readonly string[]): Promise<CardRecord[]> {
    const query = this.knex<CardRow>('card').orderBy('first_seen', 'desc');
    const cards = await (keys ? query.whereIn('key', [...keys]) : query);
    const rows = await this.knex<WritingRow>('round_card')
      .leftJoin('round', 'round.id', 'round_card.round_id')
      .leftJoin('batch', 'batch.id', 'round.batch_id')
      .leftJoin('device', 'device.id', 'round_card.device_id')
      .whereIn(
        'card_key',
        cards.map(({ key }) => key),
      )
      .orderBy('round_card.at', 'desc')
      .select<WritingRow[]>(
        'round_card.card_key',
        'round_card.at',
        'round_card.state',
        'round_card.fault',
        'round_card.octets',
        'round_card.write_seconds',
        'round_card.verify_seconds',
        this.knex.raw(`batch.plan->>'name' as batch_name`),
        'device.host_name',
        'device.mark',
        'device.nest',
      );
    const byCard = new Map<string, CardWriting[]>();
    for (const row of rows) {
      const known = byCard.get(row.card_key) ?? [];
      if (known.length < TOLD) known.push(toWriting(row));
      byCard.set(row.card_key, known);
    }
    return cards.map((row) => ({
      key: row.key,
      model: row.model,
      size: Number(row.size),
      note: row.note,
      retired: row.retired,
      firstSeen: millis(row.first_seen),
      writings: byCard.get(row.key) ?? [],
      proof: row.proof,
    }));
  }

  /** The record of the card that took a writing, found by what that writing left on it. */
  async keyOfWriting(roundId: string, deviceId: string): Promise<string | null> {
    const row = await this.knex('round_card')
      .where({ round_id: roundId, device_id: deviceId })
      .first<{ card_key: string | null } | undefined>('card_key');
    return row?.card_key ?? null;
  }

  /** Makes a record, or brings what the reader says of the card up to date. */
  async seen(key: string, model: string, size: number, db: Knex = this.knex): Promise<void> {
    await db('card').insert({ key, model, size }).onConflict('key').merge(['model', 'size']);
  }

  /** @returns whether there is such a card */
  async save(key: string, { note, retired }: SaveCard): Promise<boolean> {
    return (await this.knex('card').where({ key }).update({ note, retired })) > 0;
  }

  async setProof(key: string, proof: CardProof, db: Knex = this.knex): Promise<void> {
    await db('card')
      .where({ key })
      .update({ proof: JSON.stringify(proof) });
  }

  /** Marks proofs that a killed server left running. */
  async interruptProofs(): Promise<void> {
    await this.knex('card')
      .whereRaw(`proof->>'state' = 'running'`)
      .update({
        proof: this.knex.raw(
          `proof || '{"state":"interrupted","text":"The program stopped while this card was being proved. Prove it again."}'`,
        ),
      });
  }
}
