import { checkPlan, type Finding } from '@nest-mark/core';
import { selectDeviceViews, selectFindings } from '../src/app/state/selectors';
import { selectMissing } from '../src/app/boot/found';
import { tankBatch } from './helpers/plan';

const batch = tankBatch(3);
const missing = { kind: 'missing' } as const;
const kept = { kind: 'kept' } as const;
const view = (wifiPassphrase: typeof missing | typeof kept) => ({
  plan: batch.plan,
  image: null,
  secrets: { wifiPassphrase, userPassword: missing },
});
const serverSays: Finding = {
  rule: 'passphrase-spaces',
  severity: 'warns',
  place: 'wifi.passphrase',
  message: 'The passphrase begins or ends with a space.',
  reason: 'It is part of it.',
  fix: 'Remove it.',
};

describe('findings in the browser', () => {
  it('are those of the rules, and of a kept secret what only the server can see', () => {
    const stored = { ...batch, findings: [serverSays, ...checkPlan(view(kept))] };
    const shown = selectFindings.projector(view(kept), stored);
    expect(shown.filter(({ rule }) => rule === 'passphrase-spaces')).toHaveLength(1);
    expect(shown).toHaveLength(checkPlan(view(kept)).length + 1);
  });

  it('take nothing from the server about a secret that is being typed or missing', () => {
    const stored = { ...batch, findings: [serverSays] };
    expect(selectFindings.projector(view(missing), stored)).toEqual(checkPlan(view(missing)));
  });
});

describe('devices with what is known of them', () => {
  const stop = (deviceId?: string): Finding => ({
    ...serverSays,
    severity: 'stops',
    ...(deviceId === undefined ? {} : { deviceId }),
  });

  it('are held by their own findings, and all by one that is nobody’s', () => {
    const [first] = batch.plan.devices;
    const held = (stops: Finding[]): boolean[] =>
      selectDeviceViews.projector(batch.plan, stops, null).map(({ facts }) => facts.stopped);
    expect(held([stop(first!.id)])).toEqual([true, false, false]);
    expect(held([stop()])).toEqual([true, true, true]);
    expect(held([])).toEqual([false, false, false]);
  });

  it('are missing when their card is verified and no proof was had', () => {
    const views = selectDeviceViews.projector(batch.plan, [], null);
    const card = { state: 'verified' as const, share: 1, at: 0 };
    const with_ = (index: number, standing: 'proved' | 'guess' | null) => {
      const view = views[index]!;
      return { ...view, facts: { ...view.facts, card, seen: standing && { standing, at: 1 } } };
    };
    const names = selectMissing
      .projector([views[0]!, with_(1, 'guess'), with_(2, 'proved')])
      .map(({ device }) => device.hostName);
    expect(names).toEqual(['tank-02']);
  });
});
