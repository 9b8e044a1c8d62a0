import type { Knex } from 'knex';
import {
  TripCheckIdSchema,
  FieldPlanSchema,
  type TripCheckId,
  type FieldPlan,
  type Purpose,
  type Rehearsal,
  type Visit,
} from '@nest-mark/core/api';
import { millis } from '../platform/database/connect';

interface TryRow {
  id: string;
  batch_id: string;
  purpose: Purpose;
  network_id: string;
  network_version: number;
  network: string;
  begun_at: Date;
  begun_by: string;
  ended_at: Date | null;
  passed: boolean | null;
  verdict: string;
}

interface TryBoardRow {
  rehearsal_id: string;
  device_id: string;
  host_name: string;
  place: number;
  address: string | null;
  proved_at: Date | null;
}

interface VisitRow {
  id: string;
  device_id: string;
  at: Date;
  who: string;
  note: string;
  volts: number | null;
}

/** A try that is to begin. */
export interface NewTry {
  id: string;
  batchId: string;
  purpose: Purpose;
  network: { id: string; version: number; title: string };
  begunBy: string;
  boards: readonly { deviceId: string; hostName: string }[];
}

/** Rehearsals and visits that are shown; older ones stay in the database. */
const MOST_TRIES = 50;
const MOST_VISITS = 2000;

const toTry = (row: TryRow, boards: readonly TryBoardRow[]): Rehearsal => ({
  id: row.id,
  purpose: row.purpose,
  network: row.network,
  networkId: row.network_id,
  networkVersion: row.network_version,
  begunAt: millis(row.begun_at),
  begunBy: row.begun_by,
  endedAt: row.ended_at === null ? null : millis(row.ended_at),
  passed: row.passed,
  verdict: row.verdict,
  boards: boards.map((board) => ({
    deviceId: board.device_id,
    hostName: board.host_name,
    address: board.address,
    provedAt: board.proved_at === null ? null : millis(board.proved_at),
  })),
});

/** Trips of batches, their rehearsals, ticks and visits. */
export class FieldRepository {
  constructor(private readonly knex: Knex) {}

  /** @param lock whether it is kept as it is until the transaction ends */
  async plan(batchId: string, db = this.knex, lock = false): Promise<{ version: number; plan: FieldPlan }> {
    const query = db('field')
      .where('batch_id', batchId)
      .first<{ version: number; plan: unknown } | undefined>();
    const row = await (lock ? query.forUpdate() : query);
    return { version: row?.version ?? 0, plan: FieldPlanSchema.parse(row?.plan ?? {}) };
  }

  /** @returns false when the version is no longer the one that was read */
  async save(batchId: string, version: number, plan: FieldPlan): Promise<boolean> {
    const text = JSON.stringify(plan);
    if (version > 0)
      return (
        (await this.knex('field')
          .where({ batch_id: batchId, version })
          .update({ plan: text, version: version + 1 })) > 0
      );
    const made = await this.knex('field')
      .insert({ batch_id: batchId, plan: text })
      .onConflict('batch_id')
      .ignore()
      .returning('batch_id');
    return made.length > 0;
  }

  async ticked(batchId: string): Promise<Set<TripCheckId>> {
    const rows = await this.knex('field_tick').where('batch_id', batchId).select<{ check_id: string }[]>();
    return new Set(
      rows.flatMap(({ check_id }) => {
        const known = TripCheckIdSchema.safeParse(check_id);
        return known.success ? [known.data] : [];
      }),
    );
  }

  async tick(batchId: string, checkId: TripCheckId, ticked: boolean): Promise<void> {
    const row = { batch_id: batchId, check_id: checkId };
    if (ticked) await this.knex('field_tick').insert(row).onConflict(['batch_id', 'check_id']).ignore();
    else await this.knex('field_tick').where(row).delete();
  }

  async clearTicks(batchId: string): Promise<void> {
    await this.knex('field_tick').where('batch_id', batchId).delete();
  }

