import {
  casesOf,
  causes,
  checks,
  judge,
  trueAnswer,
  type Answer,
  type BoardFacts,
  type Case,
  type CauseId,
  type CheckId,
  type Said,
} from '../../src/find';

export const hidden = (Object.keys(causes) as CauseId[]).filter((id) => id !== 'unknown');

export const board = (number: number, change: Partial<BoardFacts> = {}): BoardFacts => ({
  deviceId: `d${String(number)}`,
  hostName: `tank-${String(number).padStart(2, '0')}`,
  nest: `A${String(number)}`,
  mark: '7KQ4M',
  proved: false,
  copied: false,
  waited: 400,
  usual: 90,
  symptom: 'nothing heard',
  network: { id: 'bench', name: 'Saltmarsh Bench', bands: [], country: 'DK', hidden: false, apart: false },
  image: { id: 'os', title: 'Practice OS 1, minimal', bits: 64 },
  board: { id: 'full', title: 'Full-size', bits: 64, bands: ['2.4 GHz'] },
  country: 'DK',
  round: 'r1',
  slot: null,
  ...change,
});

const symptoms: Partial<Record<CauseId, BoardFacts['symptom']>> = {
  'no-address': 'asks',
  'login-off': 'no login',
  'other-card': 'other key',
};

/** Twelve boards with one fault among them, as the bench would know them. */
export function world(fault: CauseId): Case {
  const symptom = symptoms[fault] ?? 'nothing heard';
  const all = ['network', 'bench', 'image'].includes(causes[fault].reach) && fault !== 'no-address';
  const boards = Array.from({ length: 12 }, (_, at) => {
    const away = all || at === 4;
    return board(at + 1, { proved: !away, symptom, copied: fault === 'copied-card' && at === 7 });
  });
  const [first] = casesOf(boards, { meet: 'open' });
  if (!first) throw new Error('nobody is missing');
  return first;
}

/** Follows the advice to its end. */
export function follow(
  fault: CauseId,
  answer: (check: CheckId) => Answer = (check) => trueAnswer(check, fault),
): { said: Said[]; inVain: CauseId[]; found: CauseId | null } {
  const one = world(fault);
  const said: Said[] = [];
  const inVain: CauseId[] = [];
  for (let step = 0; step < 60; step++) {
    const { advice } = judge(one, said, inVain);
    if (advice.kind === 'open') return { said, inVain, found: null };
    if (advice.kind === 'found') {
      if (advice.cause === fault) return { said, inVain, found: fault };
      inVain.push(advice.cause);
    } else said.push({ check: advice.check, answer: answer(advice.check) });
  }
  throw new Error('the advice does not end');
}

/**
 * The best that any way of asking does for a case, by trying every way over the sets of causes that can remain: how many
 * checks each cause then takes.
 * @param weights how probable each cause is
 */
export function bestWay(weights: ReadonlyMap<CauseId, number>): Map<CauseId, number> {
  const ids = [...weights.keys()];
  const masks = (Object.keys(checks) as CheckId[]).map((check) =>
    ids.reduce((mask, id, at) => (checks[check].yes(id) >= 0.5 ? mask | (1 << at) : mask), 0),
  );
  const memo = new Map<number, { cost: number; mask: number }>();
  const solve = (set: number): { cost: number; mask: number } => {
    if ((set & (set - 1)) === 0) return { cost: 0, mask: 0 };
    const known = memo.get(set);
    if (known) return known;
    const mass = (some: number): number =>
      ids.reduce((sum, id, at) => sum + ((some >> at) & 1 ? (weights.get(id) ?? 0) : 0), 0);
    let best = { cost: Infinity, mask: 0 };
    for (const mask of masks) {
      const [yes, no] = [set & mask, set & ~mask];
      if (yes === 0 || no === 0) continue;
      const cost = mass(set) + solve(yes).cost + solve(no).cost;
      if (cost < best.cost) best = { cost, mask };
    }
    // What no check tells apart is mended one after the other.
    if (best.cost === Infinity) best = { cost: 0, mask: 0 };
    memo.set(set, best);
    return best;
  };
  return new Map(
    ids.map((id, at) => {
      let set = (1 << ids.length) - 1;
      let count = 0;
      for (let { mask } = solve(set); mask !== 0; { mask } = solve(set)) {
        set = (mask >> at) & 1 ? set & mask : set & ~mask;
        count++;
      }
      return [id, count] as const;
    }),
  );
}
