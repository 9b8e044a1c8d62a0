import { counted, inSubnet, ssidBytes, toHex, wifiProfile, type Device } from '@nest-mark/core';
import type { BoardMoveState, MoveTask } from '@nest-mark/core/api';
import type { NewNetwork } from '@nest-mark/core/moving';
import { moveBoard, takeOff, TRIAL_SECONDS, type BoardMoved } from '@nest-mark/station';
import { loginFor, Places, together } from '../bringup';
import { lookIn } from '../finding';
import { boardKey } from '../networks';
import { needBatch, type StoredBatch } from '../plans';
import { reasonOf } from '../platform/http/problems';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { RunItem } from '../platform/runs/model';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { VaultError } from '../platform/vault/seal';
import type { Moves } from './domain';
import { MoveOrderSchema, type MoveOrder } from './order';

/** Milliseconds between two looks over the new network. */
const SEEK_EVERY = 1500;

/** What ends the whole move rather than one board's. */
const CHANGED = 'The new network was changed after the move was begun. Begin it anew.';

const well = (state: BoardMoved['state']): boolean =>
  state === 'moved' || state === 'waits' || state === 'alone';
/** What is said of boards at the end, by what they were told to do. */
const words: Record<MoveTask, { did: string; not: string }> = {
  move: { did: 'came over', not: 'did not come over' },
  'take-off': { did: 'forgot the old network', not: 'did not forget the old network' },
};
const boardsOf = (count: number): string => counted(count, 'board');

/** One run, as it goes through its boards. */
class Moving {
  private readonly places: Places;

  constructor(
    private readonly moves: Moves,
    private readonly handle: RunHandle,
    private readonly batch: StoredBatch,
    private readonly order: MoveOrder,
    private readonly network: NewNetwork,
  ) {
    this.places = new Places(moves, batch.id);
  }

  /** Moves one board, and writes down how that ended. */
  async board(item: RunItem): Promise<BoardMoved> {
    const { moves, handle, batch, order } = this;
    const end = await this.work(item).catch((error: unknown): BoardMoved => {
      if (moves.closing.aborted || !(error instanceof VaultError)) throw error;
      return { state: 'hand', message: reasonOf(error) };
    });
    // What the program's own end stopped goes on with the next start.
    if (end.state === 'stopped' && moves.closing.aborted) throw new Error('the program stops');
    const state = well(end.state) ? 'done' : end.state === 'stopped' ? 'cancelled' : 'failed';
    await untilRecorded(moves, () =>
      moves.knex.transaction(async (db) => {
        const { message } = end;
        if (!(await moves.runs.repository.endItem(handle.run.id, item.subject, { state, message }, db)))
          return;
        await moves.repository.note(order.moveId, item.subject, end.state, message, db);
        await moves.log.add(
          [
            {
              kind: well(end.state) ? 'moved' : 'move-ended',
              batchId: batch.id,
              deviceId: item.subject,
              text: `${this.device(item.subject)?.hostName ?? 'A device'}: ${message}`,
            },
          ],
          db,
        );
      }),
    );
    moves.events.send({ type: 'move', batchId: batch.id });
    moves.events.send({ type: 'log' });
    return end;
  }

  private device(deviceId: string): Device | undefined {
    return this.batch.plan.devices.find(({ id }) => id === deviceId);
  }

  /** Looks over the new network. A look that breaks is made again with the next one. */
  private readonly seekNew = together(SEEK_EVERY, async () => {
    const { moves, order, batch, handle } = this;
    const place = { subnet: order.to.subnet, port: order.port };
    await lookIn(moves.finding, batch.id, place, handle.control.signal).catch((error: unknown) => {
      if (moves.closing.aborted) throw error;
    });
    this.places.forget();
  });

