import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from 'esbuild';
import {
  addDevices,
  declarativeSeed,
  detectMethod,
  emptyPlan,
  FatVolume,
  inspectDisk,
  makeHostKey,
  MemorySource,
  namesFromPattern,
  personalise,
  preSharedKey,
  SliceSource,
  type FirstBootSettings,
  type Plan,
} from '@nest-mark/core';
import { unpack } from '@nest-mark/station';
import { median, timed, type Result } from './measure.mjs';

const count = 500;
const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;

function largePlan(): Plan {
  const draw = {
    random: (below: number): number => Math.floor(Math.random() * below),
    id: () => randomUUID(),
  };
  const plan: Plan = {
    ...emptyPlan('Bench'),
    access: { userName: 'keeper', keys: userKey, passwordLogin: false },
    wifi: { ssid: 'Saltmarsh Bench', hidden: false },
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    network: { subnet: '192.168.7.0/24', port: 22 },
  };
  return addDevices(plan, namesFromPattern('tank-{n:03}', count), '', draw);
}

/** Every rule over 500 devices, in Chromium, as one types. */
export async function checksInBrowser(root: string): Promise<Result> {
  const bundle = await build({
    stdin: { contents: "export { checkPlan } from './core/src/batch/rules/index.ts';", resolveDir: root },
    bundle: true,
    minify: true,
    write: false,
    format: 'iife',
    globalName: 'bench',
    target: 'es2022',
  });
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
  });
  try {
    const page = await browser.newPage();
    await page.addScriptTag({ content: bundle.outputFiles[0]?.text ?? '' });
    const view = {
      plan: largePlan(),
      image: null,
      secrets: {
        wifiPassphrase: { kind: 'typed', value: 'low tide at seven' },
        userPassword: { kind: 'missing' },
      },
    };
    const figures = await page.evaluate<number[]>(`(() => {
      const view = ${JSON.stringify(view)};
      return Array.from({ length: 25 }, () => { const t = performance.now(); bench.checkPlan(view); return performance.now() - t; });
    })()`);
    return {
      what: `all rules over a plan of ${String(count)} devices in Chromium, middle of ${String(figures.length)}`,
      figure: `${median(figures).toFixed(1)} ms (slowest ${Math.max(...figures).toFixed(1)})`,
      bound: 'under 50 ms',
    };
  } finally {
    await browser.close();
  }
}

/** Files and patches of 500 devices over the practice image. */
export async function personaliseMany(root: string): Promise<Result> {
  const parts: Buffer[] = [];
  for await (const part of unpack(join(root, 'data/base/practice-os.img.xz'), 'xz')) parts.push(part);
  const disk = new MemorySource(Buffer.concat(parts));
  const boot = (await inspectDisk(disk))[0]!;
  const volume = new SliceSource(disk, boot.offset, boot.size);
  await detectMethod(await FatVolume.openReadOnly(volume));
  const key = preSharedKey('Saltmarsh Bench', 'low tide at seven');
  let octets = 0;
  const took = await timed(async () => {
    for (let n = 0; n < count; n++) {
      const settings: FirstBootSettings = {
        mark: '7KQ4M',
        nest: 'A1',
        deviceId: randomUUID(),
        batchId: 'bench',
        batchName: 'Bench',
        hostName: `tank-${String(n)}`,
        user: { name: 'keeper', keys: [userKey], passwordHash: null, passwordLogin: false },
        hostKey: makeHostKey(crypto.getRandomValues(new Uint8Array(32)), new Uint8Array(4), '7KQ4M'),
        wifi: { ssid: 'Saltmarsh Bench', key, hidden: false },
        country: 'DK',
        timeZone: 'Europe/Copenhagen',
        locale: 'en_GB.UTF-8',
        instanceId: String(n),
      };
      const patches = await personalise(volume, boot, declarativeSeed.files(settings));
      octets += patches.reduce((sum, patch) => sum + patch.bytes.length, 0);
    }
  });
  return {
    what: `keys, files and patches of ${String(count)} devices`,
    figure: `${took.toFixed(0)} ms, ${(octets / count / 1024).toFixed(0)} KiB of patches a card`,
    bound: '',
  };
}
