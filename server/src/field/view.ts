import type { FieldView } from '@nest-mark/core/api';
import { batteryCautions, beforeYouLeave, fieldFindings, lifeOf, onSite } from '@nest-mark/core/in-field';
import type { StoredBatch } from '../plans';
import type { Field } from './domain';
import { isHome, tripOf } from './facts';

/** JSON knows no infinity. */
const finite = (value: number): number | null => (Number.isFinite(value) ? value : null);

/** A batch's trip, as it stands now. */
export async function fieldView(field: Field, batch: StoredBatch): Promise<FieldView> {
  const [trip, ticked] = await Promise.all([tripOf(field, batch), field.repository.ticked(batch.id)]);
  const { facts, version, tries, visits } = trip;
  return {
    batchId: batch.id,
    version,
    plan: facts.plan,
    findings: fieldFindings(facts),
    boards: facts.boards.map((board) => {
      const life = lifeOf(facts, board);
      return {
        deviceId: board.device.id,
        life: life && {
          watts: life.watts,
          hours: finite(life.hours),
          kept: finite(life.kept),
          needed: life.needed,
        },
        home: isHome(trip, board.device.id),
      };
    }),
    cautions: facts.plan.battery ? batteryCautions(facts.plan.battery) : [],
    standing: facts.rehearsal.standing,
    why: facts.rehearsal.why,
    rehearsals: tries,
    before: beforeYouLeave(facts, ticked),
    site: onSite(facts, ticked),
    visits,
    bundleAt: facts.bundleAt,
  };
}
