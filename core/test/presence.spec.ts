import {
  deviceStanding,
  heldCards,
  isSure,
  mayBeHandedOver,
  mayBePowered,
  presenceOf,
  type DeviceFacts,
} from '../src';

const planned: DeviceFacts = {
  stopped: false,
  card: null,
  poweredAt: null,
  seen: null,
  handedOverAt: null,
  firstBootSeconds: 60,
};
const carded: DeviceFacts = { ...planned, card: { state: 'verified', share: 1, at: 0 } };
const seen = (standing: 'proved' | 'likely' | 'guess', alsoAt: string[] = []): DeviceFacts => ({
  ...carded,
  seen: { standing, at: 5, alsoAt },
});

describe('how far a board has come, in one word', () => {
  it.each([
    ['not powered', carded, 0],
    ['booting', { ...carded, poweredAt: 0 }, 120_000],
    ['missing', { ...carded, poweredAt: 0 }, 120_001],
    ['proved', seen('proved'), 0],
    ['likely', seen('likely'), 0],
    ['guess', seen('guess'), 0],
    ['copied', seen('proved', ['10.0.0.9']), 0],
  ] as const)('is "%s"', (word, facts, now) => {
    expect(presenceOf(facts, now)).toBe(word);
    // The word never says more than the state does.
    expect(word === 'proved').toBe(deviceStanding(facts, now).state === 'proved');
  });

  it('only a board that signed at one place is sure, and only such a one is handed over, once', () => {
    expect(
      [seen('proved'), seen('likely'), seen('proved', ['10.0.0.9']), carded].map((facts) =>
        isSure(facts.seen),
      ),
    ).toEqual([true, false, false, false]);
    expect([
      mayBeHandedOver(seen('proved')),
      mayBeHandedOver({ ...seen('proved'), handedOverAt: 9 }),
      mayBeHandedOver(seen('guess')),
    ]).toEqual([true, false, false]);
  });

  it('power is noted for a board with its card that nobody has seen', () => {
    expect([carded, planned, seen('guess'), { ...carded, poweredAt: 1 }].map(mayBePowered)).toEqual([
      true,
      false,
      false,
      true,
    ]);
  });
});

describe('the cards that were written for a device', () => {
  const card = (state: string, carries: boolean) => ({ state, carries });

  it('one is its card, older ones that carry it are told, the rest is past', () => {
    expect(
      heldCards([
        card('failed', false),
        card('verified', true),
        card('verified', false),
        card('verified', true),
      ]),
    ).toEqual(['never', 'now', 'gone', 'twice']);
    expect(heldCards([card('verified', false)])).toEqual(['gone']);
    expect(heldCards([])).toEqual([]);
  });
});
