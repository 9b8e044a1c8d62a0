import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { LoginWay, Move, MovePlan, MoveTask, Problem } from '@nest-mark/core/api';
import { isAway } from '../api/api-problem';
import { BatchActions } from '../state/batch.actions';

export const MoveActions = createActionGroup({
  source: 'Move',
  events: {
    /** Somebody looks at it: it is read, and read again when something goes on. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ batchId: string; move: Move | null }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    Planned: props<{ plan: MovePlan }>(),
    Edited: props<{ plan: MovePlan }>(),
    Saved: props<{ batchId: string; sent: MovePlan; move: Move }>(),
    Started: props<{ task: MoveTask; deviceIds: string[]; way: LoginWay }>(),
    Stopped: emptyProps(),
    'Put Away': emptyProps(),
    Refused: props<{ problem: Problem }>(),
  },
});

export interface MoveState {
  batchId: string | null;
  looking: boolean;
  /** Whether it was read. */
  read: boolean;
  /** The move as it is shown; null where there is none. */
  move: Move | null;
  /** Whether something typed is not saved yet. */
  dirty: boolean;
  problem: Problem | null;
}

const initial: MoveState = {
  batchId: null,
  looking: false,
  read: false,
  move: null,
  dirty: false,
  problem: null,
};

/** Whether an answer is of another batch than the one that was opened since it was asked for. */
const late = (state: MoveState, batchId: string): boolean =>
  state.batchId !== null && state.batchId !== batchId;

export const moveFeature = createFeature({
  name: 'move',
  reducer: createReducer<MoveState>(
    initial,
    on(MoveActions.lookedAt, (state): MoveState => ({ ...state, looking: true, problem: null })),
    on(MoveActions.lookedAway, (state): MoveState => ({ ...state, looking: false, problem: null })),
    on(MoveActions.came, (state, { batchId, move }): MoveState => {
      if (late(state, batchId)) return state;
      // What somebody types stays under their hands; its saving tells whether somebody else changed it.
      if (state.dirty && state.move && move?.id === state.move.id)
        return {
          ...state,
          move: { ...state.move, boards: move.boards, running: move.running, ended: move.ended },
        };
      return { ...state, batchId, move, read: true, dirty: false };
    }),
    on(MoveActions.edited, (state, { plan }): MoveState =>
      state.move ? { ...state, move: { ...state.move, plan }, dirty: true, problem: null } : state,
    ),
    on(MoveActions.saved, (state, { batchId, sent, move }): MoveState => {
      if (late(state, batchId)) return state;
      const later = state.dirty && state.move !== null && state.move.plan !== sent;
      return {
        ...state,
        batchId,
        read: true,
        problem: null,
        move: later ? { ...move, plan: state.move?.plan ?? move.plan } : move,
        dirty: later,
      };
    }),
    on(MoveActions.planned, MoveActions.started, (state): MoveState => ({ ...state, problem: null })),
    // What is typed stays while the server is away: it is saved when that is back.
    on(MoveActions.refused, (state, { problem }): MoveState => ({
      ...state,
      problem,
      dirty: state.dirty && isAway(problem),
    })),
    on(BatchActions.opened, (state, { id }): MoveState =>
      state.batchId === id ? state : { ...initial, batchId: id, looking: state.looking },
    ),
  ),
});
