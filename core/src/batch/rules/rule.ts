import type { Finding, Severity } from '../finding';
import type { PlanView } from '../model';

/** One hit of a rule; the rule adds its id and its reason. */
export interface Hit {
  severity: Severity;
  place: string;
  deviceId?: string;
  message: string;
  fix: string;
}

/** A check of the plan with its explanation; help and docs/rules.md are made from these. */
export interface Rule {
  id: string;
  title: string;
  /** What happens if it is ignored. */
  why: string;
  /** Standard and section, or "common practice". */
  source: string;
  check(view: PlanView): Hit[];
}

/** A device's name in messages: its host name, or its nest while it has none. */
export const deviceTitle = (device: { hostName: string; nest: string }): string =>
  device.hostName.trim() || `nest ${device.nest}`;

/** Runs rules over a plan. */
export const runRules = (rules: readonly Rule[], view: PlanView): Finding[] =>
  rules.flatMap((rule) => rule.check(view).map((hit) => ({ ...hit, rule: rule.id, reason: rule.why })));
