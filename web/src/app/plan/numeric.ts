/** A number from a field that is being typed in: null while it is empty, no number, or out of bounds. */
export const bounded = (value: unknown, least: number, most: number): number | null =>
  typeof value === 'number' && Number.isFinite(value) && value >= least && value <= most ? value : null;
