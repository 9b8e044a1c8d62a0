import type { Knex } from 'knex';
import {
  spread,
  type CardState,
  type MeasuredRate,
  type ProposedCard,
  type Round,
  type RoundCard,
} from '@nest-mark/core';
import type { MediumIdentity } from '@nest-mark/station';
import { millis, millisOrNull } from './connect';

interface RoundRow {
  id: string;
  batch_id: string;
  number: number;
  station: string;
  state: Round['state'];
  started_at: Date;
  ended_at: Date | null;
}

interface CardRow {
  round_id: string;
  slot_id: string;
  device_id: string;
  identity: MediumIdentity;
  card_key: string | null;
  state: CardState;
  share: number;
  message: string;
  at: Date;
}

/** Whose verified card a medium is. */
export type VerifiedFor = NonNullable<ProposedCard['verifiedFor']>;

export interface ArmedCard {
  slotId: string;
  deviceId: string;
  identity: MediumIdentity;
  /** Reader's place and kind of card in words, by which rates are learnt. */
  slotTitle?: string;
  cardKind?: string;
  /** Its card record. */
  cardKey?: string | null;
}

/** How long one verified card took. */
export interface CardTimes {
  octets: number;
  writeSeconds: number;
  verifySeconds: number;
}

/** Cards from which rates are learnt: older ones tell of other readers and cards. */
const RATES_FROM = 200;

const toCard = (row: CardRow): RoundCard => ({
  slotId: row.slot_id,
  deviceId: row.device_id,
  serial: row.identity.serial,
  cardKey: row.card_key,
  state: row.state,
  share: row.share,
  rate: 0,
  secondsLeft: null,
  message: row.message,
  at: millis(row.at),
});

const toArmed = (row: CardRow): ArmedCard => ({
  slotId: row.slot_id,
  deviceId: row.device_id,
  identity: row.identity,
  cardKey: row.card_key,
});

function grouped<T>(items: readonly T[], key: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const group = groups.get(key(item));
    if (group) group.push(item);
    else groups.set(key(item), [item]);
  }
  return groups;
}

/** Rounds of cards. */
export class RoundRepository {
  constructor(private readonly knex: Knex) {}

  async create(
    id: string,
    batchId: string,
    station: string,
    cards: readonly ArmedCard[],
    db: Knex,
  ): Promise<void> {
    const [last] = await db<RoundRow>('round').where('batch_id', batchId).orderBy('number', 'desc').limit(1);
    await db('round').insert({
      id,
      batch_id: batchId,
      number: (last?.number ?? 0) + 1,
      station,
      state: 'queued',
    });
    await db('round_card').insert(
      cards.map((card) => ({
        round_id: id,
        slot_id: card.slotId,
        device_id: card.deviceId,
        identity: JSON.stringify(card.identity),
        slot_title: card.slotTitle ?? card.slotId,
        card_kind: card.cardKind ?? '',
        card_key: card.cardKey ?? null,
        state: 'queued',
      })),
    );
  }

  async find(id: string): Promise<Round | null> {
    const row = await this.knex<RoundRow>('round').where('id', id).first();
    return row ? this.withCards(row) : null;
  }

  /** All rounds of a batch, newest first. */
  async ofBatch(batchId: string): Promise<Round[]> {
    const rows = await this.knex<RoundRow>('round').where('batch_id', batchId).orderBy('number', 'desc');
    return Promise.all(rows.map((row) => this.withCards(row)));
  }

  /** Cards of a round as they were armed. */
  async armed(id: string): Promise<ArmedCard[]> {
    return (await this.knex<CardRow>('round_card').where('round_id', id).orderBy('slot_id')).map(toArmed);
  }

  /** Cards of a round that were not verified, and whose devices no later round took up. */
  async unfinished(round: Round): Promise<ArmedCard[]> {
    const later = this.knex('round_card')
      .join('round', 'round.id', 'round_card.round_id')
      .where('round.batch_id', round.batchId)
      .where('round.number', '>', round.number)
      .select('round_card.device_id');
    const rows = await this.knex<CardRow>('round_card')
      .where('round_id', round.id)
      .whereNot('state', 'verified')
      .whereNotIn('device_id', later)
      .orderBy('slot_id');
    return rows.map(toArmed);
  }

  /** Rounds that were not ended properly on this station. */
  async open(station: string): Promise<string[]> {
    const rows = await this.knex<RoundRow>('round')
      .where('station', station)
      .whereIn('state', ['queued', 'running'])
      .select('id');
    return rows.map((row) => row.id);
  }

  async setState(id: string, state: Round['state']): Promise<void> {
    const ended = state === 'queued' || state === 'running' ? null : this.knex.fn.now();
    await this.knex('round').where('id', id).update({ state, ended_at: ended });
  }

