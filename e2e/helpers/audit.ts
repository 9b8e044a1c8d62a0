import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { expect, type Page } from '@playwright/test';
import type { AxeResults, RunOptions } from 'axe-core';

/** Pixels by which the page is wider than its window. */
export const sideways = (page: Page): Promise<number> =>
  page.evaluate<number>('document.documentElement.scrollWidth - document.documentElement.clientWidth');

const checks = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** Waits until nothing moves and what is written has come: colours that are on their way to others are neither. */
async function settled(page: Page): Promise<void> {
  const moving =
    "document.getAnimations().some(({ playState, effect }) => playState === 'running' && effect.getComputedTiming().endTime !== Infinity)";
  let before = '';
  await expect
    .poll(
      async () => {
        const [moves, text] = await page.evaluate<[boolean, string]>(`[${moving}, document.body.innerText]`);
        const still = !moves && text === before;
        before = text;
        return still;
      },
      { intervals: [100] },
    )
    .toBe(true);
}

/**
 * The automated checks of WCAG 2.2 AA. The program stays in the page, which is one document without frames: bringing it
 * anew each time took as long as the checks.
 * @param only a single rule, where the rest was looked at before
 * @param within the part of the page that is new, where the rest is what was looked at before
 */
export async function audit(page: Page, only?: 'color-contrast', within?: 'main'): Promise<void> {
  await settled(page);
  if (!(await page.evaluate<boolean>("'axe' in window"))) await page.evaluate(checks);
  const options: RunOptions = {
    runOnly: only
      ? { type: 'rule', values: [only] }
      : { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'] },
    resultTypes: ['violations'],
    // Style sheets from elsewhere there are none.
    preload: false,
  };
  const violations = await page.evaluate<AxeResults['violations']>(
    `axe.run(${within ? `'${within}'` : 'document'}, ${JSON.stringify(options)}).then(({ violations }) => violations)`,
  );
  const found = violations.map(
    ({ id, nodes }) =>
      `${id}: ${nodes
        .slice(0, 3)
        .map(({ html, failureSummary }) => `${html} ${failureSummary ?? ''}`)
        .join('\n')}`,
  );
  expect(found).toEqual([]);
}

/** A view as it stands: the checks in light, no sideways scrolling at two widths, and its colours in dark. */
export async function auditView(page: Page): Promise<void> {
  await audit(page);
  for (const width of [1024, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    expect(await sideways(page)).toBe(0);
  }
  await page.getByRole('button', { name: 'Dark bench' }).click();
  await audit(page, 'color-contrast', 'main');
  await page.getByRole('button', { name: 'Light' }).click();
}
