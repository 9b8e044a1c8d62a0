import type { MediumIdentity } from '@nest-mark/station';
import type { RunKind } from '../queue/kinds';

export type { RunKind };

/**
 * A run is a piece of work that lasts; its items are the cards, ranges or images that it is about. One kind of run for
 * all of them: what differs is the work itself and what is kept beside it.
 */

/** `interrupted`: its station's program stopped in the middle of it. */
export type RunState = 'queued' | 'running' | 'held' | 'done' | 'failed' | 'cancelled' | 'interrupted';

export type ItemState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'interrupted';

/** States from which a run or an item goes on. */
export const underWay: readonly RunState[] = ['queued', 'running', 'held'];

export interface Run {
  id: string;
  kind: RunKind;
  /** The station whose work it is; no other touches it. */
  station: string;
  batchId: string | null;
  state: RunState;
  /** Who began it, in words. */
  begunBy: string;
  /** Why it ended, in words; empty where its state says it. */
  reason: string;
  /** How often it was begun. */
  attempts: number;
  /** Milliseconds since 1970, by the database's clock. */
  queuedAt: number;
  startedAt: number | null;
  endedAt: number | null;
}

export interface RunItem {
  runId: string;
  /** What it is about: a slot, a card's key, a subnet, an image's id. */
  subject: string;
  deviceId: string | null;
  state: ItemState;
  /** The step that it is at. */
  step: string;
  /** How far that step is, and of how much; in the kind's own measure. */
  cursor: number;
  total: number;
  attempts: number;
  /** What became of it, in words. */
  message: string;
  at: number;
}

/** A run that is to be made. */
export interface NewRun {
  id: string;
  kind: RunKind;
  batchId?: string;
  begunBy: string;
  /** What the work needs to know beside its items; never a secret. */
  order?: unknown;
  items: readonly NewItem[];
}

interface NewItem {
  subject: string;
  deviceId?: string;
  /** The slot that it needs for itself, and the medium in it. */
  slot?: { id: string; identity: MediumIdentity };
  total?: number;
}

/** A slot that something under way has for itself. */
export interface HeldSlot {
  runId: string;
  kind: RunKind;
  station: string;
  slotId: string;
  deviceId: string | null;
  identity: MediumIdentity;
}

/** How an item ended. */
export interface ItemEnd {
  state: Exclude<ItemState, 'queued' | 'running'>;
  message: string;
}

/** What somebody asked of a run that another process may be at. */
export type Wish = 'cancel' | 'hold' | 'go-on';