  /** Keeps other arming out until the transaction ends. */
  async lockSlots(db: Knex): Promise<void> {
    await db.raw(`select pg_advisory_xact_lock(hashtext('nest-mark slots'))`);
  }

  /** Cards that waiting and running rounds hold; one that has ended is free again while the others go on. */
  async inUse(
    db: Knex = this.knex,
  ): Promise<{ station: string; slotId: string; identity: MediumIdentity }[]> {
    const rows = await db<CardRow>('round_card')
      .join('round', 'round.id', 'round_card.round_id')
      .whereIn('round.state', ['queued', 'running'])
      .whereIn('round_card.state', ['queued', 'writing', 'verifying'])
      .select<{ station: string; slot_id: string; identity: MediumIdentity }[]>(
        'round.station',
        'round_card.slot_id',
        'round_card.identity',
      );
    return rows.map(({ station, slot_id, identity }) => ({ station, slotId: slot_id, identity }));
  }

  async setCard(
    roundId: string,
    slotId: string,
    change: { state?: CardState; share?: number; message?: string; fault?: string | null },
  ): Promise<void> {
    const at = change.state ? { at: this.knex.fn.now() } : {};
    await this.knex('round_card')
      .where({ round_id: roundId, slot_id: slotId })
      .update({ ...change, ...at });
  }

  /** Writes down how long a card took. */
  async setRates(roundId: string, slotId: string, took: CardTimes): Promise<void> {
    await this.knex('round_card')
      .where({ round_id: roundId, slot_id: slotId })
      .update({ octets: took.octets, write_seconds: took.writeSeconds, verify_seconds: took.verifySeconds });
  }

  /** What this bench has measured, by reader and kind of card, from its newest cards. */
  async measuredRates(): Promise<MeasuredRate[]> {
    const newest = this.knex('round_card')
      .whereNotNull('octets')
      .where('write_seconds', '>', 0)
      .where('verify_seconds', '>', 0)
      .orderBy('at', 'desc')
      .limit(RATES_FROM);
    const rows = await this.knex.from(newest.as('card')).select<
      {
        slot_title: string;
        card_kind: string;
        octets: string;
        write_seconds: number;
        verify_seconds: number;
      }[]
    >('slot_title', 'card_kind', 'octets', 'write_seconds', 'verify_seconds');
    const groups = grouped(rows, (row) => `${row.slot_title}\n${row.card_kind}`);
    return [...groups.entries()]
      .sort(([a], [b]) => a.localeCompare(b))
      .flatMap(([, cards]): MeasuredRate[] => {
        const [first] = cards;
        return first
          ? [
              {
                reader: first.slot_title,
                cardKind: first.card_kind,
                count: cards.length,
                write: spread(cards.map((card) => Number(card.octets) / card.write_seconds)),
                verify: spread(cards.map((card) => Number(card.octets) / card.verify_seconds)),
              },
            ]
          : [];
      });
  }

  /** The newest write of each device of a batch. */
  async latestCards(batchId: string): Promise<Map<string, RoundCard>> {
    const rows = await this.knex<CardRow>('round_card')
      .join('round', 'round.id', 'round_card.round_id')
      .where('round.batch_id', batchId)
      .orderBy(['round_card.device_id', { column: 'round.number', order: 'desc' }])
      .select<CardRow[]>(this.knex.raw('distinct on (round_card.device_id) round_card.*'));
    return new Map(rows.map((row) => [row.device_id, toCard(row)]));
  }

  /** For card records: the device whose verified card each of them is, going by its newest write. */
  async verifiedFor(keys: readonly string[]): Promise<Map<string, VerifiedFor>> {
    const { rows }: { rows: (VerifiedFor & { key: string; state: CardState })[] } = await this.knex.raw(
      `select distinct on (card.card_key) card.card_key as key, card.state, device.id as "deviceId",
         device.host_name as "hostName", device.mark, device.nest, batch.plan->>'name' as "batchName"
       from round_card card
       join round on round.id = card.round_id
       join device on device.id = card.device_id
       join batch on batch.id = round.batch_id
       where card.card_key = any(?)
       order by card.card_key, card.at desc`,
      [[...keys]],
    );
    const verified = rows.filter(({ state }) => state === 'verified');
    return new Map(verified.map(({ key, state: _state, ...device }) => [key, device]));
  }

  private async withCards(row: RoundRow): Promise<Round> {
    const cards = await this.knex<CardRow>('round_card').where('round_id', row.id).orderBy('slot_id');
    return {
      id: row.id,
      batchId: row.batch_id,
      number: row.number,
      state: row.state,
      // Overlaid from the work under way; a stopped program holds nothing.
      paused: false,
      startedAt: millis(row.started_at),
      endedAt: millisOrNull(row.ended_at),
      cards: cards.map(toCard),
    };
  }
}
