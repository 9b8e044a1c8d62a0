import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { ArmRound, Problem, Proposal, ResumeRound, Round } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';
import { ProgressActions } from '../state/progress.reducer';

export const CardsActions = createActionGroup({
  source: 'Cards',
  events: {
    Entered: emptyProps(),
    'Proposal Came': props<{ proposal: Proposal }>(),
    /** Null leaves the slot's card out. */
    Assigned: props<{ slotId: string; deviceId: string | null }>(),
    'Arming Asked': emptyProps(),
    /** All unfinished cards of a round, or the one of a slot. */
    'Resuming Asked': props<{ roundId: string; only?: string }>(),
    'Arming Left': emptyProps(),
    'Round Confirmed': props<{ request: ArmRound }>(),
    'Resume Confirmed': props<{ roundId: string; request: ResumeRound }>(),
    'Round Begun': props<{ round: Round }>(),
    'Round Refused': props<{ problem: Problem }>(),
    'Cancel Wanted': props<{ roundId: string }>(),
    'Pause Wanted': props<{ roundId: string; paused: boolean }>(),
    'Carrier Done': props<{ deviceId: string }>(),
  },
});

/** A point of a slot's write rate. */
export interface RateSample {
  /** Seconds since the round began. */
  at: number;
  /** Megabytes (10^6) per second. */
  rate: number;
}

export interface CardsState {
  proposal: Proposal | null;
  /** What the person chose instead of the proposal, by slot. */
  chosen: Record<string, string | null>;
  /** What the dialog is about: a new round, or one to be written again. */
  arming: 'new' | { roundId: string; only?: string } | null;
  sending: boolean;
  problem: Problem | null;
  rates: { roundId: string; bySlot: Record<string, RateSample[]> } | null;
}

const initial: CardsState = {
  proposal: null,
  chosen: {},
  arming: null,
  sending: false,
  problem: null,
  rates: null,
};

/** Choices for slots whose card is no longer the one that was looked at are dropped. */
function stillMeant(state: CardsState, proposal: Proposal): CardsState['chosen'] {
  const medium = (from: Proposal | null, slotId: string): string =>
    JSON.stringify(from?.cards.find((card) => card.slotId === slotId)?.medium?.identity ?? null);
  return Object.fromEntries(
    Object.entries(state.chosen).filter(
      ([slotId]) => medium(state.proposal, slotId) === medium(proposal, slotId),
    ),
  );
}

/** The choices, with every slot left out that would have become the same device: a device has one card. */
function withoutTwice({ proposal, chosen }: CardsState, deviceId: string | null): CardsState['chosen'] {
  const same = (proposal?.cards ?? []).filter(
    ({ slotId, deviceId: proposed }) =>
      deviceId !== null && (slotId in chosen ? chosen[slotId] : proposed) === deviceId,
  );
  return { ...chosen, ...Object.fromEntries(same.map(({ slotId }) => [slotId, null])) };
}

function withRates(state: CardsState, round: Round): CardsState {
  if (round.state !== 'running') return state;
  const known = state.rates?.roundId === round.id ? state.rates.bySlot : {};
  const at = (Date.now() - round.startedAt) / 1000;
  const bySlot = Object.fromEntries(
    round.cards.map(({ slotId, rate }) => {
      const before = known[slotId] ?? [];
      return [slotId, rate > 0 ? [...before, { at, rate: rate / 1e6 }].slice(-600) : before];
    }),
  );
  return { ...state, rates: { roundId: round.id, bySlot } };
}

export const cardsFeature = createFeature({
  name: 'cards',
  reducer: createReducer(
    initial,
    on(CardsActions.proposalCame, (state, { proposal }): CardsState => ({
      ...state,
      proposal,
      chosen: stillMeant(state, proposal),
    })),
    on(CardsActions.assigned, (state, { slotId, deviceId }): CardsState => ({
      ...state,
      chosen: { ...withoutTwice(state, deviceId), [slotId]: deviceId },
    })),
    on(CardsActions.armingAsked, (state): CardsState => ({ ...state, arming: 'new', problem: null })),
    on(CardsActions.resumingAsked, (state, { roundId, only }): CardsState => ({
      ...state,
      arming: only === undefined ? { roundId } : { roundId, only },
      problem: null,
    })),
    on(CardsActions.armingLeft, (state): CardsState => ({ ...state, arming: null, problem: null })),
    on(CardsActions.roundConfirmed, CardsActions.resumeConfirmed, (state): CardsState => ({
      ...state,
      sending: true,
      problem: null,
    })),
    on(CardsActions.roundBegun, (state): CardsState => ({
      ...state,
      sending: false,
      arming: null,
      chosen: {},
    })),
    on(CardsActions.roundRefused, (state, { problem }): CardsState => ({
      ...state,
      sending: false,
      problem,
    })),
    on(ProgressActions.roundCame, (state, { round }): CardsState => withRates(state, round)),
    on(BatchActions.opened, (): CardsState => initial),
  ),
});
