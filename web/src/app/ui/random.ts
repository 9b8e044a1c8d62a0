/** A whole number below a bound without bias: values beyond the last whole multiple are drawn again. */
export function random(below: number): number {
  const limit = Math.floor(2 ** 32 / below) * below;
  const box = new Uint32Array(1);
  do crypto.getRandomValues(box);
  while ((box[0] ?? 0) >= limit);
  return (box[0] ?? 0) % below;
}

/** Random values for new devices. */
export const draw = { random, id: (): string => crypto.randomUUID() };
