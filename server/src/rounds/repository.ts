import type { Knex } from 'knex';
import {
  spread,
  type CardState,
  type FirstBootMethodId,
  type MeasuredRate,
  type PassportCard,
  type Round,
  type RoundCard,
} from '@nest-mark/core';
import type { MediumIdentity } from '@nest-mark/station';
import { millis, millisOrNull } from '../platform/database/connect';
import type { ItemEnd, RunState } from '../platform/runs/model';

interface RoundRow {
  id: string;
  batch_id: string;
  number: number;
  station: string;
  state: RunState;
  begun_by: string;
  queued_at: Date;
  ended_at: Date | null;
}

interface CardRow {
  round_id: string;
  slot_id: string;
  device_id: string;
  identity: MediumIdentity;
  card_key: string | null;
  state: CardState;
  message: string;
  at: Date;
  image_id: string | null;
  image_sha256: string | null;
  method: FirstBootMethodId | null;
  host_name: string;
  overrule: string | null;
  marked: boolean;
  past_cache: boolean | null;
}

/** What is told of a written card beside what was armed. */
interface CardOnRecord {
  number: number;
  model: string | null;
  size: string | null;
  image_title: string | null;
  carries: boolean;
}

export interface ArmedCard {
  slotId: string;
  deviceId: string;
  identity: MediumIdentity;
  /** Reader's place and kind of card in words, by which rates are learnt. */
  slotTitle: string;
  cardKind: string;
  /** Its card record. */
  cardKey: string;
  /** What was confirmed: the image by its digest, the method, and the device's name at that time. */
  imageId: string;
  imageSha256: string;
  method: FirstBootMethodId;
  hostName: string;
  /** What was typed to have a medium written that does not look like a card; null where that was not asked. */
  overrule: string | null;
  /** Whether the card will carry its device's mark. */
  marked: boolean;
}

/** How a card ended, as it is kept. */
export interface CardEnd extends ItemEnd {
  fault: string | null;
  pastCache: boolean | null;
  took: CardTimes | null;
}

/** How long one verified card took. */
interface CardTimes {
  octets: number;
  writeSeconds: number;
  verifySeconds: number;
}

/** Cards from which rates are learnt: older ones tell of other readers and cards. */
const RATES_FROM = 200;

/** Cards of a device that are told; older ones are in the log. */
const CARDS_TOLD = 50;

/** Rounds of a batch that are told; older ones are in the log. */
const ROUNDS_TOLD = 30;

const toCard = (row: CardRow): RoundCard => ({
  slotId: row.slot_id,
  deviceId: row.device_id,
  serial: row.identity.serial,
  cardKey: row.card_key,
  state: row.state,
  share: row.state === 'verified' ? 1 : 0,
  rate: 0,
  secondsLeft: null,
  message: row.message,
  at: millis(row.at),
  pastCache: row.past_cache,
});

