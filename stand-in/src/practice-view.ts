import type { PracticeView } from '@nest-mark/core/api';
import type { BoardView } from './board/board';
import { viewOf } from './drill/state';
import type { StandInReader } from './reader/reader';
import type { LabState } from './state';

/** What only the running bench knows. */
interface Bench {
  /** Slot or nest in which a card is; null in the drawer. */
  placeOf: (cardId: string) => string | null;
  /** What may be seen of a board in a nest. */
  shown: (nest: string, powered: boolean) => BoardView;
}

/** The practice bench as people may see it: what a drill hides is not in it. */
export async function practiceView(
  state: LabState,
  reader: Pick<StandInReader, 'labelOf'>,
  { placeOf, shown }: Bench,
): Promise<PracticeView> {
  const cards = await Promise.all(
    state.cards.map(async ({ id, title, size, faults }) => {
      const label = await reader.labelOf(id);
      return {
        id,
        title,
        size,
        faults,
        place: placeOf(id),
        label: label ? `${label.mark} · ${label.hostName} · ${label.nest}` : null,
      };
    }),
  );
  return {
    cards,
    slots: Object.entries(state.slots).map(([id, cardId], index) => ({
      id,
      title: `Slot ${String(index + 1)}`,
      cardId,
    })),
    boards: state.boards.map(({ nest, hardwareAddress, cardId, powered, spoilt }) => ({
      nest,
      hardwareAddress,
      cardId,
      spoilt,
      ...shown(nest, powered),
    })),
    other: state.other,
    air: state.drill?.outcome === 'open' ? { ...state.drill.air, network: state.air.network } : state.air,
    bootSeconds: state.bootSeconds,
    slotRate: state.slotRate,
    serials: state.serials,
    drill: state.drill && viewOf(state.drill),
  };
}
