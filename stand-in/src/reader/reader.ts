import { existsSync, mkdirSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describeCard, DirectFile, FileSource, readMarkFile, type MarkFile } from '@nest-mark/station/files';
import {
  CardError,
  sameMedium,
  type CardHandle,
  type CardReader,
  type Medium,
  type MediumIdentity,
  type Slot,
} from '@nest-mark/station/ports';
import type { LabState, StandInCard } from '../state';
import { StandInHandle } from './card-handle';

/** What a card holds while it is open. */
export const BEING_WRITTEN = 'being written';

/** A reader whose cards are sparse files. */
export class StandInReader implements CardReader {
  private readonly open_ = new Map<string, StandInHandle>();
  private readonly opening = new Set<string>();
  private readonly listeners = new Set<() => void>();
  /** Cards out of their slots for the moment. */
  private readonly away = new Set<string>();
  /** Descriptions of cards that were not opened since. */
  private readonly described = new Map<string, Pick<Medium, 'holds' | 'label'>>();

  constructor(
    private readonly folder: string,
    private readonly state: () => LabState,
  ) {
    mkdirSync(folder, { recursive: true });
  }

  async list(): Promise<Slot[]> {
    return Promise.all(
      Object.keys(this.state().slots).map(async (id, index) => {
        const card = this.cardIn(id);
        return { id, title: `Slot ${String(index + 1)}`, medium: card ? await this.medium(id, card) : null };
      }),
    );
  }

  async open(slotId: string, identity: MediumIdentity): Promise<CardHandle> {
    const card = this.cardIn(slotId);
    if (!card) throw notThere();
    if (!sameMedium(identityOf(slotId, card), identity))
      throw new CardError(
        'changed',
        'Another card is in the slot than when the round was armed. Look at it and arm again.',
      );
    if (this.open_.has(card.id) || this.opening.has(card.id) || card.faults.busy)
      throw new CardError('busy', 'The card is being used already. Wait until that has ended.');
    this.opening.add(card.id);
    const file = await DirectFile.open(this.fileOf(card), card.size).finally(() =>
      this.opening.delete(card.id),
    );
    // A hand can be quicker than the opening; nobody would tell this handle then.
    if (this.cardIn(slotId)?.id !== card.id) {
      await file.close();
      throw notThere();
    }
    const handle = new StandInHandle(
      file,
      card,
      () => this.state().slotRate,
      () => this.loseContact(card.id),
      () => {
        this.open_.delete(card.id);
        this.described.delete(card.id);
        this.changed();
      },
    );
    this.open_.set(card.id, handle);
    return handle;
  }

  watch(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Tells the watchers; called by the lab when hands moved a card. */
  changed(): void {
    for (const listener of this.listeners) listener();
  }

  /** A card that is taken out while open fails from then on. */
  pulled(cardId: string): void {
    this.open_.get(cardId)?.pull();
  }

  /** What a card's label says, or null while it is open or was not written here. */
  async labelOf(cardId: string): Promise<MarkFile | null> {
    const card = this.state().cards.find((candidate) => candidate.id === cardId);
    if (!card || this.open_.has(cardId)) return null;
    return this.withSource(card, readMarkFile);
  }

  /** Runs with a card's octets. */
  async withSource<T>(card: StandInCard, work: (source: FileSource) => Promise<T>): Promise<T> {
    const source = await FileSource.open(this.fileOf(card));
    try {
      return await work(source);
    } finally {
      await source.close();
    }
  }

  /** A card that is out for a second and then back. */
  private loseContact(cardId: string): void {
    this.away.add(cardId);
    this.changed();
    setTimeout(() => {
      this.away.delete(cardId);
      this.changed();
    }, 1000).unref();
  }

  private cardIn(slotId: string): StandInCard | undefined {
    const cardId = this.state().slots[slotId];
    if (cardId != null && this.away.has(cardId)) return undefined;
    return this.state().cards.find((candidate) => candidate.id === cardId);
  }

  private async medium(slotId: string, card: StandInCard): Promise<Medium> {
    const busy = this.open_.has(card.id);
    let what = this.described.get(card.id);
    if (!busy && what === undefined) {
      what = await this.withSource(card, async (source) => {
        const label = await readMarkFile(source);
        return { label, holds: await describeCard(source, label) };
      });
      if (!this.open_.has(card.id)) this.described.set(card.id, what);
    }
    const { model, removable } = card;
    const readOnly = card.readOnly || card.faults.locked;
    return {
      identity: identityOf(slotId, card),
      model,
      removable,
      readOnly,
      mounted: [],
      system: false,
      holds: what?.holds ?? BEING_WRITTEN,
      label: what?.label ?? null,
    };
  }

  private fileOf(card: StandInCard): string {
    const path = join(this.folder, `${card.id}.img`);
    if (!existsSync(path)) {
      writeFileSync(path, '');
      // Sparse: only what is written takes room on the disk.
      truncateSync(path, card.size);
    }
    return path;
  }
}

const notThere = (): CardError =>
  new CardError('pulled', 'There is no card in the slot any more. Put it back and begin again.');

const identityOf = (slotId: string, card: StandInCard): MediumIdentity => ({
  path: `practice-reader-${slotId}`,
  size: card.size,
  serial: card.serial,
});
