import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import type { BatchProgress, Round, Search } from '@nest-mark/core/api';
import { BatchActions } from './batch.actions';

/** How far the devices of the open batch are. */
export const ProgressActions = createActionGroup({
  source: 'Progress',
  events: {
    Came: props<{ progress: BatchProgress }>(),
    'Round Came': props<{ round: Round }>(),
    'Search Came': props<{ search: Search }>(),
    'Powered Noted': props<{ deviceIds: string[] }>(),
    'Hand Over Noted': props<{ deviceIds: string[] }>(),
  },
});

export interface ProgressState {
  progress: BatchProgress | null;
}

const order = (state: Round['state'] | Search['state']): number =>
  state === 'queued' ? 0 : state === 'running' ? 1 : 2;

/** Whether a round or a search has not ended. */
export const goesOn = ({ state }: Pick<Round | Search, 'state'>): boolean => order(state) < 2;

/** Whether what came is older than what is known: the answer to a request may come after the event of its end. */
const older = (known: Round | Search | null | undefined, came: Round | Search): boolean =>
  known?.id === came.id && order(came.state) < order(known.state);

const withRound = (progress: BatchProgress, round: Round): BatchProgress => {
  if (
    older(
      progress.rounds.find(({ id }) => id === round.id),
      round,
    )
  )
    return progress;
  const rounds = [round, ...progress.rounds.filter(({ id }) => id !== round.id)].sort(
    (a, b) => b.number - a.number,
  );
  const devices = progress.devices.map((device) => {
    // The newest round that holds the device tells how its card stands.
    const newest = rounds.find(({ cards }) => cards.some(({ deviceId }) => deviceId === device.deviceId));
    const card =
      newest?.id === round.id ? round.cards.find(({ deviceId }) => deviceId === device.deviceId) : undefined;
    if (!card) return device;
    const { state, share, at, message } = card;
    return { ...device, card: { state, share, at, message } };
  });
  return { ...progress, rounds, devices };
};

export const progressFeature = createFeature({
  name: 'progress',
  reducer: createReducer<ProgressState>(
    { progress: null },
    on(ProgressActions.came, (_state, { progress }): ProgressState => ({ progress })),
    on(ProgressActions.roundCame, ({ progress }, { round }): ProgressState => ({
      progress: progress?.batchId === round.batchId ? withRound(progress, round) : progress,
    })),
    on(ProgressActions.searchCame, ({ progress }, { search }): ProgressState => ({
      progress:
        progress?.batchId === search.batchId && !older(progress.search, search)
          ? { ...progress, search }
          : progress,
    })),
    on(BatchActions.opened, ({ progress }, { id }): ProgressState => ({
      progress: progress?.batchId === id ? progress : null,
    })),
  ),
});
