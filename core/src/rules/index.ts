import type { Finding } from '../plan/finding';
import type { PlanView } from '../plan/model';
import { accessRules } from './access';
import { deviceRules } from './devices';
import { extrasRules } from './extras';
import { imageSystemRules } from './image-system';
import { joiningRules } from './joining';
import { methodRules } from './method';
import { ownMethodRules } from './own-method';
import { networkRules } from './network';
import { powerRules } from './power';
import { runRules, runRulesInTurns, type Rule } from './rule';
import { systemRules } from './system';
import { vpnRules } from './vpn';

/** Every rule of the plan, in the order in which findings are shown. */
export const planRules: readonly Rule[] = [
  ...systemRules,
  ...methodRules,
  ...ownMethodRules,
  ...imageSystemRules,
  ...deviceRules,
  ...joiningRules,
  ...networkRules,
  ...accessRules,
  ...extrasRules,
  ...powerRules,
  ...vpnRules,
];

/** Checks a plan with every rule. */
export const checkPlan = (view: PlanView): Finding[] => runRules(planRules, view);

/** The same, letting others have their turn between two rules. */
export const checkPlanInTurns = (view: PlanView, turn: () => Promise<void>): Promise<Finding[]> =>
  runRulesInTurns(planRules, view, turn);
