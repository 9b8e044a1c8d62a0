import type { Knex } from 'knex';
import type { CapacityCheck, CardRecord, CardWriting, ProposedCard, SaveCard } from '@nest-mark/core';
import { millis } from '../platform/database/connect';

interface CardRow {
  key: string;
  model: string;
  size: string;
  note: string;
  retired: boolean;
  first_seen: Date;
  capacity: CapacityCheck | null;
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
  | 'touched'
  | 'verified'
  | 'failed'
  | 'cancelled'
  | 'unfinished'
  | 'check-begun'
  | 'checked'
  | 'changed';

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
    // Asked before the cards: a check that ends in between is told as running, never as what was found before it.
    const running = await this.running();
    const query = this.knex<CardRow>('card').orderBy('first_seen', 'desc');
    const cards = await (keys ? query.whereIn('key', [...keys]) : query);
    const rows = await this.knex<WritingRow>('written_card')
      .leftJoin('round', 'round.id', 'written_card.round_id')
      .leftJoin('batch', 'batch.id', 'round.batch_id')
      .leftJoin('device', 'device.id', 'written_card.device_id')
      .whereIn(
        'card_key',
        cards.map(({ key }) => key),
      )
      .orderBy('written_card.at', 'desc')
      .select<WritingRow[]>(
        'written_card.card_key',
        'written_card.at',
        'written_card.state',
        'written_card.fault',
        'written_card.octets',
        'written_card.write_seconds',
        'written_card.verify_seconds',
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
      capacity: running.get(row.key) ?? row.capacity,
    }));
  }

  /** Capacity checks that are under way, by card; how far they are. */
  private async running(): Promise<Map<string, CapacityCheck>> {
    const rows = await this.knex('run_item')
      .where('kind', 'capacity-check')
      .whereIn('state', ['queued', 'running'])
      .select<{ subject: string; step: string; cursor: string; total: string; at: Date }[]>(
        'subject',
        'step',
        'cursor',
        'total',
        'at',
      );
    return new Map(
      rows.map(({ subject, step, cursor, total, at }) => [
        subject,
        {
          state: 'running',
          at: millis(at),
          text: step === 'restoring' ? 'Its full size is being restored.' : 'Its capacity is being checked.',
          realSize: null,
          share: Number(total) > 0 ? Number(cursor) / Number(total) : 0,
        },
      ]),
    );
  }

  /** The record of the card that took a writing, found by what that writing left on it. */
  async keyOfWriting(roundId: string, deviceId: string): Promise<string | null> {
    const row = await this.knex('written_card')
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

  /** Keeps what a capacity check found, with the time by the database's clock. */
  async setCapacity(key: string, found: Omit<CapacityCheck, 'at' | 'share'>, db: Knex): Promise<void> {
    await db('card')
      .where({ key })
      .update({
        capacity: db.raw(
          `?::jsonb || jsonb_build_object('share', 1, 'at', floor(extract(epoch from clock_timestamp()) * 1000))`,
          [JSON.stringify(found)],
        ),
      });
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

  /** Cards that were checked or emptied here and have just the contents that they were left with. */
  async keysByContent(content: string, size: number): Promise<string[]> {
    const rows = await this.knex<CardRow>('card')
      .where({ content, size: String(size), event: 'checked' } as never)
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
}
