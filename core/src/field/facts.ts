import type { BoardProfile } from '../boards/profiles';
import type { Device, Plan } from '../plan/model';
import type { ShelvedNetwork } from '../wifi/network';
import { batteryLife, usualMilliamp, type Life } from './battery';
import type { FieldPlan } from './model';
import type { RehearsalStanding } from './rehearsal';

/** One board that goes. */
export interface FieldBoard {
  device: Device;
  /** Null where its profile is no longer on the shelf. */
  profile: BoardProfile | null;
  /** Whether its card was written and verified. */
  written: boolean;
}

/** Everything that findings and lists of a trip follow from. */
export interface FieldFacts {
  plan: FieldPlan;
  batch: Plan;
  /** The network that serves in the field. */
  network: ShelvedNetwork | null;
  boards: readonly FieldBoard[];
  rehearsal: RehearsalStanding;
  /** When the bundle was taken last; null for never. */
  bundleAt: number | null;
  /** Whether the plan and the network are as they were then. */
  bundleCurrent: boolean;
  /** Boards that were proved on site, and those that have a visit on record since. */
  provedOnSite: number;
  visited: number;
}

/** How long one board lasts; null where nobody knows what it draws, or it has no battery. */
export function lifeOf({ plan, batch }: Pick<FieldFacts, 'plan' | 'batch'>, board: FieldBoard): Life | null {
  const milliamp = usualMilliamp(batch, board.device, board.profile);
  return plan.battery && milliamp !== null ? batteryLife(plan.battery, milliamp) : null;
}

/** Boards that a network has room for beside this computer; null where nobody knows. */
export const roomOf = (network: Pick<ShelvedNetwork, 'clientLimit' | 'poolSize'> | null): number | null => {
  const limits = [network?.clientLimit, network?.poolSize].filter((limit) => limit != null);
  return limits.length === 0 ? null : Math.max(0, Math.min(...limits) - 1);
};
