import type { Knex } from 'knex';
import type { CardProof, CardRecord, CardWriting, ProposedCard, SaveCard } from '@nest-mark/core';
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

/** Whose verified card a medium is. */
export type VerifiedFor = NonNullable<ProposedCard['verifiedFor']>;

/** A card that is some device's, and by which writing. */
export interface HeldFor extends VerifiedFor {
  roundId: string;
  /** Whether it carries its device's mark. */
  marked: boolean;
}

/** What can happen to a card. */
export type CardEvent =
  'touched' | 'verified' | 'failed' | 'cancelled' | 'unfinished' | 'proof-begun' | 'proved' | 'changed';

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

  /** Notes how far a proof is, unless it has ended. */
  async setProofShare(key: string, proof: CardProof): Promise<void> {
    await this.knex('card')
      .where({ key })
      .whereRaw(`proof->>'state' = 'running'`)
      .update({ proof: JSON.stringify(proof) });
  }

  /** Begins a proof: from here on the card is nobody's. */
  async beginProof(key: string, proof: CardProof, station: string, db: Knex): Promise<void> {
    await this.setProof(key, proof, db);
    await db('card').where({ key }).update({ station });
    await this.happened(key, 'proof-begun', null, null, db);
  }

  /** Writes a proof's result down, once. @returns false when it is on record already */
  async endProof(key: string, proof: CardProof, content: string, db: Knex): Promise<boolean> {
    const count = await db('card')
      .where({ key })
      .whereRaw(`proof->>'state' = 'running'`)
      .update({ proof: JSON.stringify(proof), station: null });
    if (count === 0) return false;
    await this.happened(key, 'proved', null, content, db);
    return true;
  }

  /**
   * Notes the newest thing that happened to a card, and with it whose card it is now.
   * @param whose the device whose verified card it became, and by which round; null for nobody's
   * @param content digest of its first and last MiB as it was left; null where that is not known
   */
  async happened(
    key: string,
    event: CardEvent,
    whose: { deviceId: string; roundId: string } | null,
    content: string | null,
    db: Knex = this.knex,
  ): Promise<void> {
    await db('card')
      .where({ key })
      .update({
        event,
        event_at: db.fn.now(),
        device_id: whose?.deviceId ?? null,
        round_id: whose?.roundId ?? null,
        content: content === '' ? null : content,
      });
  }

  /** Notes that a card's contents were mended; whose it is stays. */
  async setContent(key: string, content: string): Promise<void> {
    await this.knex('card').where({ key }).update({ content });
  }

  /** Cards that were proved or emptied here and have just the contents that they were left with. */
  async keysByContent(content: string, size: number): Promise<string[]> {
    const rows = await this.knex<CardRow>('card')
      .where({ content, size: String(size), event: 'proved' } as never)
      .select('key');
    return rows.map(({ key }) => key);
  }

  /** For card records: the device whose verified card each of them is, going by what happened to it last. */
  async heldFor(keys: readonly string[]): Promise<Map<string, HeldFor>> {
    const rows = await this.knex('card')
      .join('device', 'device.id', 'card.device_id')
      .join('batch', 'batch.id', 'device.batch_id')
      .leftJoin('round_card', (join) => {
        join.on('round_card.round_id', 'card.round_id').andOn('round_card.card_key', 'card.key');
      })
      .whereIn('card.key', [...keys])
      .select<(HeldFor & { key: string })[]>(
        'card.key',
        'card.round_id as roundId',
        'device.id as deviceId',
        'device.host_name as hostName',
        'device.mark',
        'device.nest',
        this.knex.raw(`batch.plan->>'name' as "batchName"`),
        this.knex.raw('coalesce(round_card.marked, true) as marked'),
      );
    return new Map(rows.map(({ key, ...held }) => [key, held]));
  }

  /** Marks proofs that a killed server of this station left running. */
  async interruptProofs(station: string): Promise<void> {
    await this.knex('card')
      .whereRaw(`proof->>'state' = 'running'`)
      .where((own) => {
        void own.where({ station }).orWhereNull('station');
      })
      .update({
        proof: this.knex.raw(
          `proof || '{"state":"interrupted","text":"The program stopped while this card was being proved. Prove it again."}'`,
        ),
      });
  }
}
