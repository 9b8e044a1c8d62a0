import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from 'esbuild';
import {
  addDevices,
  checkPlan,
  emptyNetwork,
  emptyPlan,
  forecast,
  makeHostKey,
  shippedBoards,
  type ForecastInput,
  type Plan,
  type PlanView,
} from '@nest-mark/core';
import { median, timed, type Result } from './measure.mjs';

const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;
const imageId = randomUUID();
const networkId = randomUUID();

/** A plan that could be written; every tenth device differs, as in a mixed batch. */
export function largeView(count: number): PlanView {
  const draw = {
    random: (below: number): number => Math.floor(Math.random() * below),
    id: () => randomUUID(),
  };
  const blank: Plan = {
    ...emptyPlan('Bench'),
    imageId,
    access: { ...emptyPlan('').access, userName: 'keeper', keys: userKey },
    networks: [{ networkId, priority: 10 }],
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    network: { subnet: '192.168.7.0/24', port: 22 },
  };
  const names = Array.from({ length: count }, (_, at) => `tank-${String(at).padStart(5, '0')}`);
  const plan = addDevices(blank, names, 'tank monitor', draw);
  plan.devices.forEach((device, at) => {
    if (at % 10 === 0) device.overrides = { boardProfileId: 'compact-64' };
  });
  return {
    plan,
    images: [
      {
        id: imageId,
        title: 'Marsh',
        method: 'declarative-seed',
        own: null,
        chosenMethod: null,
        bootConfig: null,
        system: null,
        rawSize: 1e9,
        wordBits: 64,
        flavour: 'minimal',
      },
    ],
    networks: [
      {
        ...emptyNetwork('Bench'),
        id: networkId,
        ssid: 'Saltmarsh Bench',
        secret: { kind: 'typed', value: 'low tide at seven' },
      },
    ],
    boards: shippedBoards,
    password: { kind: 'missing' },
    surroundings: { names: [], workstation: [{ address: '192.168.7.9', prefix: 24 }] },
  };
}

const inputOf = ({ plan, images, networks, boards }: PlanView): ForecastInput => ({
  plan,
  images,
  networks,
  boards,
  rates: [],
});

/** Middle of some runs, after one that warms up. */
async function middle(runs: number, work: () => unknown): Promise<number> {
  work();
  const figures: number[] = [];
  for (let run = 0; run < runs; run++) figures.push(await timed(work));
  return median(figures);
}

/** How checks and forecast grow with the number of devices, against n log n. */
export async function growth(): Promise<Result[]> {
  const sizes = [100, 1000, 10_000];
  const checks: number[] = [];
  const schedules: number[] = [];
  for (const size of sizes) {
    const view = largeView(size);
    const runs = size < 5000 ? 9 : 3;
    checks.push(await middle(runs, () => checkPlan(view)));
    schedules.push(await middle(runs, () => forecast(inputOf(view), 1)));
  }
  const nLogN = (size: number): number => size * Math.log2(size);
  const against = (figures: readonly number[]): string =>
    sizes
      .slice(1)
      .map((size, at) => {
        const grown = (figures[at + 1] ?? 0) / (figures[at] ?? 1);
        const allowed = nLogN(size) / nLogN(sizes[at] ?? 1);
        return (grown / allowed).toFixed(2);
      })
      .join(' and ');
  const told = (figures: readonly number[]): string =>
    figures.map((figure, at) => `${String(sizes[at])}: ${figure.toFixed(1)} ms`).join(', ');
  return [
    { what: 'all rules in core', figure: told(checks), bound: '1,000 under 100 ms' },
    {
      what: 'growth of the rules against n log n, each step of ten',
      figure: against(checks),
      bound: 'about 1 or less',
    },
    { what: 'one simulation', figure: told(schedules), bound: '' },
    {
      what: 'growth of the simulation against n log n',
      figure: against(schedules),
      bound: 'about 1 or less',
    },
  ];
}

/** Rules at 200 devices and the whole forecast, with its range and what-ifs, in Chromium. */
export async function inBrowser(root: string): Promise<Result[]> {
  const bundle = await build({
    stdin: {
      contents:
        "export { checkPlan } from './core/src/rules/index.ts'; export { answerForecast } from './web/src/app/workers/forecast.answer.ts';",
      resolveDir: root,
    },
    bundle: true,
    minify: true,
    write: false,
    format: 'iife',
    globalName: 'bench',
    target: 'es2022',
    tsconfig: join(root, 'tsconfig.base.json'),
  });
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium-headless-shell',
    args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
  });
  try {
    const page = await browser.newPage();
    await page.addScriptTag({ content: bundle.outputFiles[0]?.text ?? '' });
    const run = (count: number, call: string): Promise<number[]> => {
      const view = largeView(count);
      return page.evaluate<number[]>(`(() => {
        const view = ${JSON.stringify(view)};
        const input = ${JSON.stringify(inputOf(view))};
        return Array.from({ length: 15 }, () => { const t = performance.now(); ${call}; return performance.now() - t; });
      })()`);
    };
    const figure = (figures: readonly number[]): string =>
      `${median(figures).toFixed(1)} ms (slowest ${Math.max(...figures).toFixed(1)})`;
    const whole = 'bench.answerForecast({ turn: 1, input, desktop: false }, () => 0)';
    return [
      {
        what: 'all rules over 200 devices in Chromium, middle of 15',
        figure: figure(await run(200, 'bench.checkPlan(view)')),
        bound: 'under 50 ms',
      },
      {
        what: 'all rules over 500 devices in Chromium',
        figure: figure(await run(500, 'bench.checkPlan(view)')),
        bound: '',
      },
      {
        what: 'schedule of 200 devices with its range and every what-if, in Chromium',
        figure: figure(await run(200, whole)),
        bound: 'under 300 ms',
      },
      {
        what: 'the same of 500 devices',
        figure: figure(await run(500, whole)),
        bound: '',
      },
    ];
  } finally {
    await browser.close();
  }
}
