import fc from 'fast-check';
import { addDevices, checkPlan, freeName, quickFix, type Finding, type Plan } from '../src/index';
import { soundPlan, viewOf } from './helpers/plan';

let next = 0;
const draw = { random: (below: number): number => next++ % below, id: (): string => crypto.randomUUID() };

const withDevices = (names: string[]): Plan => addDevices({ ...soundPlan(1), devices: [] }, names, '', draw);
const findings = (plan: Plan, rule: string): Finding[] =>
  checkPlan(viewOf(plan)).filter((finding) => finding.rule === rule);

describe('corrections at the press of a button', () => {
  it('give a double name the next free number and keep the width', () => {
    const plan = withDevices(['tank-01', 'tank-02', 'TANK-01']);
    const [finding] = findings(plan, 'host-name-unique');
    const fix = quickFix(plan, finding!);
    expect(fix?.label).toBe('Call it TANK-03');
    expect(findings(fix!.plan, 'host-name-unique')).toEqual([]);
  });

  it('take the spaces off a network name and leave those inside', () => {
    const plan = { ...withDevices(['a']), wifi: { ssid: ' Salt marsh ', hidden: false } };
    const fix = quickFix(plan, findings(plan, 'ssid-spaces')[0]!);
    expect(fix?.plan.wifi.ssid).toBe('Salt marsh');
  });

  it('move a device to a free nest, and grow a full tray when it was meant to be larger', () => {
    const plan = withDevices(['a', 'b']);
    const twice = { ...plan, devices: plan.devices.map((device) => ({ ...device, nest: 'A1' })) };
    const moved = quickFix(twice, findings(twice, 'nest-place')[0]!);
    expect(moved?.label).toBe('Move it to A2');
    expect(findings(moved!.plan, 'nest-place')).toEqual([]);

    const small = { ...plan, tray: { rows: 1, columns: 1 } };
    const grown = quickFix(small, findings(small, 'nest-place')[0]!);
    expect(grown?.label).toBe('Make the tray 1 × 2');
    expect(findings(grown!.plan, 'nest-place')).toEqual([]);
  });

  it('offer nothing where only a person knows', () => {
    const plan = { ...withDevices(['a']), country: '' };
    expect(quickFix(plan, findings(plan, 'country')[0]!)).toBeNull();
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
