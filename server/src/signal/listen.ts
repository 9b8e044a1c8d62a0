import { findBoard, type LoginWay, type ShelvedNetwork } from '@nest-mark/core';
import {
  heardByAdapter,
  heardByBoard,
  readBoardSignal,
  signalQuestion,
  type HeardSignal,
} from '@nest-mark/core/in-air';
import { Shell, ShellError } from '@nest-mark/station';
import { listenWith } from '../air';
import { wayTo } from '../bringup';
import type { StoredBatch } from '../plans';
import { problem } from '../platform/http/problems';
import type { Signals } from './domain';

/** Octets that a board may answer, and milliseconds that it may take. */
const ANSWER = 65_536;
const PATIENCE = 15_000;

/** The networks of a plan that are still on the shelf. */
export async function plannedNetworks({ plans }: Signals, { plan }: StoredBatch): Promise<ShelvedNetwork[]> {
  const planned = new Set(plan.networks.map(({ networkId }) => networkId));
  return (await plans.networks.repository.list()).filter(({ id }) => planned.has(id));
}

/** Listens with an adapter of this computer. @throws Problem */
export async function byAdapter(
  signals: Signals,
  networks: readonly ShelvedNetwork[],
  adapter: string,
): Promise<HeardSignal[]> {
  const { networks: heard, hears } = await listenWith(signals.air, adapter);
  const found = heardByAdapter(networks, heard, hears);
  if (found.length > 0) return found;
  throw problem('nothing-to-hear', {
    why: networks.every(({ hidden }) => hidden)
      ? 'The networks of this plan are hidden: an adapter that only listens does not hear their names. Ask a proved board instead.'
      : `The adapter does not have the bands of the plan’s networks; it has ${hears.join(' and ') || 'none'}.`,
  });
}

/** Asks a proved board how strongly it hears the network that it is on. @throws Problem */
export async function byBoard(
  signals: Signals,
  batch: StoredBatch,
  networks: readonly ShelvedNetwork[],
  deviceId: string,
  way: LoginWay,
): Promise<{ heard: HeardSignal[]; hostName: string }> {
  const { device, place, login } = await wayTo(signals.bringUps, batch, deviceId, way);
  if (!place) throw problem('board-not-proved');
  const boards = await signals.plans.boards.repository.list();
  try {
    const shell = await Shell.open(place, login, signals.closing);
    try {
      const { text } = await shell.run(signalQuestion, { limit: ANSWER, milliseconds: PATIENCE });
      const board = findBoard(boards, device.overrides.boardProfileId ?? batch.plan.boardProfileId);
      const heard = heardByBoard(readBoardSignal(text), networks, board?.wifiBands ?? []);
      if (typeof heard === 'string') throw problem('board-tells-nothing', { why: heard });
      return { heard: [heard], hostName: device.hostName };
    } finally {
      shell.close();
    }
  } catch (error) {
    if (error instanceof ShellError) throw problem('board-refuses', { why: error.message });
    throw error;
  }
}
