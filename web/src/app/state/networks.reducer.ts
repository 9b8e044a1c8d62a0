import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import {
  createActionGroup,
  createFeature,
  createReducer,
  createSelector,
  emptyProps,
  on,
  props,
} from '@ngrx/store';
import { handlingOf } from '../api/api-problem';
import {
  ssidBytes,
  toHex,
  type Network,
  type NetworkFacts,
  type Problem,
  type SaveNetwork,
  type ShelvedNetwork,
} from '@nest-mark/core';

export const NetworksActions = createActionGroup({
  source: 'Networks',
  events: {
    'List Asked': emptyProps(),
    'List Came': props<{ list: ShelvedNetwork[] }>(),
    Edited: props<{ id: string; change: Partial<Network> }>(),
    'Secret Typed': props<{ id: string; value: string }>(),
    'Save Due': props<{ id: string }>(),
    'Save Begun': props<{ id: string }>(),
    Saved: props<{ network: ShelvedNetwork; sent: SaveNetwork }>(),
    'Save Failed': props<{ id: string; problem: Problem }>(),
    'Theirs Taken': props<{ id: string }>(),
    'Mine Kept': props<{ id: string }>(),
    /** Makes a network; `plan` asks to put it into the open plan at once. */
    'Add Wanted': props<{ network: Network; plan: boolean; secret?: string }>(),
    Added: props<{ network: ShelvedNetwork; plan: boolean }>(),
    'Removal Wanted': props<{ id: string }>(),
    Removed: props<{ id: string }>(),
    /** Its key was tried. */
    Tried: props<{ network: ShelvedNetwork }>(),
  },
});

/** What a person has changed of a network since it was last saved. */
interface NetworkEdit {
  network: Network;
  secret: string | undefined;
  save: 'changed' | 'saving' | 'failed' | 'conflict';
  problem: Problem | null;
}

export interface NetworksState {
  /** Null until it was read. */
  shelf: EntityState<ShelvedNetwork> | null;
  edits: Record<string, NetworkEdit>;
}

/** The network alone, without its place on the shelf. */
export const bareNetwork = ({
  id: _id,
  version: _version,
  secret: _secret,
  tried: _tried,
  ...network
}: ShelvedNetwork): Network => network;

const shelf = createEntityAdapter<ShelvedNetwork>();

/** Puts a network onto the shelf, unless what lies there is newer: an answer may come after the list. */
const put = (kept: NetworksState['shelf'], network: ShelvedNetwork): EntityState<ShelvedNetwork> => {
  const before = kept ?? shelf.getInitialState();
  const known = before.entities[network.id];
  return known && known.version > network.version ? before : shelf.setOne(network, before);
};

const edited = (
  state: NetworksState,
  id: string,
  change: Partial<Network>,
  secret: string | undefined,
): NetworksState => {
  const stored = state.shelf?.entities[id];
  if (!stored) return state;
  const before = state.edits[id];
  const edit: NetworkEdit = {
    network: { ...(before?.network ?? bareNetwork(stored)), ...change },
    secret: secret ?? before?.secret,
    // A conflict is solved by a person, not by typing on.
    save: before?.save === 'conflict' ? 'conflict' : 'changed',
    problem: before?.problem ?? null,
  };
  return { ...state, edits: { ...state.edits, [id]: edit } };
};

const without = (edits: NetworksState['edits'], id: string): NetworksState['edits'] =>
  Object.fromEntries(Object.entries(edits).filter(([key]) => key !== id));

const marked = (state: NetworksState, id: string, change: Partial<NetworkEdit>): NetworksState => {
  const edit = state.edits[id];
  return edit ? { ...state, edits: { ...state.edits, [id]: { ...edit, ...change } } } : state;
};

export const networksFeature = createFeature({
  name: 'networks',
  reducer: createReducer<NetworksState>(
    { shelf: null, edits: {} },
    on(NetworksActions.listCame, (state, { list }): NetworksState => ({
      ...state,
      shelf: shelf.setAll(list, state.shelf ?? shelf.getInitialState()),
    })),
    on(NetworksActions.edited, (state, { id, change }): NetworksState =>
      edited(state, id, change, undefined),
    ),
    on(NetworksActions.secretTyped, (state, { id, value }): NetworksState => edited(state, id, {}, value)),
    on(NetworksActions.saveBegun, (state, { id }): NetworksState =>
      marked(state, id, { save: 'saving', problem: null }),
    ),
    on(NetworksActions.saved, (state, { network, sent }): NetworksState => {
      const edit = state.edits[network.id];
      // What was typed while the answer was on its way stays.
      const clean = !edit || (edit.network === sent.network && edit.secret === sent.secret);
      const kept = clean
        ? without(state.edits, network.id)
        : {
            ...state.edits,
            [network.id]: {
              ...edit,
              secret: edit.secret === sent.secret ? undefined : edit.secret,
              save: 'changed' as const,
            },
          };
      return { shelf: put(state.shelf, network), edits: kept };
    }),
    on(NetworksActions.saveFailed, (state, { id, problem }): NetworksState =>
      marked(state, id, { save: handlingOf(problem) === 'reload' ? 'conflict' : 'failed', problem }),
    ),
    on(NetworksActions.theirsTaken, (state, { id }): NetworksState => ({
      ...state,
      edits: without(state.edits, id),
    })),
    on(NetworksActions.mineKept, (state, { id }): NetworksState =>
      marked(state, id, { save: 'changed', problem: null }),
    ),
    on(NetworksActions.tried, (state, { network }): NetworksState => ({
      ...state,
      shelf: put(state.shelf, network),
    })),
    on(NetworksActions.added, (state, { network }): NetworksState => ({
      ...state,
      shelf: put(state.shelf, network),
    })),
    on(NetworksActions.removed, (state, { id }): NetworksState => ({
      shelf: state.shelf && shelf.removeOne(id, state.shelf),
      edits: without(state.edits, id),
    })),
  ),
  extraSelectors: ({ selectShelf, selectEdits }) => {
    const selectList = createSelector(selectShelf, (kept) => kept && shelf.getSelectors().selectAll(kept));
    /** The shelf as the person has it, for the checks and the screen. */
    const selectFacts = createSelector(selectList, selectEdits, (list, edits): NetworkFacts[] =>
      (list ?? []).map(({ version: _version, secret, ...stored }): NetworkFacts => {
        const edit = edits[stored.id];
        const kept =
          secret.state === 'kept'
            ? { kind: 'kept' as const, faults: secret.faults }
            : { kind: 'missing' as const };
        return {
          ...stored,
          ...edit?.network,
          ...(edit && stored.tried ? { tried: { ...stored.tried, current: false } } : {}),
          secret: edit?.secret === undefined ? kept : { kind: 'typed', value: edit.secret },
        };
      }),
    );
    return {
      selectList,
      selectFacts,
      /** Octets of their names, in hexadecimal digits. */
      selectNames: createSelector(
        selectFacts,
        (facts) => new Set(facts.map((network) => toHex(ssidBytes(network) ?? new Uint8Array()))),
      ),
    };
  },
});