  async bundle(batchId: string): Promise<{ at: number; madeOf: string } | null> {
    const row = await this.knex('field_bundle')
      .where('batch_id', batchId)
      .first<{ at: Date; made_of: string } | undefined>();
    return row ? { at: millis(row.at), madeOf: row.made_of } : null;
  }

  async noteBundle(batchId: string, madeOf: string): Promise<void> {
    await this.knex('field_bundle')
      .insert({ batch_id: batchId, made_of: madeOf, at: this.knex.raw('clock_timestamp()') })
      .onConflict('batch_id')
      .merge(['made_of', 'at']);
  }

  async beginTry(one: NewTry, db: Knex): Promise<void> {
    await db('rehearsal').insert({
      id: one.id,
      batch_id: one.batchId,
      purpose: one.purpose,
      network_id: one.network.id,
      network_version: one.network.version,
      network: one.network.title,
      begun_by: one.begunBy,
    });
    await db('rehearsal_board').insert(
      one.boards.map(({ deviceId, hostName }, place) => ({
        rehearsal_id: one.id,
        device_id: deviceId,
        host_name: hostName,
        place,
      })),
    );
  }

  /** A batch's tries, the newest first. */
  async tries(batchId: string): Promise<Rehearsal[]> {
    const rows = await this.knex<TryRow>('rehearsal')
      .where('batch_id', batchId)
      .orderBy('begun_at', 'desc')
      .limit(MOST_TRIES);
    return this.withBoards(rows);
  }

  async findTry(id: string): Promise<(Rehearsal & { batchId: string }) | null> {
    const row = await this.knex<TryRow>('rehearsal').where({ id }).first();
    if (!row) return null;
    const [one] = await this.withBoards([row]);
    return one ? { ...one, batchId: row.batch_id } : null;
  }

  private async withBoards(rows: readonly TryRow[]): Promise<Rehearsal[]> {
    const boards = await this.knex<TryBoardRow>('rehearsal_board')
      .whereIn(
        'rehearsal_id',
        rows.map(({ id }) => id),
      )
      .orderBy('place');
    const byTry = new Map<string, TryBoardRow[]>(rows.map(({ id }) => [id, []]));
    for (const board of boards) byTry.get(board.rehearsal_id)?.push(board);
    return rows.map((row) => toTry(row, byTry.get(row.id) ?? []));
  }

  /** Writes down where a board was proved first in a try; later proofs change nothing. @returns whether it was the first */
  async proved(tryId: string, deviceId: string, address: string, at: number, db: Knex): Promise<boolean> {
    const count = await db('rehearsal_board')
      .where({ rehearsal_id: tryId, device_id: deviceId })
      .whereNull('proved_at')
      .update({ address, proved_at: new Date(at) });
    return count > 0;
  }

  /** @returns false when it has ended already */
  async endTry(id: string, passed: boolean, verdict: string, db: Knex): Promise<boolean> {
    const count = await db('rehearsal')
      .where({ id })
      .whereNull('ended_at')
      .update({ ended_at: db.raw('clock_timestamp()'), passed, verdict });
    return count > 0;
  }

  async addVisit(visit: Omit<Visit, 'at'> & { batchId: string }, db: Knex): Promise<void> {
    const { id, batchId, deviceId, who, note, volts } = visit;
    await db('field_visit').insert({ id, batch_id: batchId, device_id: deviceId, who, note, volts });
  }

  /** A batch's visits, the newest first. */
  async visits(batchId: string): Promise<Visit[]> {
    const rows = await this.knex<VisitRow>('field_visit')
      .where('batch_id', batchId)
      .orderBy('at', 'desc')
      .limit(MOST_VISITS);
    return rows.map((row) => ({
      id: row.id,
      deviceId: row.device_id,
      at: millis(row.at),
      who: row.who,
      note: row.note,
      volts: row.volts,
    }));
  }
}
