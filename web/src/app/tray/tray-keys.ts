/** Moves in the grid of nests by arrow and page keys. */

export interface Place {
  row: number;
  column: number;
}

const steps: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/** Where a key leads from a place within a tray, or null when it is no key of movement. */
export function moved(key: string, at: Place, rows: number, columns: number): Place | null {
  if (key === 'Home') return { row: at.row, column: 0 };
  if (key === 'End') return { row: at.row, column: columns - 1 };
  const step = steps[key];
  if (!step) return null;
  return {
    row: Math.min(Math.max(at.row + step[0], 0), rows - 1),
    column: Math.min(Math.max(at.column + step[1], 0), columns - 1),
  };
}

/** Whether a place lies in the rectangle that two corners span. */
export const within = (place: Place, a: Place, b: Place): boolean =>
  place.row >= Math.min(a.row, b.row) &&
  place.row <= Math.max(a.row, b.row) &&
  place.column >= Math.min(a.column, b.column) &&
  place.column <= Math.max(a.column, b.column);
