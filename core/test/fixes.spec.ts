import fc from 'fast-check';
import { addDevices, checkPlan, freeName, quickFix, type Finding, type Plan } from '../src/index';
import { networkId, soundNetwork, soundPlan, userKey, viewOf } from './helpers/plan';

let next = 0;
const draw = { random: (below: number): number => next++ % below, id: (): string => crypto.randomUUID() };

const withDevices = (names: string[]): Plan => addDevices({ ...soundPlan(1), devices: [] }, names, '', draw);
const findings = (plan: Plan, rule: string): Finding[] =>
  checkPlan(viewOf(plan)).filter((finding) => finding.rule === rule);

/** The correction of a plan; fails where there is none. */
function planFix(plan: Plan, finding: Finding): { label: string; plan: Plan } {
  const fix = quickFix(plan, finding, []);
  if (!fix || !('plan' in fix)) throw new Error('no correction of the plan');
  return fix;
}

describe('corrections at the press of a button', () => {
  it('give a double name the next free number and keep the width', () => {
    const plan = withDevices(['tank-01', 'tank-02', 'TANK-01']);
    const fix = planFix(plan, findings(plan, 'host-name-unique')[0]!);
    expect(fix.label).toBe('Call it TANK-03');
    expect(findings(fix.plan, 'host-name-unique')).toEqual([]);
  });

  it('take the spaces off a network name and leave those inside', () => {
    const view = viewOf(withDevices(['a']));
    view.networks = [{ ...soundNetwork(), ssid: ' Salt marsh ' }];
    const finding = checkPlan(view).find(({ rule }) => rule === 'ssid-spaces');
    expect(quickFix(view.plan, finding!, view.networks)).toEqual({
      label: 'Remove the spaces',
      networkId,
      network: { ssid: 'Salt marsh' },
    });
  });

  it('write a key that was broken over two lines as one', () => {
    const plan = withDevices(['a']);
    const broken = {
      ...plan,
      access: { ...plan.access, keys: `${userKey.slice(0, 40)}\n${userKey.slice(40)}` },
    };
    const fix = planFix(broken, findings(broken, 'key-form')[0]!);
    expect(fix.plan.access.keys).toBe(userKey);
    expect(findings(fix.plan, 'key-form')).toEqual([]);
  });

  it('let a password be made for each device', () => {
    const plan = soundPlan(6);
    const shared = { ...plan, access: { ...plan.access, passwordLogin: true } };
    const fix = planFix(shared, findings(shared, 'password-shared')[0]!);
    expect(findings(fix.plan, 'password-shared')).toEqual([]);
  });

  it('move a device to a free nest, and grow a full tray when it was meant to be larger', () => {
    const plan = withDevices(['a', 'b']);
    const twice = { ...plan, devices: plan.devices.map((device) => ({ ...device, nest: 'A1' })) };
    const moved = planFix(twice, findings(twice, 'nest-place')[0]!);
    expect(moved.label).toBe('Move it to A2');
    expect(findings(moved.plan, 'nest-place')).toEqual([]);

    const small = { ...plan, tray: { rows: 1, columns: 1 } };
    const grown = planFix(small, findings(small, 'nest-place')[0]!);
    expect(grown.label).toBe('Make the tray 1 × 2');
    expect(findings(grown.plan, 'nest-place')).toEqual([]);
  });

  it('offer nothing where only a person knows', () => {
    const plan = { ...withDevices(['a']), country: '' };
    expect(quickFix(plan, findings(plan, 'country')[0]!, [])).toBeNull();
  });

  it('never propose a name that is taken', () => {
    const name = fc.stringMatching(/^[a-z]{1,6}(-?\d{1,3})?$/);
    fc.assert(
      fc.property(name, fc.array(name, { maxLength: 30 }), (wanted, others) => {
        const taken = new Set([wanted, ...others]);
        expect(taken.has(freeName(wanted, taken).toLowerCase())).toBe(false);
      }),
    );
  });
});
