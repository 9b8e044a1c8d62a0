import type { OpenedToRead } from './card/read-trial';
import type { CardHandle, CardReader, MediumIdentity, Slot } from './ports';

/** A reader that can be left out for the time being. */
export interface ReaderInSet {
  reader: CardReader;
  offered: () => boolean | Promise<boolean>;
}

/** Several readers as one; each slot belongs to the reader that lists it. */
export class ReaderSet implements CardReader {
  constructor(private readonly members: readonly ReaderInSet[]) {}

  async list(look?: 'anew'): Promise<Slot[]> {
    return (await this.slots(look)).map(({ slot }) => slot);
  }

  async open(slotId: string, identity: MediumIdentity): Promise<CardHandle> {
    const owner = await this.ownerOf(slotId);
    // The first one says in its own words that there is no card.
    const reader = owner ?? this.members[0]?.reader;
    if (!reader) throw new Error('there is no card reader');
    return reader.open(slotId, identity);
  }

  watch(listener: () => void): () => void {
    const ends = this.members.map(({ reader }) => reader.watch(listener));
    return () => ends.forEach((end) => end());
  }

  async release(slotId: string): Promise<void> {
    await (await this.ownerOf(slotId))?.release?.(slotId);
  }

  async eject(slotId: string): Promise<void> {
    await (await this.ownerOf(slotId))?.eject?.(slotId);
  }

  async openToRead(slotId: string): Promise<OpenedToRead> {
    const reader = (await this.ownerOf(slotId)) ?? this.members[0]?.reader;
    if (!reader) throw new Error('there is no card reader');
    return reader.openToRead(slotId);
  }

  private async ownerOf(slotId: string): Promise<CardReader | undefined> {
    return (await this.slots()).find(({ slot }) => slot.id === slotId)?.reader;
  }

  private async slots(look?: 'anew'): Promise<{ slot: Slot; reader: CardReader }[]> {
    const lists = await Promise.all(
      this.members.map(async ({ reader, offered }) =>
        (await offered()) ? (await reader.list(look)).map((slot) => ({ slot, reader })) : [],
      ),
    );
    return lists.flat();
  }
}
