/** What a card that was once written for a device is to it today. */
export type Held =
  /** The device's card. */
  | 'now'
  /** An older card that carries the device as well: both must not be started. */
  | 'twice'
  /** Written for another device since, or changed elsewhere. */
  | 'gone'
  /** That writing did not end well; the card never was the device's. */
  | 'never';

/**
 * What each of a device's cards is to it.
 * @param cards newest first; `carries` says whether the writing is still on the card, as far as is known
 */
export function heldCards(cards: readonly { carries: boolean; state: string }[]): Held[] {
  const first = cards.findIndex(({ carries }) => carries);
  return cards.map(({ carries, state }, index) => {
    if (carries) return index === first ? 'now' : 'twice';
    return state === 'verified' ? 'gone' : 'never';
  });
}
