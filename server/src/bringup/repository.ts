import type { Knex } from 'knex';
import type { BoardBringUp, BoardState, BoardStep, BoardTime, StepState } from '@nest-mark/core';
import type { BoardFinding } from '@nest-mark/core/bring-up';
import { millis } from '../platform/database/connect';
import type { ItemState } from '../platform/runs/model';

interface StepRow {
  run_id: string;
  device_id: string;
  step_id: string;
  state: StepState;
  message: string;
  did: string;
  findings: BoardFinding[];
  boot_id: string | null;
  at: Date;
}

interface BoardRow {
  run_id: string;
  device_id: string;
  state: ItemState;
  message: string;
  at: Date;
  queued_at: Date;
}

interface SkipRow {
  device_id: string;
  step_id: string;
  reason: string;
  by: string;
  at: Date;
}

/** How the newest bringing up of a device stands, as it is on record. */
export interface StoredBoard extends Omit<BoardBringUp, 'job' | 'keyOff' | 'offAt'> {
  runId: string;
  /** When it was asked for. */
  since: number;
}

export interface Skip {
  deviceId: string;
  stepId: string;
  reason: string;
  at: number;
}

/** How long one board took to be brought up. */
export interface BoardTook {
  runId: string;
  deviceId: string;
  kind: string;
  updated: boolean;
  practice: boolean;
  seconds: number;
}

/** Boards of a kind whose times are looked at, the newest ones. */
const TIMES_KEPT = 50;

/** Times of being brought up that are told of a device. */
const MOST_TOLD = 10;

const states: Record<ItemState, BoardState> = {
  queued: 'queued',
  running: 'running',
  done: 'ready',
  failed: 'hand',
  cancelled: 'stopped',
  interrupted: 'interrupted',
};

const toStep = (row: StepRow): BoardStep => ({
  stepId: row.step_id,
  // Asked anew after a cut: what was done in this run was done.
  state: row.state === 'well' && row.did !== '' ? 'done' : row.state,
  text: row.state === 'well' && row.did !== '' ? row.did : row.message,
  findings: row.findings,
  at: millis(row.at),
});

/** Bringing boards up: what came of each step, by run. */
export class BringUpRepository {
  constructor(private readonly knex: Knex) {}

  /** The newest bringing up of each device of a batch that had one. */
  async boards(batchId: string): Promise<StoredBoard[]> {
    const { rows }: { rows: BoardRow[] } = await this.knex.raw(
      `select distinct on (item.device_id) item.run_id, item.device_id, item.state, item.message, item.at, run.queued_at
       from run_item item join run on run.id = item.run_id
       where run.kind = 'bring-up' and run.batch_id = ? and item.device_id is not null
       order by item.device_id, run.queued_at desc, run.id`,
      [batchId],
    );
    if (rows.length === 0) return [];
    const steps = await this.knex<StepRow>('board_step')
      .whereIn('run_id', [...new Set(rows.map(({ run_id: id }) => id))])
      .orderBy('at');
    return rows.map((row) => ({
      runId: row.run_id,
      deviceId: row.device_id,
      state: states[row.state],
      message: row.message,
      since: millis(row.queued_at),
      at: millis(row.at),
      steps: steps
        .filter((step) => step.run_id === row.run_id && step.device_id === row.device_id)
        .map(toStep),
    }));
  }

  /** The newest times that a device was brought up, newest first. */
  async ofDevice(deviceId: string): Promise<Omit<StoredBoard, 'deviceId' | 'since'>[]> {
    const rows = await this.knex('run_item')
      .join('run', 'run.id', 'run_item.run_id')
      .where({ 'run.kind': 'bring-up', 'run_item.device_id': deviceId })
      .orderBy([{ column: 'run.queued_at', order: 'desc' }, { column: 'run.id' }])
      .limit(MOST_TOLD)
      .select<Pick<BoardRow, 'run_id' | 'state' | 'message' | 'at'>[]>(
        'run_item.run_id',
        'run_item.state',
        'run_item.message',
        'run_item.at',
      );
    const steps = await this.knex<StepRow>('board_step')
      .where({ device_id: deviceId })
      .whereIn(
        'run_id',
        rows.map(({ run_id: id }) => id),
      )
      .orderBy('at');
    return rows.map((row) => ({
      runId: row.run_id,
      state: states[row.state],
      message: row.message,
      at: millis(row.at),
      steps: steps.filter((step) => step.run_id === row.run_id).map(toStep),
    }));
  }

  /** When boards of a batch were last seen without the bench's key, by device; who was seen with it since is left out. */
  async keysOff(batchId: string): Promise<Map<string, number>> {
    const { rows }: { rows: { device_id: string; state: StepState; at: Date }[] } = await this.knex.raw(
      `select distinct on (step.device_id) step.device_id, step.state, step.at
       from board_step step join run on run.id = step.run_id
       where run.batch_id = ? and step.step_id = 'key-off' and step.state in ('done', 'well', 'differs', 'failed')
       order by step.device_id, step.at desc`,
      [batchId],
    );
    return new Map(
      rows.flatMap(({ device_id: id, state, at }): [string, number][] =>
        state === 'done' || state === 'well' ? [[id, millis(at)]] : [],
      ),
    );
  }

