import { findBoard, isSure, overlap, settingsOf, subnetFault, type Device } from '@nest-mark/core';
import type { Move, MovePlan } from '@nest-mark/core/api';
import type { MovingBoard, Moving } from '@nest-mark/core/moving';
import { waysOf as loginsOf } from '../bringup';
import { batchProgress } from '../finding';
import { shelfNetworks } from '../networks';
import type { StoredBatch } from '../plans';
import type { Moves } from './domain';

/** Why the bench gets into no board of a batch; empty where some way is open. */
const noLogin = 'The bench has no way to log in to it: see Bring up.';

/** What is wrong with a move as a whole. */
export type MoveFinding = Move['findings'][number];

/** Everything that the ways of a batch's boards follow from. */
export interface Facts {
  moving: Moving;
  boards: MovingBoard[];
  /** Devices of the move, in the tray's order. */
  devices: Device[];
  findings: MoveFinding[];
}

/** @param today ISO 8601 */
export async function factsOf(
  moves: Moves,
  batch: StoredBatch,
  plan: MovePlan,
  today: string,
): Promise<Facts> {
  const [shelf, profiles, { devices: progress }] = await Promise.all([
    shelfNetworks(moves.plans.networks),
    moves.plans.boards.repository.list(),
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
    };
  });
  return { moving, boards, devices, findings: findingsOf(moving, batch) };
}

function findingsOf({ plan, from, to, bridge }: Moving, batch: StoredBatch): MoveFinding[] {
  const findings: MoveFinding[] = [];
  const add = (text: string, todo: string, fix: MoveFinding['fix'] = null): void => {
    findings.push({ text, todo, fix });
  };
  if (!from || !to) {
    add(
      'The networks of the move are not chosen yet.',
      'Choose the old and the new one; the shelf is under Networks.',
    );
    return findings;
  }
  if (from.id === to.id) add('The old and the new network are the same.', 'Choose another one.');
  if (to.secret.state === 'missing' && to.security !== 'open')
    add('The key of the new network is not known here.', 'Type it in under Networks.');
  if (to.secret.faults.length > 0)
    add('The key of the new network cannot be right.', 'Look at what Networks says of it.');
  if (to.subnet === '' || subnetFault(to.subnet) !== null)
    add(
      'The addresses of the new network are not known, so nobody can be looked for there.',
      'Give its subnet under Networks; the router or this computer’s own address there tell it.',
    );
  else if (overlap(from.subnet, to.subnet))
    add(
      `The old and the new network share addresses (${from.subnet} and ${to.subnet}), so an address does not tell on which of them a board is.`,
      'Let this computer reach one of them at a time, and say so under “This computer reaches”; or give the new router another range.',
    );
  if (batch.plan.vpn.wanted && overlap(batch.plan.vpn.network, to.subnet))
    add('The new network shares addresses with the VPN.', 'Give the VPN another range in the plan.');
  if (plan.oldEnds !== '' && plan.newBegins !== '' && plan.newBegins > plan.oldEnds && !bridge)
    add(
      `Between ${plan.oldEnds} and ${plan.newBegins} there is no network.`,
      'A phone’s hotspot as a bridge keeps the boards in reach.',
    );
  // This computer is a client too.
  if (to.clientLimit !== null && to.clientLimit <= batch.plan.devices.length)
    add(
      `The new network takes ${String(to.clientLimit)} clients, this computer among them, and there are ${String(batch.plan.devices.length)} boards.`,
      'Take a network with more room, or a second hotspot for the rest.',
    );
  if (bridge?.clientLimit != null && bridge.clientLimit <= batch.plan.devices.length)
    add(
      `The bridge takes ${String(bridge.clientLimit)} clients, this computer among them, and there are ${String(batch.plan.devices.length)} boards.`,
      'Move them in groups, or take a second hotspot.',
    );
  if (!batch.plan.networks.some(({ networkId }) => networkId === to.id))
    add(
      'The plan of the batch does not have the new network yet: cards that are written from now on would not join it, and boards that have it are not as planned.',
      'Add it when the move is decided.',
      'into-plan',
    );
  return findings;
}