  private async work({ subject: deviceId }: RunItem): Promise<BoardMoved> {
    const { moves, handle, batch, order, network } = this;
    const device = this.device(deviceId);
    if (!device) return { state: 'hand', message: 'The device left the plan.' };
    const { login } = await untilRecorded(moves, () => loginFor(moves.bringUps, batch, device, order.way));
    const note = async (state: BoardMoveState, message: string): Promise<void> => {
      await untilRecorded(moves, async () => {
        await moves.runs.repository.step(handle.run.id, deviceId, state);
        await moves.repository.note(order.moveId, deviceId, state, message);
      });
      moves.events.send({ type: 'move', batchId: batch.id });
    };
    const about = {
      login,
      secrets: network.key === '' ? [] : [network.key],
      network,
      isNew: (address: string) => inSubnet(address, order.to.subnet),
      place: () => this.places.of(deviceId),
      seek: () => this.places.seek(),
      note,
      told: () => undefined,
      signal: handle.control.signal,
      patience: moves.bringUps.patience,
    };
    if (order.task === 'take-off' && order.oldHex !== null)
      return takeOff({ ...about, oldHex: order.oldHex });
    return moveBoard({
      ...about,
      priority: order.plan.priority,
      returnSeconds: order.plan.returnMinutes * 60,
      trialSeconds: TRIAL_SECONDS,
      now: order.plan.bench === 'both',
      seekNew: this.seekNew,
    });
  }
}

/** The new network as boards get it. @returns null where it was changed since, or is gone */
async function networkOf(moves: Moves, { moveId, to }: MoveOrder): Promise<NewNetwork | null> {
  const found = await moves.plans.networks.repository.find(to.id);
  const ssid = found && ssidBytes(found);
  if (!found || !ssid || found.version !== to.version) return null;
  const key = await boardKey(moves.plans.networks, found, ssid);
  const { security, hidden } = found;
  return {
    moveId,
    uuid: moveId,
    ssidHex: toHex(ssid),
    hidden,
    security,
    key,
    keyfile: wifiProfile(
      { ssid, security, hidden, key, priority: 0 },
      { id: `nest-mark-${moveId.slice(0, 8)}`, uuid: moveId, auto: false },
    ),
  };
}

/** The run that moves boards: one first, then the others in groups. */
export const moveRun = (moves: Moves): KindOfRun => ({
  kind: 'move',
  // Where each board is, it says itself; and one that nobody proves goes back.
  afterKill: 'again',
  async work(handle): Promise<RunEnd> {
    const { run, control, release } = handle;
    const order = MoveOrderSchema.parse(
      await untilRecorded(moves, () => moves.runs.repository.orderOf(run.id)),
    );
    const batch = await untilRecorded(moves, () => needBatch(moves.plans, run.batchId ?? ''));
    const network = await untilRecorded(moves, () => networkOf(moves, order));
    if (!network) {
      release();
      return { state: 'failed', reason: CHANGED };
    }
    const items = await untilRecorded(moves, () => moves.runs.repository.items(run.id));
    const open = items.filter(({ state }) => state === 'queued' || state === 'running');
    const moving = new Moving(moves, handle, batch, order, network);
    const ends: BoardMoved[] = [];
    const stopped = (): boolean => control.signal.aborted;
    const firstIsThrough = items.some(({ state }) => state === 'done');
    for (let at = 0; at < open.length && !stopped();) {
      const size = at === 0 && !firstIsThrough ? 1 : order.plan.groupSize;
      const group = await Promise.all(open.slice(at, at + size).map((item) => moving.board(item)));
      ends.push(...group);
      at += size;
      const left = open.length - at;
      // Nobody of a group came over, or one is on neither network: the others stay where they are.
      const stop = group.some(({ state }) => state === 'missing') || !group.some(({ state }) => well(state));
      if (stop && left > 0 && !stopped()) {
        release();
        const why = group.find(({ state }) => !well(state))?.message ?? '';
        return {
          state: 'failed',
          reason: `${at === 1 ? 'The first board' : 'A group'} ${words[order.task].not}, so ${left === 1 ? 'the other one was' : `the other ${String(left)} were`} not begun: ${why}`,
        };
      }
    }
    release();
    if (stopped()) return { state: 'cancelled', reason: 'It was stopped.' };
    const hands = ends.filter(({ state }) => !well(state)).length;
    return {
      state: 'done',
      reason:
        hands === 0
          ? `${boardsOf(items.length)} ${words[order.task].did}.`
          : `${boardsOf(hands)} of ${String(items.length)} ${words[order.task].not}.`,
    };
  },
  interrupted: () =>
    Promise.resolve(
      'The program stopped in the middle of it, again and again. Begin it anew: where each board is, it says itself.',
    ),
  afterEnd(run) {
    if (run.batchId === null) return;
    moves.events.send({ type: 'move', batchId: run.batchId });
    moves.events.send({ type: 'progress', batchId: run.batchId });
    moves.events.send({ type: 'log' });
  },
});
