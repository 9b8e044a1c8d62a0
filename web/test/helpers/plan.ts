import { addDevices, emptyPlan, namesFromPattern, type Batch, type Plan } from '@nest-mark/core';

let turn = 0;
const draw = {
  random: (below: number): number => (turn++ * 13 + Math.floor(turn / 97)) % below,
  id: (): string => `00000000-0000-4000-8000-${String(++turn).padStart(12, '0')}`,
};

export const batchId = '11111111-1111-4111-8111-111111111111';

export const tankPlan = (count: number): Plan =>
  addDevices(emptyPlan('Tanks'), count > 0 ? namesFromPattern('tank-{n:02}', count) : [], '', draw);

export const tankBatch = (count: number, change: Partial<Batch> = {}): Batch => ({
  id: batchId,
  version: 1,
  plan: tankPlan(count),
  benchKey: null,
  password: { state: 'missing', faults: [] },
  surroundings: { names: [], workstation: [] },
  findings: [],
  ...change,
});
