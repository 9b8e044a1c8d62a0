import { findBoard, isSure, methodOf, settingsOf } from '@nest-mark/core';
import type { MovePlan } from '@nest-mark/core/api';
import type { MovingBoard, Moving } from '@nest-mark/core/moving';
import { waysOf as loginsOf } from '../bringup';
import { batchProgress } from '../finding';
import { shelfNetworks } from '../networks';
import type { StoredBatch } from '../plans';
import type { Moves } from './domain';

/** Why the bench gets into no board of a batch; empty where some way is open. */
const noLogin = 'The bench has no way to log in to it: see Bring up.';

/** Everything that the ways of a batch's boards follow from. */
export interface Facts {
  moving: Moving;
  /** Those of the move, in the tray's order. */
  boards: MovingBoard[];
}

/** @param today ISO 8601 */
export async function factsOf(
  moves: Moves,
  batch: StoredBatch,
  plan: MovePlan,
  today: string,
): Promise<Facts> {
  const [shelf, profiles, images, { devices: progress }] = await Promise.all([
    shelfNetworks(moves.plans.networks),
    moves.plans.boards.repository.list(),
    moves.plans.images.repository.list(),
    batchProgress(moves.finding, batch.id),
  ]);
  const network = (id: string | null): (typeof shelf)[number] | null =>
    shelf.find((one) => one.id === id) ?? null;
  const moving: Moving = {
    plan,
    from: network(plan.fromId),
    to: network(plan.toId),
    bridge: network(plan.bridgeId),
    today,
  };
  const wanted = new Set(plan.deviceIds);
  const devices = batch.plan.devices.filter(({ id }) => wanted.size === 0 || wanted.has(id));
  const known = new Map(progress.map((one) => [one.deviceId, one]));
  const logins = loginsOf(moves.bringUps, batch).filter(({ lacks }) => lacks === '');
  const takesAgain = new Set(images.flatMap((image) => (methodOf(image)?.again ? [image.id] : [])));
  const boards = devices.map((device): MovingBoard => {
    const settings = settingsOf(batch.plan, device);
    const facts = known.get(device.id);
    const keyOff = facts?.bringUp?.keyOff === true;
    const open = logins.filter(({ way }) => way !== 'bench-key' || !keyOff);
    return {
      deviceId: device.id,
      profile: findBoard(profiles, settings.boardProfileId) ?? null,
      proved: facts !== undefined && isSure(facts.seen),
      loginLacks:
        open.length > 0
          ? ''
          : keyOff
            ? 'the bench’s key is off it, and there is no other way to log in'
            : noLogin,
      password: settings.passwordLogin,
      written: settings.imageId !== null,
      again: takesAgain.has(settings.imageId ?? ''),
    };
  });
  return { moving, boards };
}
