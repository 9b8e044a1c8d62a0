import { variantsOf, type DeviceSettings, type SettingName, type Variant } from '../plan/effective';
import type { Finding, Severity } from '../plan/finding';
import type { NetworkFacts, PlanView } from '../plan/model';

/** One hit of a rule; the rule adds its id and its reason. */
export interface Hit {
  severity: Severity;
  place: string;
  deviceId?: string;
  networkId?: string;
  message: string;
  fix: string;
}

/** What the rules look at, with what several of them would otherwise work out again. */
export interface RuleView extends PlanView {
  variants: readonly Variant[];
  /** Networks that some device of the plan shall join, each once. */
  used: readonly NetworkFacts[];
}

/** A check of the plan with its explanation; help and docs/rules.md are made from these. */
export interface Rule {
  id: string;
  title: string;
  /** What happens if it is ignored. */
  why: string;
  /** Standard and section, or "common practice". */
  source: string;
  check(view: RuleView): Hit[];
}

/** A device's name in messages: its host name, or its nest while it has none. */
export const deviceTitle = (device: { hostName: string; nest: string }): string =>
  device.hostName.trim() || `nest ${device.nest}`;

/**
 * Checks the settings of the batch, and again those of devices that differ in one of the settings that the check looks
 * at; what is found there is found for each of these devices.
 */
export function perVariant(
  view: RuleView,
  looksAt: readonly SettingName[],
  check: (settings: DeviceSettings, variant: Variant) => Hit[],
): Hit[] {
  return view.variants.flatMap((variant, index): Hit[] => {
    if (index === 0) return check(variant.settings, variant);
    if (!looksAt.some((name) => variant.own.has(name))) return [];
    const hits = check(variant.settings, variant);
    return variant.devices.flatMap((device) =>
      hits.map((hit) => ({
        ...hit,
        deviceId: device.id,
        message: `${deviceTitle(device)}: ${hit.message}`,
      })),
    );
  });
}

/** A plan as the rules want it. */
function ruleView(view: PlanView): RuleView {
  const variants = variantsOf(view.plan);
  const ids = new Set(
    variants.flatMap(({ settings }) => settings.networks.map(({ networkId }) => networkId)),
  );
  return { ...view, variants, used: view.networks.filter(({ id }) => ids.has(id)) };
}

const findingsOf = (rule: Rule, whole: RuleView): Finding[] =>
  rule.check(whole).map((hit) => ({ ...hit, rule: rule.id, reason: rule.why }));

/** Runs rules over a plan. */
export function runRules(rules: readonly Rule[], view: PlanView): Finding[] {
  const whole = ruleView(view);
  return rules.flatMap((rule) => findingsOf(rule, whole));
}

/**
 * Runs rules over a plan, one at a time: a thousand devices with faults take half a second, in which a server could
 * answer nobody else.
 * @param turn called between two rules; lets others have their turn
 */
export async function runRulesInTurns(
  rules: readonly Rule[],
  view: PlanView,
  turn: () => Promise<void>,
): Promise<Finding[]> {
  const whole = ruleView(view);
  const findings: Finding[] = [];
  for (const rule of rules) {
    for (const finding of findingsOf(rule, whole)) findings.push(finding);
    await turn();
  }
  return findings;
}
