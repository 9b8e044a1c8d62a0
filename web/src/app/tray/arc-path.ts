/** Geometry of the five-part ring: arcs of a circle, clockwise from the top. */

const parts = 5;
const full = 360 / parts;
/** Degrees left open between two arcs. */
const gap = 13;

const point = (radius: number, degrees: number): string => {
  const angle = ((degrees - 90) * Math.PI) / 180;
  return `${(32 + radius * Math.cos(angle)).toFixed(2)} ${(32 + radius * Math.sin(angle)).toFixed(2)}`;
};

/**
 * SVG path of a part of one arc, in a drawing of 64 by 64.
 * @param index arc, 0 at the top
 * @param from share of the arc's length, 0 to 1
 * @param to share of the arc's length, 0 to 1
 */
export function arcPath(index: number, from = 0, to = 1, radius = 28): string {
  const start = index * full + gap / 2;
  const length = full - gap;
  return `M${point(radius, start + from * length)}A${String(radius)} ${String(radius)} 0 0 1 ${point(radius, start + to * length)}`;
}

/** A wedge that points into the gap of a notched arc. */
export function notchPath(index: number): string {
  const middle = index * full + full / 2;
  return `M${point(30.5, middle - 6)}L${point(30.5, middle + 6)}L${point(22.5, middle)}Z`;
}
