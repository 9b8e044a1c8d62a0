import { forecast, type Forecast, type ForecastInput } from './forecast';

/** A change of the bench or plan, and what it would save. */
export interface WhatIf {
  id: string;
  title: string;
  /** Seconds won against the plan as it is; negative when it takes longer. */
  saved: number;
}

interface Change {
  id: string;
  title: string;
  apply: (input: ForecastInput) => ForecastInput | null;
}

const withBench = (input: ForecastInput, bench: Partial<ForecastInput['plan']['bench']>): ForecastInput => ({
  ...input,
  plan: { ...input.plan, bench: { ...input.plan.bench, ...bench } },
});

/** Size of a minimal image where only a desktop one is planned (common practice: 0.3 against 1.1 GB to download). */
const MINIMAL_SHARE = 0.3 / 1.1;

const changes: readonly Change[] = [
  {
    id: 'reader',
    title: 'One more reader like it',
    apply: (input) => withBench(input, { readers: Math.min(16, input.plan.bench.readers + 1) }),
  },
  {
    id: 'supply',
    title: 'Twice the powered sockets',
    apply: (input) => {
      const { poweredPorts } = input.plan.bench;
      return poweredPorts === null || poweredPorts >= input.plan.devices.length
        ? null
        : withBench(input, { poweredPorts: Math.min(1000, poweredPorts * 2) });
    },
  },
  {
    id: 'minimal',
    title: 'A minimal image instead of a desktop one',
    apply: (input) => ({
      ...input,
      images: input.images.map((image) => ({ ...image, rawSize: image.rawSize * MINIMAL_SHARE })),
    }),
  },
  {
    id: 'no-update',
    title: 'Updates left for later',
    apply: (input) => (input.plan.bench.update ? withBench(input, { update: false }) : null),
  },
  {
    id: 'hands',
    title: 'A second pair of hands',
    apply: (input) => withBench(input, { hands: Math.min(20, input.plan.bench.hands + 1) }),
  },
  {
    id: 'line',
    title: 'Twice the internet line',
    apply: (input) =>
      input.plan.bench.update
        ? withBench(input, { internetMbps: Math.min(100_000, input.plan.bench.internetMbps * 2) })
        : null,
  },
];

/**
 * What each change would save, the largest saving first.
 * @param desktop whether the planned image is a desktop one, so that a minimal one is worth a thought
 */
export function whatIfs(input: ForecastInput, now: Forecast, desktop: boolean): WhatIf[] {
  return changes
    .filter(({ id }) => desktop || id !== 'minimal')
    .flatMap(({ id, title, apply }): WhatIf[] => {
      const changed = apply(input);
      if (!changed) return [];
      return [{ id, title, saved: now.run.end - forecast(changed, 1).run.end }];
    })
    .sort((a, b) => b.saved - a.saved);
}
