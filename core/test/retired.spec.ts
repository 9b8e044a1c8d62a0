import * as fc from 'fast-check';
import { addDevices, bringBack, emptyPlan, parseNest, retire, type Plan } from '../src';

let next = 0;
const draw = {
  random: (below: number): number => (next++ * 7919) % below,
  id: (): string => `id-${String(next++)}`,
};
const planOf = (count: number): Plan => ({
  ...addDevices(
    { ...emptyPlan('Tanks'), tray: { rows: 2, columns: 3 } },
    Array.from({ length: count }, (_, index) => `tank-${String(index + 1)}`),
    '',
    draw,
  ),
});

describe('a device that leaves its plan and comes back', () => {
  it('comes back into its nest, with its mark', () => {
    const plan = planOf(4);
    const device = plan.devices[1]!;
    const without = retire(plan, device.id);
    expect(without.devices.map(({ hostName }) => hostName)).toEqual(['tank-1', 'tank-3', 'tank-4']);
    expect(bringBack(without, device).devices).toContainEqual(device);
    // Asked for twice, it comes back once.
    expect(bringBack(bringBack(without, device), device)).toEqual(bringBack(without, device));
  });

  it('takes a free nest where another lies in its own, and the tray grows when it is full', () => {
    const plan = planOf(6);
    const device = plan.devices[0]!;
    const filled = addDevices(retire(plan, device.id), ['tank-7'], '', draw);
    const back = bringBack(filled, device);
    expect(back.tray).toEqual({ rows: 3, columns: 3 });
    expect(back.devices.at(-1)).toEqual({ ...device, nest: 'C1' });
  });

  it('never puts two devices into one nest, nor one outside the tray', () => {
    fc.assert(
      fc.property(fc.array(fc.record({ add: fc.boolean(), pick: fc.nat() }), { maxLength: 40 }), (steps) => {
        let plan = planOf(5);
        const gone: Plan['devices'] = [];
        for (const { add, pick } of steps) {
          const [back] = add ? gone.splice(pick % (gone.length + 1), 1) : [];
          const leaving = plan.devices[pick % (plan.devices.length + 1)];
          if (back) plan = bringBack(plan, back);
          else if (add) plan = addDevices(plan, ['more'], '', draw);
          else if (leaving) {
            gone.push(leaving);
            plan = retire(plan, leaving.id);
          }
        }
        const nests = plan.devices.map(({ nest }) => nest);
        expect(new Set(nests).size).toBe(nests.length);
        for (const nest of nests) {
          const at = parseNest(nest)!;
          expect(at.row < plan.tray.rows && at.column < plan.tray.columns).toBe(true);
        }
      }),
      { numRuns: 300 },
    );
  });
});
