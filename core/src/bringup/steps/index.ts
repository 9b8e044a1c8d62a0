import { stepOf } from '../own-step';
import type { Step } from '../model';
import type { BringUpPlan } from '../../plan/bring-up-plan';
import { asPlanned } from './as-planned';
import { clockStep } from './clock';
import { firstBoot } from './first-boot';
import { health } from './health';
import { keyOff } from './key-off';
import { reboot } from './reboot';
import { rootGrown } from './root-grown';
import { shutDown } from './shut-down';
import { leftovers, updates } from './updates';

/** The steps that ship, in working order. */
export const shippedSteps: readonly Step[] = [
  firstBoot,
  rootGrown,
  clockStep,
  asPlanned,
  health,
  updates,
  leftovers,
  reboot,
  keyOff,
  shutDown,
];

/** The steps of a batch, in working order; own ones come before what ends our way to the board. */
export function stepsOf({ without, own }: BringUpPlan): Step[] {
  const chosen = shippedSteps.filter(({ id }) => !without.includes(id));
  return [...chosen.filter(({ last }) => !last), ...own.map(stepOf), ...chosen.filter(({ last }) => last)];
}
