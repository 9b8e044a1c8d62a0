import type { Knex } from 'knex';
import type { CaseAnswer, CaseMend, CaseUnsaid } from '@nest-mark/core';
import {
  AnswerSchema,
  CauseIdSchema,
  CheckIdSchema,
  type Answer,
  type CauseId,
  type CheckId,
} from '@nest-mark/core/find';
import { millis, millisOrNull } from '../platform/database/connect';

interface AnswerRow {
  device_ids: string[];
  check_id: string;
  answer: string;
  drill: boolean;
  by: string;
  at: Date;
}

interface MendRow {
  device_ids: string[];
  cause: string;
  by: string;
  at: Date;
  in_vain_at: Date | null;
}

/** What a person answered. */
export interface KeptAnswer {
  deviceIds: string[];
  check: CheckId;
  answer: Answer;
  /** Whether it was said in a drill; it is true of nothing else. */
  drill: boolean;
  by: string;
  at: number;
}

/** What a person mended. */
export interface KeptMend {
  deviceIds: string[];
  cause: CauseId;
  by: string;
  at: number;
  inVainAt: number | null;
}

/** Answers of a batch that are read; a case has one for each check at most. */
const MOST = 2000;

/** Answers about boards that did not appear, and what was mended. */
export class FaultRepository {
  constructor(private readonly knex: Knex) {}

  async addAnswer(
    batchId: string,
    { deviceIds, check, answer }: CaseAnswer,
    { by, drill }: { by: string; drill: boolean },
    db: Knex,
  ): Promise<void> {
    await db('fault_answer').insert({
      batch_id: batchId,
      device_ids: deviceIds,
      check_id: check,
      answer,
      drill,
      by,
    });
  }

  /** Takes back what was answered to a check about any of these devices. @returns whether there was anything */
  async takeBack(batchId: string, { deviceIds, check }: CaseUnsaid, db: Knex): Promise<boolean> {
    const count = await db('fault_answer')
      .where({ batch_id: batchId, check_id: check })
      .whereNull('unsaid_at')
      .whereRaw('device_ids && ?::uuid[]', [deviceIds])
      .update({ unsaid_at: db.fn.now() });
    return count > 0;
  }

  /** Notes a mending; or that the last one of that cause did not help, made up where nobody had noted it. */
  async addMend(
    batchId: string,
    { deviceIds, cause, inVain }: CaseMend,
    by: string,
    db: Knex,
  ): Promise<void> {
    const kept = inVain
      ? await db('fault_mend')
          .where({ batch_id: batchId, cause })
          .whereNull('in_vain_at')
          .whereRaw('device_ids && ?::uuid[]', [deviceIds])
          .update({ in_vain_at: db.fn.now() })
      : 0;
    if (kept === 0)
      await db('fault_mend').insert({
        batch_id: batchId,
        device_ids: deviceIds,
        cause,
        by,
        in_vain_at: inVain ? db.fn.now() : null,
      });
  }

  /** Newest first. What a later version of this program wrote and this one does not know is passed over. */
  async answers(batchId: string): Promise<KeptAnswer[]> {
    const rows = await this.knex<AnswerRow>('fault_answer')
      .where('batch_id', batchId)
      .whereNull('unsaid_at')
      .orderBy('id', 'desc')
      .limit(MOST);
    return rows.flatMap((row): KeptAnswer[] => {
      const check = CheckIdSchema.safeParse(row.check_id);
      const answer = AnswerSchema.safeParse(row.answer);
      if (!check.success || !answer.success) return [];
      return [
        {
          deviceIds: row.device_ids,
          check: check.data,
          answer: answer.data,
          drill: row.drill,
          by: row.by,
          at: millis(row.at),
        },
      ];
    });
  }

  /** Newest first. */
  async mends(batchId: string): Promise<KeptMend[]> {
    const rows = await this.knex<MendRow>('fault_mend')
      .where('batch_id', batchId)
      .orderBy('id', 'desc')
      .limit(MOST);
    return rows.flatMap((row): KeptMend[] => {
      const cause = CauseIdSchema.safeParse(row.cause);
      if (!cause.success) return [];
      return [
        {
          deviceIds: row.device_ids,
          cause: cause.data,
          by: row.by,
          at: millis(row.at),
          inVainAt: millisOrNull(row.in_vain_at),
        },
      ];
    });
  }

  /**
   * How often each cause was the one on this bench: it was mended, nobody said in vain, and one of its boards signed
   * with its key within a day.
   */
  async found(): Promise<Map<CauseId, number>> {
    const { rows }: { rows: { cause: string; count: number }[] } = await this.knex.raw(
      `select cause, count(*)::integer as count from fault_mend as mend
       where in_vain_at is null and exists (
         select 1 from device join sighting on sighting.host_key = device.host_key and sighting.key_proven
         where device.id = any (mend.device_ids) and sighting.at > mend.at and sighting.at < mend.at + interval '1 day')
       group by cause`,
    );
    return new Map(
      rows.flatMap(({ cause, count }) => {
        const known = CauseIdSchema.safeParse(cause);
        return known.success ? [[known.data, count] as const] : [];
      }),
    );
  }
}
