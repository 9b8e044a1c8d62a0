import type { Finding } from '../finding';
import type { PlanView } from '../model';
import { accessRules } from './access';
import { deviceRules } from './devices';
import { joiningRules } from './joining';
import { networkRules } from './network';
import { powerRules } from './power';
import { runRules, type Rule } from './rule';
import { systemRules } from './system';

/** Every rule of the plan, in the order in which findings are shown. */
export const planRules: readonly Rule[] = [
  ...systemRules,
  ...deviceRules,
  ...joiningRules,
  ...networkRules,
  ...accessRules,
  ...powerRules,
];

/** Checks a plan with every rule. */
export const checkPlan = (view: PlanView): Finding[] => runRules(planRules, view);
