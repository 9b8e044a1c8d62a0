import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { addDevices, type Batch, type BatchSummary } from '@nest-mark/core';
import { median, type Result } from './measure.mjs';
import { withServer } from './server.mjs';

/** Milliseconds from a keystroke in a host name until the findings on the page have changed, as the page sees it. */
async function measure(page: Page, presses: number): Promise<number[]> {
  return page.evaluate<number[]>(`(async () => {
    const field = document.querySelector('[id^="f-device.hostName-"]');
    const column = document.querySelector('nm-findings-column');
    const original = field.value;
    const press = (value) => new Promise((resolve) => {
      const begun = performance.now();
      const watch = new MutationObserver(() => {
        watch.disconnect();
        resolve(performance.now() - begun);
      });
      watch.observe(column, { subtree: true, childList: true, characterData: true });
      field.value = value;
      field.dispatchEvent(new Event('input', { bubbles: true }));
    });
    const figures = [];
    for (let turn = 0; turn < ${String(presses)}; turn++) {
      // An underscore breaks the name, its removal mends it: the findings change each time.
      figures.push(await press(turn % 2 === 0 ? original + '_' : original));
      await new Promise((resolve) => setTimeout(resolve, 40));
    }
    return figures;
  })()`);
}

/** From a keystroke to updated findings, in the built page with the whole tray and table drawn. */
export const keystrokes = (root: string, folder: string): Promise<Result[]> =>
  withServer(root, join(folder, 'keys'), '127.89.3', async (url, call) => {
    const browser = await chromium.launch({
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    });
    try {
      const [first] = await call<BatchSummary[]>('GET', '/batches');
      const { plan } = await call<Batch>('GET', `/batches/${first?.id ?? ''}`);
      const draw = {
        random: (below: number): number => Math.floor(Math.random() * below),
        id: () => randomUUID(),
      };
      const results: Result[] = [];
      for (const [count, tray] of [
        [200, { rows: 10, columns: 20 }],
        [1000, { rows: 25, columns: 40 }],
      ] as const) {
        const names = Array.from({ length: count }, (_, at) => `t-${String(count)}-${String(at)}`);
        // Of a thousand marks one may be another batch's; then all are drawn anew.
        const make = async (): Promise<Batch> => {
          const filled = addDevices({ ...plan, name: 'Large', tray, devices: [] }, names, '', draw);
          try {
            return await call<Batch>('POST', '/batches', { plan: filled, secrets: {} });
          } catch (error) {
            if (String(error).includes('mark-taken')) return make();
            throw error;
          }
        };
        const { id } = await make();
        const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
        await page.goto(`${url}/batch/${id}/plan`);
        await page.locator('[id^="f-device.hostName-"]').first().waitFor();
        await page.waitForTimeout(1000);
        const figures = await measure(page, 30);
        await page.close();
        results.push({
          what: `keystroke to updated findings on the page, ${String(count)} devices, middle of 30`,
          figure: `${median(figures).toFixed(1)} ms (slowest ${Math.max(...figures).toFixed(1)})`,
          bound: count === 200 ? 'under 50 ms' : 'under 100 ms',
        });
      }
      return results;
    } finally {
      await browser.close();
    }
  });
