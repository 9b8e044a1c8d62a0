import { planChanges } from '../src/index';
import { soundPlan } from './helpers/plan';

const plan = soundPlan(3);
const texts = (...input: Parameters<typeof planChanges>): string[] =>
  planChanges(...input).map(({ text }) => text);

describe('what a save changed, in words', () => {
  it('is nothing when nothing was changed', () => {
    expect(planChanges(plan, structuredClone(plan), [])).toEqual([]);
  });

  it('names settings by what people call them, and secrets without their values', () => {
    const after = { ...plan, country: 'DK', networks: [], kit: { ...plan.kit, cardGB: 64 } };
    expect(texts(plan, after, ['userPassword'])).toEqual([
      'The plan was changed: the networks, the country, the kit and the password.',
    ]);
  });

  it('tells of each device by its own entry: new, renamed, moved, removed', () => {
    const [one, two, three] = plan.devices;
    const devices = [
      { ...one!, hostName: 'reed-1', nest: 'C4' },
      two!,
      { ...three!, id: 'new', mark: 'MARK5' },
    ];
    const changes = planChanges(plan, { ...plan, devices }, []);
    expect(changes).toEqual([
      { deviceId: one!.id, text: `${one!.hostName} is now called reed-1 and lies in nest C4 now.` },
      { deviceId: 'new', text: `${three!.hostName} was planned in nest ${three!.nest} with mark MARK5.` },
      { deviceId: three!.id, text: `${three!.hostName} (mark ${three!.mark}) was taken out of the plan.` },
    ]);
  });

  it('says in what a device differs from its batch', () => {
    const [one, ...rest] = plan.devices;
    const own = { ...one!, notes: 'spare', overrides: { timeZone: 'UTC', boardProfileId: 'compact-64' } };
    expect(texts(plan, { ...plan, devices: [own, ...rest] }, [])).toEqual([
      `${one!.hostName} has another note and differs from its batch in time zone and board.`,
    ]);
    const back = { ...own, overrides: {} };
    expect(texts({ ...plan, devices: [own] }, { ...plan, devices: [back] }, [])).toEqual([
      `${one!.hostName} differs from its batch in nothing now.`,
    ]);
  });

  it('does not take a change of order for a change of devices', () => {
    expect(planChanges(plan, { ...plan, devices: [...plan.devices].reverse() }, [])).toEqual([]);
  });
});
