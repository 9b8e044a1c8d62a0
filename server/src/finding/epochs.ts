import { randomUUID } from 'node:crypto';
import { isSix } from '@nest-mark/core';

/**
 * Tells a board that moved from a card that was copied, while a listening lasts. Where a key signs at a second address,
 * the first one is asked again: if it signs too, both belong to one look, which makes it a copy; if not, a new look
 * begins, and what was seen in the one before tells only where the board was.
 */
export class Epochs {
  private readonly at = new Map<string, { id: string; addresses: Set<string> }>();

  /**
   * @param first id of the look that the listening begins with
   * @param signsStill asks an address whether it still signs with a key
   */
  constructor(
    private readonly first: string,
    private readonly signsStill: (address: string, hostKey: string) => Promise<boolean>,
  ) {}

  /** Takes note of a proof. @returns the look that it belongs to, and addresses that signed again in it */
  async proved(hostKey: string, address: string): Promise<{ look: string; still: string[] }> {
    const known = this.at.get(hostKey) ?? { id: this.first, addresses: new Set<string>() };
    this.at.set(hostKey, known);
    const others = [...known.addresses].filter((one) => one !== address && isSix(one) === isSix(address));
    const still: string[] = [];
    for (const other of others) {
      if (await this.signsStill(other, hostKey)) still.push(other);
      else known.addresses.delete(other);
    }
    if (others.length > 0 && still.length === 0) {
      known.id = randomUUID();
      known.addresses.clear();
    }
    known.addresses.add(address);
    return { look: known.id, still };
  }
}
