import {
  shippedBoards,
  type BatchProgress,
  type Proposal,
  type Round,
  type RoundCard,
} from '@nest-mark/core';
import { CardsActions, cardsFeature } from '../src/app/cards/cards.reducer';
import { readOut, selectSlots, unfinishedOf } from '../src/app/cards/slots';
import { ProgressActions, progressFeature } from '../src/app/state/progress.reducer';
import { batchFeature } from '../src/app/state/batch.reducer';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchId, tankBatch } from './helpers/plan';
import { noProgress } from './helpers/progress';

const batch = tankBatch(2);
const [one, two] = batch.plan.devices.map(({ id }) => id) as [string, string];

const card = (slotId: string, deviceId: string, change: Partial<RoundCard> = {}): RoundCard => ({
  slotId,
  deviceId,
  serial: `serial-${slotId}`,
  cardKey: `serial-${slotId}`,
  state: 'verified',
  share: 1,
  rate: 0,
  secondsLeft: null,
  message: '',
  at: 10,
  pastCache: null,
  ...change,
});
const round = (number: number, cards: RoundCard[], state: Round['state'] = 'done'): Round => ({
  id: `00000000-0000-4000-8000-00000000000${String(number)}`,
  batchId,
  station: 'test',
  begunBy: '',
  number,
  state,
  paused: false,
  startedAt: 0,
  endedAt: null,
  cards,
});
const progress = (rounds: Round[]): BatchProgress => ({
  ...noProgress(batchId),
  devices: [one, two].map((deviceId) => ({
    deviceId,
    card: null,
    poweredAt: null,
    handedOverAt: null,
    carrierDoneAt: null,
    bringUp: null,
    fingerprint: null,
    heard: null,
    seen: null,
  })),
  rounds,
});
const medium = (
  serial: string,
  holds = 'nothing that can be read',
): NonNullable<Proposal['cards'][number]['medium']> => ({
  identity: { path: 'p', size: 16e9, serial, content: 'c' },
  model: 'Practice card',
  removable: true,
  readOnly: false,
  mounted: [],
  system: false,
  holds,
  caution: null,
  label: null,
});
const slot = (
  slotId: string,
  change: Partial<Proposal['cards'][number]> = {},
): Proposal['cards'][number] => ({
  slotId,
  slotTitle: slotId,
  medium: medium(`serial-${slotId}`),
  deviceId: null,
  refusal: null,
  overruledBy: null,
  record: null,
  verifiedFor: null,
  ...change,
});

describe('progress by events', () => {
  const start = progressFeature.reducer(undefined, ProgressActions.came({ progress: progress([]) }));

  it('moves a device’s card on, and only by the newest round that holds it', () => {
    const older = round(1, [card('slot-1', one, { state: 'failed' })]);
    const newer = round(2, [card('slot-1', one, { state: 'writing', share: 0.4 })], 'running');
    const both = [newer, older].reduce(
      (state, next) => progressFeature.reducer(state, ProgressActions.roundCame({ round: next })),
      start,
    );
    expect(both.progress?.devices[0]?.card).toMatchObject({ state: 'writing', share: 0.4 });
    expect(both.progress?.rounds.map(({ number }) => number)).toEqual([2, 1]);
  });

  it('leaves rounds of other batches alone', () => {
    const foreign = { ...round(1, [card('slot-1', one)]), batchId: '33333333-3333-4333-8333-333333333333' };
    expect(progressFeature.reducer(start, ProgressActions.roundCame({ round: foreign })).progress).toBe(
      start.progress,
    );
  });
});

describe('what can be written again', () => {
  it('are cards that were not verified and that no later round took up', () => {
    const first = round(1, [
      card('slot-1', one, { state: 'failed' }),
      card('slot-2', two, { state: 'unfinished' }),
    ]);
    const second = round(2, [card('slot-1', one)]);
    expect(unfinishedOf([second, first], first.id).map(({ deviceId }) => deviceId)).toEqual([two]);
    expect(unfinishedOf([second, first], second.id)).toEqual([]);
    expect(unfinishedOf([{ ...first, state: 'running' }], first.id)).toEqual([]);
    // A single card that failed is taken up while the others of its round go on.
    const running = { ...first, state: 'running' as const };
    expect(unfinishedOf([running], first.id, 'slot-1').map(({ deviceId }) => deviceId)).toEqual([one]);
    const live = { ...running, cards: [card('slot-1', one, { state: 'writing' })] };
    expect(unfinishedOf([live], first.id, 'slot-1')).toEqual([]);
  });
});

