import type { Knex } from 'knex';
import { MovePlanSchema, type BoardMoveState, type MovePlan } from '@nest-mark/core/api';
import { millis } from '../platform/database/connect';

interface MoveRow {
  id: string;
  batch_id: string;
  version: number;
  plan: unknown;
  created_at: Date;
}

interface BoardRow {
  move_id: string;
  device_id: string;
  state: BoardMoveState;
  message: string;
  at: Date;
}

/** A move as it is kept. */
export interface StoredMove {
  id: string;
  batchId: string;
  version: number;
  plan: MovePlan;
  createdAt: number;
}

const toMove = (row: MoveRow): StoredMove => ({
  id: row.id,
  batchId: row.batch_id,
  version: row.version,
  plan: MovePlanSchema.parse(row.plan),
  createdAt: millis(row.created_at),
});

/** Moves, one at a time for a batch, and where its boards are in it. */
export class MoveRepository {
  constructor(private readonly knex: Knex) {}

  /** The move that a batch is at; null when it is at none. */
  async ofBatch(batchId: string): Promise<StoredMove | null> {
    const row = await this.knex<MoveRow>('move').where('batch_id', batchId).whereNull('put_away_at').first();
    return row ? toMove(row) : null;
  }

  async find(id: string): Promise<StoredMove | null> {
    const row = await this.knex<MoveRow>('move').where('id', id).whereNull('put_away_at').first();
    return row ? toMove(row) : null;
  }

  /** @returns false when the batch is at a move already */
  async create(id: string, batchId: string, plan: MovePlan, db: Knex): Promise<boolean> {
    const made = await db('move')
      .insert({ id, batch_id: batchId, plan: JSON.stringify(plan) })
      .onConflict(db.raw('(batch_id) where put_away_at is null'))
      .ignore()
      .returning('id');
    return made.length > 0;
  }

  /** @returns false when the version is no longer the one that was read */
  async save(id: string, version: number, plan: MovePlan, db: Knex): Promise<boolean> {
    const count = await db('move')
      .where({ id, version })
      .whereNull('put_away_at')
      .update({ plan: JSON.stringify(plan), version: version + 1 });
    return count > 0;
  }

  /** Keeps a move as it is until the transaction ends. @returns its version; null when it is not there any more */
  async hold(id: string, db: Knex): Promise<number | null> {
    const row = await db<MoveRow>('move').where({ id }).whereNull('put_away_at').forUpdate().first('version');
    return row?.version ?? null;
  }

  async putAway(id: string, db: Knex): Promise<boolean> {
    const count = await db('move')
      .where({ id })
      .whereNull('put_away_at')
      .update({ put_away_at: db.raw('clock_timestamp()') });
    return count > 0;
  }

  async boards(
    moveId: string,
  ): Promise<{ deviceId: string; state: BoardMoveState; message: string; at: number }[]> {
    const rows = await this.knex<BoardRow>('board_move').where('move_id', moveId);
    return rows.map((row) => ({
      deviceId: row.device_id,
      state: row.state,
      message: row.message,
      at: millis(row.at),
    }));
  }

  /** Writes down where a board is. */
  async note(
    moveId: string,
    deviceId: string,
    state: BoardMoveState,
    message: string,
    db = this.knex,
  ): Promise<void> {
    const at = db.raw('clock_timestamp()');
    await db('board_move')
      .insert({ move_id: moveId, device_id: deviceId, state, message, at })
      .onConflict(['move_id', 'device_id'])
      .merge(['state', 'message', 'at']);
  }
}
