/** What a list offers: an id and its words. */
export interface Choice {
  id: string;
  label: string;
}

/** A list that is open must not be drawn anew under the finger because something else changed. */
export const sameChoices = (a: readonly Choice[], b: readonly Choice[]): boolean =>
  a.length === b.length && a.every(({ id, label }, at) => id === b[at]?.id && label === b[at].label);
