import { stepOf } from '../own-step';
import type { Step } from '../model';
import type { BringUpPlan } from '../../plan/bring-up-plan';
import { asPlanned } from './as-planned';
import { bootLines } from './boot-lines';
import { clockStep } from './clock';
import { firstBoot } from './first-boot';
import { health } from './health';
import { keyOff } from './key-off';
import { reboot } from './reboot';
import { remoteScreen } from './remote-screen';
import { rootGrown } from './root-grown';
import { screenSetUp } from './screen-set-up';
import { shutDown } from './shut-down';
import { leftovers, updates } from './updates';
import { vpnStep } from './vpn';

/** The steps that ship, in working order. */
export const shippedSteps: readonly Step[] = [
  firstBoot,
  rootGrown,
  clockStep,
  asPlanned,
  health,
  updates,
  leftovers,
  vpnStep,
  screenSetUp,
  remoteScreen,
  bootLines,
  reboot,
  keyOff,
  shutDown,
];

/**
 * The steps of a batch, in working order; own ones come before what ends our way to the board.
 * @param role only those that are for devices of that role; all where it is left out
 */
export function stepsOf(
  { without, own, roles = [] }: Pick<BringUpPlan, 'without' | 'own'> & Partial<Pick<BringUpPlan, 'roles'>>,
  role?: string,
): Step[] {
  const notFor = new Set(roles.find((one) => one.role === role)?.without ?? []);
  const chosen = shippedSteps.filter(({ id }) => !without.includes(id) && !notFor.has(id));
  const mine = own.filter((step) => role === undefined || step.role === '' || step.role === role);
  return [...chosen.filter(({ last }) => !last), ...mine.map(stepOf), ...chosen.filter(({ last }) => last)];
}
