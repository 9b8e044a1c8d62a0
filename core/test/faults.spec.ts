import fc from 'fast-check';
import {
  casesOf,
  causes,
  checks,
  CauseIdSchema,
  CheckIdSchema,
  inCase,
  judge,
  learntOdds,
  reasonFor,
  type Answer,
  type CauseId,
  type CheckId,
  type Said,
} from '../src/find';
import { bestWay, board, follow, hidden, world } from './helpers/drill-worlds';
import { many } from './helpers/soak';

const hall = { id: 'n', name: 'Hall', bands: [], country: 'DK', hidden: false, apart: false };
const checkIds = Object.keys(checks) as CheckId[];

describe('why a board does not appear', () => {
  it('every cause is found by following the advice, in at most 1.2 times the fewest checks', () => {
    let ours = 0;
    let best = 0;
    for (const fault of hidden) {
      const { said, found, inVain } = follow(fault);
      expect({ fault, found }).toEqual({ fault, found: fault });
      const { chances } = judge(world(fault), []);
      const live = chances.filter(({ id, chance }) => id !== 'unknown' && chance > 0.002);
      const way = bestWay(new Map(live.map(({ id, chance }) => [id, chance])));
      // Mending in vain is a look too.
      ours += said.length + inVain.length;
      best += way.get(fault) ?? 0;
      console.log(
        `    ${fault.padEnd(15)} ${said.map(({ check, answer }) => `${check} ${answer}`).join(', ')}${inVain.length ? ` (in vain: ${inVain.join(', ')})` : ''} | best ${String(way.get(fault))}`,
      );
    }
    console.log(
      `    ${String(ours)} checks for ${String(hidden.length)} faults; the fewest possible: ${String(best)}`,
    );
    expect(ours).toBeLessThanOrEqual(1.2 * best);
  });

  it('the same answers in another order say the same, and none of them is asked for again', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...hidden),
        fc.uniqueArray(fc.constantFrom(...checkIds), { maxLength: 8 }),
        fc.array(fc.constantFrom<Answer>('yes', 'no', 'unsure'), { minLength: 8, maxLength: 8 }),
        (fault, asked, answers) => {
          const said = asked.map((check, at): Said => ({ check, answer: answers[at]! }));
          const one = judge(world(fault), said);
          const other = judge(world(fault), [...said].reverse());
          const byId = new Map(other.chances.map(({ id, chance }) => [id, chance]));
          let sum = 0;
          for (const { id, chance } of one.chances) {
            expect(byId.get(id)).toBeCloseTo(chance, 9);
            sum += chance;
          }
          expect(sum).toBeCloseTo(1, 9);
          if (one.advice.kind === 'ask') expect(asked).not.toContain(one.advice.check);
        },
      ),
      { seed: 71, numRuns: many(60, 300) },
    );
  });

  it('who cannot say to anything, or errs, still comes to an end', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...hidden),
        fc.infiniteStream(fc.constantFrom<Answer>('yes', 'no', 'unsure')),
        (fault, answers) => {
          const { said, inVain } = follow(fault, () => answers.next().value as Answer);
          expect(said.length).toBeLessThanOrEqual(checkIds.length);
          expect(new Set(inVain).size).toBe(inVain.length);
        },
      ),
      { seed: 72, numRuns: many(40, 150) },
    );
    const { said } = follow('not-seated', () => 'unsure');
    expect(said.length).toBeGreaterThan(3);
  });

  it('what was mended in vain is not said again, and the next is', () => {
    const one = world('no-address');
    expect(judge(one, []).advice).toEqual({ kind: 'found', cause: 'no-address' });
    const { chances, advice } = judge(one, [], ['no-address']);
    expect(advice).not.toEqual({ kind: 'found', cause: 'no-address' });
    expect(chances[0]?.id).not.toBe('still-booting');
  });

  it('one board away among eleven is its own fault; twelve away have one in common', () => {
    const reach = (missing: number): string => {
      const boards = Array.from({ length: 12 }, (_, at) => board(at + 1, { proved: at >= missing }));
      const [first] = casesOf(boards, { meet: 'open' });
      const { chances } = judge(first!, []);
      return chances
        .slice(0, 3)
        .map(({ id }) => (causes[id].reach === 'board' ? 'own' : 'common'))
        .join(' ');
    };
    expect(reach(1)).toBe('own own own');
    expect(reach(12)).toBe('common common common');
  });

  it('boards that differ in what was heard of them, or in their network, are cases of their own', () => {
    const boards = [
      board(1),
      board(2),
      board(3, { symptom: 'asks' }),
      board(4, { network: null }),
      board(5, { proved: true }),
    ];
    const found = casesOf(boards, { meet: 'open' });
    expect(found.map((one) => one.boards.map(({ nest }) => nest))).toEqual([['A1', 'A2'], ['A3'], ['A4']]);
    expect(found[0]?.shared).toBe('Others that share everything with them are there.');
    const together = casesOf([board(1), board(2), board(3, { proved: true, round: 'r2' })], { meet: 'open' });
    expect(together[0]?.shared).toBe(
      'They share the round in which their cards were written; nobody who is there does.',
    );
    expect(casesOf([board(1)], { meet: 'open' })[0]?.shared).toBe('');
    const inSlot = [1, 2].map((at) => board(at, { slot: 'slot-3', round: `r${String(at)}` }));
    expect(
      casesOf([...inSlot, board(3, { proved: true, slot: 'slot-1' })], { meet: 'open' })[0]?.shared,
    ).toBe('They share the reader’s place slot-3; nobody who is there does.');
  });

  it('a board on a cable is asked nothing about radio', () => {
    const one = casesOf([board(1, { network: null })], { meet: 'open' })[0]!;
    const asked: CheckId[] = [];
    const said: Said[] = [];
    for (let next = judge(one, said).advice; next.kind === 'ask'; next = judge(one, said).advice) {
      asked.push(next.check);
      said.push({ check: next.check, answer: 'unsure' });
    }
    expect(asked.filter((check) => checks[check].radio)).toEqual([]);
    expect(judge(one, []).chances.filter(({ id }) => causes[id].radio)).toEqual([]);
  });

  it.each([
    ['other-band', { network: { ...hall, bands: ['5 GHz'] } }],
    ['kept-apart', { network: { ...hall, apart: true } }],
    ['other-width', { board: { id: 'old', title: 'Old', bits: 32, bands: ['2.4 GHz'] } }],
    ['not-powered', { waited: null }],
    ['still-booting', { waited: 20 }],
    ['login-off', { symptom: 'no login' as const }],
    ['other-card', { symptom: 'other key' as const }],
    ['no-address', { symptom: 'asks' as const }],
  ] as const)('what is known already makes %s the first', (cause, change) => {
    const one = casesOf([board(1, change), board(2, { proved: true, network: null })], { meet: 'yes' })[0]!;
    expect(judge(one, []).chances[0]?.id).toBe(cause);
  });

  it('this computer elsewhere by its addresses comes before all', () => {
    const one = casesOf([board(1), board(2)], { meet: 'no' })[0]!;
    expect(judge(one, []).chances[0]?.id).toBe('elsewhere');
  });

  it('every cause and check has its words, and none of them keeps a place that is not filled', () => {
    expect(Object.keys(causes)).toEqual(CauseIdSchema.options);
    expect([...Object.keys(checks)].sort()).toEqual([...CheckIdSchema.options].sort());
    const one = world('other-key');
    const { chances } = judge(one, []);
    for (const check of Object.values(checks)) {
      expect(inCase(check.question, one)).toMatch(/^[A-Z][^{}]*\?$/);
      expect(inCase(check.how, one)).toMatch(/^[A-Z][^{}]*[.?]$/);
      expect(reasonFor(check, chances)).toMatch(/^(It tells whether [^{}]*\.)?$/);
      for (const cause of CauseIdSchema.options) {
        expect(check.yes(cause)).toBeGreaterThan(0);
        expect(check.yes(cause)).toBeLessThan(1);
      }
    }
    for (const { title, mend } of Object.values(causes)) {
      expect(title).toMatch(/^[a-z]/);
      expect(mend).toMatch(/^[A-Z][^{}]*\.$/);
    }
  });

  it('a bench learns: what was found here often is looked for first', () => {
    const before = learntOdds(new Map());
    const found = new Map<CauseId, number>([['hidden', 30]]);
    const now = learntOdds(found);
    expect(now('other-key')).toBe(before('other-key'));
    expect(now('hidden') - before('hidden')).toBe(30);
    const { chances } = judge(world('hidden'), [], [], now);
    expect(chances[0]?.id).toBe('hidden');
  });
});
