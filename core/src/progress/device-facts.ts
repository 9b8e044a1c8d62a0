import { findBoard, USUAL_FIRST_BOOT_SECONDS, type BoardProfile } from '../boards/profiles';
import { settingsOf } from '../plan/effective';
import type { Device, Plan } from '../plan/model';
import { kindOf } from '../boards/arrivals';
import type { DeviceFacts } from './standing';

/** What happened to a device, as far as its standing goes. */
type Happened = Pick<DeviceFacts, 'card' | 'poweredAt' | 'seen' | 'handedOverAt' | 'bringUp'>;

/**
 * What is known of a device, from what happened to it, its kind of board, and what this bench has seen of that kind.
 * @param happened null where nothing did
 * @param arrivals seconds from power-on to proof, by kind; see `kindOf`
 * @param stopped whether a finding stops it
 */
export function deviceFacts(
  plan: Plan,
  device: Device,
  happened: Happened | null,
  boards: readonly BoardProfile[],
  arrivals: Readonly<Record<string, readonly number[]>>,
  stopped = false,
): DeviceFacts {
  const { boardProfileId, imageId } = settingsOf(plan, device);
  return {
    stopped,
    card: happened?.card ?? null,
    poweredAt: happened?.poweredAt ?? null,
    seen: happened?.seen ?? null,
    handedOverAt: happened?.handedOverAt ?? null,
    bringUp: happened?.bringUp ?? null,
    bringUpWanted: plan.bringUp.wanted,
    firstBootSeconds: findBoard(boards, boardProfileId)?.firstBootSeconds ?? USUAL_FIRST_BOOT_SECONDS,
    arrivals: arrivals[kindOf(boardProfileId, imageId)] ?? [],
  };
}
