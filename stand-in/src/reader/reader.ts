import { existsSync, mkdirSync, truncateSync, writeFileSync } from 'node:fs';
import { open as openFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Patch } from '@nest-mark/core/disk';
import {
  contentDigest,
  DirectFile,
  FileSource,
  lookAtCard,
  readMarkFile,
  type CardLook,
  type MarkFile,
  type OpenedToRead,
} from '@nest-mark/station/files';
import {
  CardError,
  samePlace,
  type CardHandle,
  type CardReader,
  type Medium,
  type MediumIdentity,
  type Slot,
} from '@nest-mark/station/ports';
import { PracticeError } from '../practice-error';
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
  /** What was seen of the cards that are in slots, each until it is pulled or opened. */
  private readonly seen = new Map<string, CardLook & { content: string }>();

  constructor(
    private readonly folder: string,
    private readonly state: () => LabState,
  ) {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
  }

  /** Puts something onto a card that was never used; nothing happens when it was. */
  async fill(cardId: string, work: (path: string, size: number) => Promise<void>): Promise<void> {
    const card = this.state().cards.find((candidate) => candidate.id === cardId);
    if (card && !existsSync(this.pathOf(card))) await work(this.fileOf(card), card.size);
  }

  private pathOf(card: StandInCard): string {
    return join(this.folder, `${card.id}.img`);
  }

  async list(look?: 'anew'): Promise<Slot[]> {
    return Promise.all(
      Object.keys(this.state().slots).map(async (id, index) => {
        const card = this.cardIn(id);
        const medium = card ? await this.medium(id, card, look === 'anew') : null;
        return { id, title: `Slot ${String(index + 1)}`, medium };
      }),
    );
  }

  async open(slotId: string, identity: MediumIdentity): Promise<CardHandle> {
    const card = this.cardIn(slotId);
    if (!card) throw notThere();
    if (!samePlace(this.identityOf(slotId, card, ''), identity)) throw changed();
    if (this.open_.has(card.id) || this.opening.has(card.id) || card.faults.busy)
      throw new CardError('busy', 'The card is being used already. Wait until that has ended.');
    this.opening.add(card.id);
    const file = await DirectFile.open(this.fileOf(card), card.size).finally(() =>
      this.opening.delete(card.id),
    );
    // A hand can be quicker than the opening; nobody would tell this handle then.
    const content = await digestOf(file).catch(() => '');
    const gone = this.cardIn(slotId)?.id !== card.id;
    if (gone || content !== identity.content) {
      await file.close();
      throw gone ? notThere() : changed();
    }
    this.seen.delete(card.id);
    const handle = new StandInHandle(
      file,
      card,
      () => this.state().slotRate,
      () => this.loseContact(card.id),
      () => {
        this.open_.delete(card.id);
        this.seen.delete(card.id);
        this.changed();
      },
    );
    this.open_.set(card.id, handle);
    return handle;
  }

  async openToRead(slotId: string): Promise<OpenedToRead> {
    const card = this.cardIn(slotId);
    if (!card) throw notThere();
    if (this.open_.has(card.id) || card.faults.busy)
      throw new CardError('busy', 'The card is being used already. Wait until that has ended.');
    const file = await DirectFile.openToRead(this.fileOf(card), card.size);
    const nothing = (): void => undefined;
    const handle = new StandInHandle(file, card, () => this.state().slotRate, nothing, nothing);
    return {
      size: card.size,
      read: async (offset, length) => {
        const bytes = new Uint8Array(length);
        await handle.read(bytes, offset);
        return bytes;
      },
      into: (buffer, offset) => handle.read(buffer, offset),
      close: () => handle.close(),
    };
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
    this.seen.delete(cardId);
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

  /** What is on a card where patches would go. */
  read(cardId: string, patches: readonly Patch[]): Promise<Patch[]> {
    return this.withSource(this.idle(cardId), (source) =>
      Promise.all(
        patches.map(async ({ offset, bytes }) => ({
          offset,
          bytes: await source.read(offset, bytes.length),
        })),
      ),
    );
  }

  /** Writes octets onto a card, as another computer would. */
  async change(cardId: string, patches: readonly Patch[]): Promise<void> {
    const file = await openFile(this.fileOf(this.idle(cardId)), 'r+');
    try {
      for (const { offset, bytes } of patches) await file.write(bytes, 0, bytes.length, offset);
    } finally {
      await file.close();
    }
    this.seen.delete(cardId);
  }

  private idle(cardId: string): StandInCard {
    const card = this.state().cards.find(({ id }) => id === cardId);
    if (!card || this.open_.has(cardId))
      throw new PracticeError('The card is in use. Wait until that has ended.');
    return card;
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

  private async medium(slotId: string, card: StandInCard, anew: boolean): Promise<Medium> {
    const busy = this.open_.has(card.id);
    let what = anew || busy ? undefined : this.seen.get(card.id);
    if (!busy && what === undefined) {
      what = await this.withSource(card, async (source) => ({
        ...(await lookAtCard(source, 'usb')),
        content: await digestOf(source),
      }));
      if (!this.open_.has(card.id) && this.cardIn(slotId)?.id === card.id) this.seen.set(card.id, what);
    }
    const { model, removable } = card;
    const readOnly = card.readOnly || card.faults.locked;
    return {
      identity: this.identityOf(slotId, card, what?.content ?? ''),
      model,
      removable,
      readOnly,
      mounted: [],
      system: false,
      holds: what?.holds ?? BEING_WRITTEN,
      caution: what?.caution ?? null,
      label: what?.label ?? null,
    };
  }

  private identityOf(slotId: string, card: StandInCard, content: string): MediumIdentity {
    const serial = this.state().serials ? card.serial : '';
    return { path: `practice-reader-${slotId}`, size: card.size, serial, content };
  }

  private fileOf(card: StandInCard): string {
    const path = this.pathOf(card);
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

const changed = (): CardError =>
  new CardError(
    'changed',
    'Another card is in the slot than when the round was armed. Look at it and arm again.',
  );

const digestOf = (card: DirectFile | FileSource): Promise<string> =>
  contentDigest({
    size: card.size,
    read: async (offset, length) => {
      if (!(card instanceof DirectFile)) return card.read(offset, length);
      const bytes = new Uint8Array(length);
      await card.read(bytes, offset);
      return bytes;
    },
  });