  /** Writes down how a step stands; the last word on it counts. */
  async note(
    runId: string,
    deviceId: string,
    stepId: string,
    { state, text, findings }: { state: StepState; text: string; findings: readonly BoardFinding[] },
  ): Promise<void> {
    await this.knex('board_step')
      .insert({
        run_id: runId,
        device_id: deviceId,
        step_id: stepId,
        state,
        message: text,
        did: state === 'done' ? text : '',
        findings: JSON.stringify(findings),
        at: this.knex.raw('clock_timestamp()'),
      })
      .onConflict(['run_id', 'device_id', 'step_id'])
      .merge({
        state,
        message: text,
        findings: JSON.stringify(findings),
        at: this.knex.raw('clock_timestamp()'),
        did: this.knex.raw(`case when excluded.did <> '' then excluded.did else board_step.did end`),
      });
  }

  /** What a program that died was at is asked again. */
  async beginAgain(runId: string, deviceId: string): Promise<void> {
    await this.knex('board_step')
      .where({ run_id: runId, device_id: deviceId })
      .whereIn('state', ['asking', 'waiting', 'doing'])
      .update({ state: 'queued', message: '', findings: '[]' });
  }

  /** Notes the boot in which something is about to be ordered. */
  async remember(runId: string, deviceId: string, stepId: string, bootId: string): Promise<void> {
    await this.knex('board_step')
      .insert({
        run_id: runId,
        device_id: deviceId,
        step_id: stepId,
        state: 'doing',
        message: '',
        boot_id: bootId,
      })
      .onConflict(['run_id', 'device_id', 'step_id'])
      .merge(['boot_id']);
  }

  async recall(runId: string, deviceId: string, stepId: string): Promise<string | null> {
    const row = await this.knex<StepRow>('board_step')
      .where({ run_id: runId, device_id: deviceId, step_id: stepId })
      .first('boot_id');
    return row?.boot_id ?? null;
  }

  /** Steps that are left out on devices of a batch. */
  async skips(batchId: string): Promise<Skip[]> {
    const rows = await this.knex('skipped_step')
      .join('device', 'device.id', 'skipped_step.device_id')
      .where('device.batch_id', batchId)
      .orderBy(['skipped_step.device_id', 'skipped_step.step_id'])
      .select<SkipRow[]>('skipped_step.*');
    return rows.map((row) => ({
      deviceId: row.device_id,
      stepId: row.step_id,
      reason: row.reason,
      at: millis(row.at),
    }));
  }

  /** Leaves a step out on a device, with the reason; an empty one takes that back. */
  async skip(deviceId: string, stepId: string, reason: string, by: string, db: Knex): Promise<void> {
    if (reason === '') {
      await db('skipped_step').where({ device_id: deviceId, step_id: stepId }).delete();
      return;
    }
    await db('skipped_step')
      .insert({ device_id: deviceId, step_id: stepId, reason, by, at: db.raw('clock_timestamp()') })
      .onConflict(['device_id', 'step_id'])
      .merge();
  }

  /** Keeps how long a board took, once for each time that it was brought up. */
  async keepTime({ runId, deviceId, ...took }: BoardTook, db: Knex): Promise<void> {
    await db('board_time')
      .insert({ run_id: runId, device_id: deviceId, ...took })
      .onConflict(['run_id', 'device_id'])
      .ignore();
  }

  /** How long boards took, by kind, the newest of each. @param practice whether stand-ins are meant, or boards */
  async times(practice: boolean): Promise<BoardTime[]> {
    const { rows }: { rows: BoardTime[] } = await this.knex.raw(
      `select kind, updated, array_agg(seconds order by seconds) as seconds from (
         select kind, updated, seconds, row_number() over (partition by kind, updated order by at desc) as nth
         from board_time where practice = ?
       ) as took where nth <= ? group by kind, updated order by kind, updated`,
      [practice, TIMES_KEPT],
    );
    return rows;
  }

  /** Runs of a batch that are under way, with how many boards each still has before it. */
  async underWay(batchId: string): Promise<{ id: string; station: string; boards: number }[]> {
    const rows = await this.knex('run')
      .join('run_item', 'run_item.run_id', 'run.id')
      .where({ 'run.kind': 'bring-up', 'run.batch_id': batchId })
      .whereIn('run.state', ['queued', 'running', 'held'])
      .whereIn('run_item.state', ['queued', 'running'])
      .groupBy('run.id', 'run.station')
      .orderBy('run.id')
      .select<{ id: string; station: string; boards: string }[]>(
        'run.id',
        'run.station',
        this.knex.raw('count(*) as boards'),
      );
    return rows.map(({ boards, ...row }) => ({ ...row, boards: Number(boards) }));
  }
}
