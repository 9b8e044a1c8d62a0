/** How well a row fits a column; more is better. */
export interface Edge {
  row: number;
  column: number;
  gain: number;
}

/** A row that was given a column. */
export interface Pairing extends Edge {
  /** By how much the best assignment as a whole would be worse without this pair; 0 when another one is as good. */
  margin: number;
}

interface Arc {
  to: number;
  gain: number;
}

/** One side of the graph: what its nodes may be paired with, what they are paired with now, and what that gains. */
interface Side {
  arcs: readonly (readonly Arc[])[];
  /** -1 for nobody. */
  mate: Int32Array;
  gain: Float64Array;
}

const pair = (near: Side, far: Side, one: number, other: number, gain: number): void => {
  near.mate[one] = other;
  far.mate[other] = one;
  near.gain[one] = gain;
  far.gain[other] = gain;
};

/** Differences smaller than this are rounding. */
const NOTHING = 1e-9;

/** How a node was reached: from which one, by which node of the other side, and with what gain the two would pair. */
interface Step {
  from: number;
  far: number;
  gain: number;
}

/**
 * Adds a node that is not paired to a best assignment of all others, so that the assignment is the best one with it:
 * along the alternating path that gains most. Such a path may end at a node that is left without a mate.
 * @param shut a node of the other side that nobody may have
 * @param banned a mate that the new node must not have
 * @returns what was gained, 0 or more
 */
function insert(near: Side, far: Side, start: number, shut = -1, banned = -1): number {
  const best = new Map<number, number>([[start, 0]]);
  const via = new Map<number, Step>();
  let most = NOTHING;
  let end: Step | null = null;
  const waiting = [start];
  const queued = new Set(waiting);
  for (let next = 0; next < waiting.length; next++) {
    const node = waiting[next] ?? start;
    queued.delete(node);
    const so = best.get(node) ?? 0;
    if (node !== start && so > most) {
      most = so;
      end = { from: node, far: -1, gain: 0 };
    }
    // Whoever gave up a mate gets no more than that back: the assignment was the best one without the new node.
    if (node !== start && so + (near.gain[node] ?? 0) <= most + NOTHING) continue;
    for (const { to, gain } of near.arcs[node] ?? []) {
      if (to === shut || (node === start && to === banned)) continue;
      const mate = far.mate[to] ?? -1;
      if (mate === node || mate === start) continue;
      const then = so + gain - (mate === -1 ? 0 : (far.gain[to] ?? 0));
      if (mate === -1) {
        if (then <= most) continue;
        most = then;
        end = { from: node, far: to, gain };
      } else if (then > (best.get(mate) ?? -Infinity) + NOTHING) {
        best.set(mate, then);
        via.set(mate, { from: node, far: to, gain });
        if (!queued.has(mate)) {
          queued.add(mate);
          waiting.push(mate);
        }
      }
    }
  }
  if (!end) return 0;
  // Back along the path: each node takes what the one after it gives up.
  if (end.far === -1) near.mate[end.from] = -1;
  else pair(near, far, end.from, end.far, end.gain);
  for (let node = end.from, step = via.get(node); step; node = step.from, step = via.get(node))
    pair(near, far, step.from, step.far, step.gain);
  return most;
}

/**
 * Gives rows columns, each at most one, so that the sum of the gains is the largest. What gains nothing is not paired.
 * @param edges at most one for each pair, with gains above 0
 */
export function assign(edges: readonly Edge[]): Pairing[] {
  const arcs = (from: 'row' | 'column', to: 'row' | 'column'): Arc[][] => {
    const most = edges.reduce((last, edge) => Math.max(last, edge[from]), -1);
    const lists: Arc[][] = Array.from({ length: most + 1 }, () => []);
    for (const edge of edges) if (edge.gain > 0) lists[edge[from]]?.push({ to: edge[to], gain: edge.gain });
    return lists;
  };
  const side = (lists: Arc[][]): Side => ({
    arcs: lists,
    mate: new Int32Array(lists.length).fill(-1),
    gain: new Float64Array(lists.length),
  });
  const rows = side(arcs('row', 'column'));
  const columns = side(arcs('column', 'row'));
  rows.arcs.forEach((list, row) => {
    if (list.length > 0) insert(rows, columns, row);
  });
  const pairs: Pairing[] = [];
  rows.mate.forEach((column, row) => {
    if (column === -1) return;
    const gain = rows.gain[row] ?? 0;
    pairs.push({ row, column, gain, margin: gain - without(rows, columns, row, column) });
  });
  return pairs;
}

/** What two nodes gain together when they must not have each other; the others stay as well off as they can be. */
function without(rows: Side, columns: Side, row: number, column: number): number {
  const near: Side = { ...rows, mate: rows.mate.slice(), gain: rows.gain.slice() };
  const far: Side = { ...columns, mate: columns.mate.slice(), gain: columns.gain.slice() };
  near.mate[row] = -1;
  far.mate[column] = -1;
  // One after the other: each time the assignment is the best one of those who are in it.
  const byRow = insert(near, far, row, column);
  return byRow + insert(far, near, column, -1, row);
}