describe('the slots on the screen', () => {
  const view = (proposal: Proposal, chosen: Record<string, string | null>, rounds: Round[]) =>
    selectSlots.projector(proposal, chosen, batch.plan, progress(rounds), null, shippedBoards);
  const proposal = (...cards: Proposal['cards']): Proposal => ({ cards, blockers: [], waiting: 2, at: 0 });

  it('say how a card ended only while that very card is still in the slot', () => {
    const rounds = [round(1, [card('slot-1', one)])];
    expect(view(proposal(slot('slot-1')), {}, rounds)[0]).toMatchObject({
      ended: { state: 'verified' },
      device: null,
    });
    expect(view(proposal(slot('slot-1', { medium: medium('another') })), {}, rounds)[0]?.ended).toBeNull();
    expect(view(proposal(slot('slot-1', { medium: null })), {}, rounds)[0]?.ended).toBeNull();
  });

  it('take a person’s choice over the proposal, but never against a refusal', () => {
    const cards = proposal(
      slot('slot-1', { deviceId: one }),
      slot('slot-2', { deviceId: two, refusal: 'Locked.' }),
    );
    const chosen = view(cards, { 'slot-1': two, 'slot-2': one }, []);
    expect(chosen.map(({ device }) => device?.hostName ?? null)).toEqual(['tank-02', null]);
    expect(view(cards, { 'slot-1': null }, [])[0]?.device).toBeNull();
  });

  it('read out what will be erased, and whose verified card it is', () => {
    const [plain] = view(proposal(slot('slot-1')), {}, []);
    expect(readOut(plain!)).toBe(
      'Practice card, 16 GB (14.9 GiB), serial serial-slot-1. It holds nothing that can be read. Never written here.',
    );
    const verifiedFor = { deviceId: one, hostName: 'tank-01', mark: '7KQ4M', nest: 'A1', batchName: 'Tanks' };
    const [whose] = view(proposal(slot('slot-1', { verifiedFor })), {}, []);
    expect(readOut(whose!)).toContain('the verified card of tank-01 (Tanks)');
  });
});

describe('choices for the next round', () => {
  const { reducer } = cardsFeature;
  const seen = (serial: string) =>
    CardsActions.proposalCame({
      proposal: { cards: [slot('slot-1', { medium: medium(serial) })], blockers: [], waiting: 1, at: 0 },
    });

  it('stay while the card stays and go when another card lies in the slot', () => {
    const chosen = [seen('a'), CardsActions.assigned({ slotId: 'slot-1', deviceId: two })].reduce(
      reducer,
      undefined!,
    );
    expect(reducer(chosen, seen('a')).chosen).toEqual({ 'slot-1': two });
    expect(reducer(chosen, seen('b')).chosen).toEqual({});
  });

  it('give a device to one slot only: the one that had it, by proposal or by choice, is left out', () => {
    const cards = [slot('slot-1', { deviceId: one }), slot('slot-2', { deviceId: two })];
    const took = (slotId: string, deviceId: string | null) => CardsActions.assigned({ slotId, deviceId });
    const chosen = (...acts: ReturnType<typeof took>[]) =>
      [CardsActions.proposalCame({ proposal: { cards, blockers: [], waiting: 2, at: 0 } }), ...acts].reduce(
        reducer,
        undefined!,
      ).chosen;
    expect(chosen(took('slot-1', two))).toEqual({ 'slot-1': two, 'slot-2': null });
    expect(chosen(took('slot-1', two), took('slot-2', two))).toEqual({ 'slot-1': null, 'slot-2': two });
    expect(chosen(took('slot-1', null), took('slot-2', null))).toEqual({ 'slot-1': null, 'slot-2': null });
  });

  it('collect rates of the running round only', () => {
    const running = round(1, [card('slot-1', one, { state: 'writing', rate: 40e6 })], 'running');
    const state = reducer(undefined, ProgressActions.roundCame({ round: running }));
    expect(state.rates?.bySlot['slot-1']?.map(({ rate }) => rate)).toEqual([40]);
    expect(reducer(state, ProgressActions.roundCame({ round: { ...running, state: 'done' } })).rates).toBe(
      state.rates,
    );
  });
});

it('a batch that is opened anew drops the progress of the one before', () => {
  const state = progressFeature.reducer(undefined, ProgressActions.came({ progress: progress([]) }));
  const other = BatchActions.opened({ id: '44444444-4444-4444-8444-444444444444' });
  expect(progressFeature.reducer(state, other).progress).toBeNull();
  expect(batchFeature.reducer(undefined, other).plan).toBeNull();
});
