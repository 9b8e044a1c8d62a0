/** Places in the tray: rows are letters from the back of the bench, columns count from 1 (A1, A2, … B1 …). */

/** Most rows and columns of a tray; 26 letters are the limit for rows. */
export const TRAY_LIMIT = { rows: 26, columns: 40 } as const;

/** Name of the nest at a row and a column, both counted from 0. */
export const nestName = (row: number, column: number): string =>
  `${String.fromCharCode(65 + row)}${String(column + 1)}`;

/** All nests of a tray in reading order. */
export function nestsOf(rows: number, columns: number): string[] {
  const names: string[] = [];
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < columns; column++) names.push(nestName(row, column));
  return names;
}

/** Row and column (from 0) of a nest's name, or null when it is not one. */
export function parseNest(name: string): { row: number; column: number } | null {
  const parts = /^([A-Z])([1-9]\d?)$/.exec(name);
  if (!parts) return null;
  return { row: (parts[1] ?? 'A').charCodeAt(0) - 65, column: Number(parts[2]) - 1 };
}

/** Orders nests row by row; a broken one comes last. */
export function compareNests(a: string, b: string): number {
  const place = (nest: string): number => {
    const parsed = parseNest(nest);
    return parsed ? parsed.row * 1000 + parsed.column : Number.MAX_SAFE_INTEGER;
  };
  return place(a) - place(b);
}