const toArmed = (row: CardRow & { slot_title: string; card_kind: string }): ArmedCard => ({
  slotId: row.slot_id,
  slotTitle: row.slot_title,
  cardKind: row.card_kind,
  deviceId: row.device_id,
  identity: { ...row.identity, content: (row.identity as Partial<MediumIdentity>).content ?? '' },
  cardKey: row.card_key ?? '',
  imageId: row.image_id ?? '',
  imageSha256: row.image_sha256 ?? '',
  method: row.method ?? 'none',
  hostName: row.host_name,
  overrule: row.overrule,
  marked: row.marked,
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

  /** Keeps what is particular to a round, beside the run that was made for it. */
  async create(id: string, batchId: string, cards: readonly ArmedCard[], db: Knex): Promise<void> {
    const [last] = await db<RoundRow>('round').where('batch_id', batchId).orderBy('number', 'desc').limit(1);
    await db('round').insert({ id, batch_id: batchId, number: (last?.number ?? 0) + 1 });
    await db('round_card').insert(
      cards.map((card) => ({
        round_id: id,
        slot_id: card.slotId,
        slot_title: card.slotTitle,
        card_kind: card.cardKind,
        card_key: card.cardKey,
        image_id: card.imageId,
        image_sha256: card.imageSha256,
        method: card.method,
        host_name: card.hostName,
        overrule: card.overrule,
        marked: card.marked,
      })),
    );
  }

  async find(id: string): Promise<Round | null> {
    const row = await this.knex<RoundRow>('round_run').where('id', id).first();
    return row ? this.withCards(row) : null;
  }

  /**
   * Rounds of a batch, newest first: those that are under way, and the newest of the others. Two questions, however
   * long its history is.
   */
  async ofBatch(batchId: string): Promise<Round[]> {
    const rows = await this.knex<RoundRow>('round_run')
      .where('batch_id', batchId)
      .orderByRaw(`(state in ('queued', 'running', 'held')) desc, number desc`)
      .limit(ROUNDS_TOLD);
    const cards = await this.knex<CardRow>('written_card')
      .whereIn(
        'round_id',
        rows.map(({ id }) => id),
      )
      .orderBy('slot_id');
    const byRound = grouped(cards, (card) => card.round_id);
    return rows.sort((a, b) => b.number - a.number).map((row) => toRound(row, byRound.get(row.id) ?? []));
  }

  /** Cards of a round as they were armed. */
  async armed(id: string): Promise<ArmedCard[]> {
    const rows = await this.knex('written_card')
      .where('round_id', id)
      .orderBy('slot_id')
      .select<Parameters<typeof toArmed>[0][]>('*');
    return rows.map(toArmed);
  }

  /** Cards that were written for a device, newest first, with what is known of each by its record. */
  async cardsOf(deviceId: string): Promise<PassportCard[]> {
    const rows = await this.knex('written_card as written')
      .join('round', 'round.id', 'written.round_id')
      .leftJoin('card', 'card.key', 'written.card_key')
      .leftJoin('image', 'image.id', 'written.image_id')
      .where('written.device_id', deviceId)
      .orderBy('written.at', 'desc')
      .limit(CARDS_TOLD)
      .select<(CardRow & CardOnRecord)[]>(
        'written.*',
        'round.number',
        'card.model',
        'card.size',
        'image.title as image_title',
        this.knex.raw(
          `coalesce(card.device_id = written.device_id and card.round_id = written.round_id, false) as carries`,
        ),
      );
    return rows.map((row) => ({
      key: row.card_key,
      model: row.model ?? '',
      size: row.size === null ? null : Number(row.size),
      round: row.number,
      state: row.state,
      at: millis(row.at),
      message: row.message,
      imageTitle: row.image_title ?? 'an image that was taken off the shelf',
      imageSha256: row.image_sha256,
      method: row.method,
      hostName: row.host_name,
      carries: row.carries,
    }));
  }

  /** The station whose round it is; null when there is no such round. */
  async stationOf(id: string): Promise<string | null> {
    return (await this.knex<RoundRow>('round_run').where({ id }).first('station'))?.station ?? null;
  }

  /** Whether a round that is waiting or running was armed with an image. */
  async imageInUse(imageId: string, db: Knex): Promise<boolean> {
    const row: unknown = await db('written_card')
      .where('image_id', imageId)
      .whereIn('state', ['queued', 'writing', 'verifying'])
      .first('round_id');
    return row !== undefined;
  }

  /** Cards of a round that were not verified, and whose devices no later round took up. */
  async unfinished(round: Round): Promise<Pick<ArmedCard, 'slotId' | 'deviceId' | 'identity'>[]> {
    const later = this.knex('written_card')
      .join('round', 'round.id', 'written_card.round_id')
      .where('round.batch_id', round.batchId)
      .where('round.number', '>', round.number)
      .select('written_card.device_id');
    const rows = await this.knex<CardRow>('written_card')
      .where('round_id', round.id)
      .whereNot('state', 'verified')
      .whereNotIn('device_id', later)
      .orderBy('slot_id');
    return rows.map((row) => ({ slotId: row.slot_id, deviceId: row.device_id, identity: row.identity }));
  }

  /** Writes down what a card is about to get. */
  async setWritten(roundId: string, slotId: string, sha256: string, db: Knex): Promise<void> {
    await db('round_card').where({ round_id: roundId, slot_id: slotId }).update({ written_sha256: sha256 });
  }

  /** Keeps what is particular to how a card ended, beside the end of its item. */
  async keepEnd(
    roundId: string,
    slotId: string,
    { fault, pastCache, took }: CardEnd,
    db: Knex,
  ): Promise<void> {
    await db('round_card')
      .where({ round_id: roundId, slot_id: slotId })
      .update({
        fault,
        past_cache: pastCache,
        ...(took && {
          octets: took.octets,
          write_seconds: took.writeSeconds,
          verify_seconds: took.verifySeconds,
        }),
      });
  }

  /** What this bench has measured, by reader and kind of card, from its newest cards. */
  async measuredRates(): Promise<MeasuredRate[]> {
    const newest = this.knex('written_card')
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

  /**
   * What each device of a batch has: its newest write, or the newest one whose card still holds it. A verified card
   * that was used for something else since is told as lost, since that moment.
   */
  async latestCards(batchId: string): Promise<Map<string, RoundCard>> {
    const rows = await this.knex('written_card')
      .join('round', 'round.id', 'written_card.round_id')
      .leftJoin('card', 'card.key', 'written_card.card_key')
      .where('round.batch_id', batchId)
      .orderBy(['written_card.device_id', { column: 'round.number', order: 'desc' }])
      .select<(CardRow & { holds: boolean; event_at: Date | null })[]>(
        'written_card.*',
        'card.event_at',
        this.knex.raw(
          'coalesce(card.round_id = written_card.round_id and card.device_id = written_card.device_id, false) as holds',
        ),
      );
    const latest = new Map<string, RoundCard>();
    for (const [deviceId, writes] of grouped(rows, (row) => row.device_id)) {
      const [newest] = writes;
      if (!newest) continue;
      const held = writes.find(({ state, holds }) => state === 'verified' && holds);
      if (newest.state !== 'verified' || newest.holds) latest.set(deviceId, toCard(newest));
      else if (held) latest.set(deviceId, toCard(held));
      else
        latest.set(deviceId, {
          ...toCard(newest),
          state: 'lost',
          share: 0,
          message: 'Its card was used for something else since. Write another one.',
          at: Math.max(millis(newest.at), newest.event_at ? millis(newest.event_at) : 0),
        });
    }
    return latest;
  }

  private async withCards(row: RoundRow): Promise<Round> {
    return toRound(
      row,
      await this.knex<CardRow>('written_card').where('round_id', row.id).orderBy('slot_id'),
    );
  }
}

/** A round that is held is one that runs, as people see it; one in which all cards failed is done. */
const toState = (state: RunState): Round['state'] =>
  state === 'held' ? 'running' : state === 'failed' ? 'done' : state;

const toRound = (row: RoundRow, cards: readonly CardRow[]): Round => ({
  id: row.id,
  batchId: row.batch_id,
  number: row.number,
  state: toState(row.state),
  paused: row.state === 'held',
  station: row.station,
  begunBy: row.begun_by,
  startedAt: millis(row.queued_at),
  endedAt: millisOrNull(row.ended_at),
  cards: cards.map(toCard),
});
