import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';

/** Pixels by which the page is wider than its window. */
export const sideways = (page: Page): Promise<number> =>
  page.evaluate<number>('document.documentElement.scrollWidth - document.documentElement.clientWidth');

/**
 * The automated checks of WCAG 2.2 AA.
 * @param only a single rule, where the rest was looked at before
 * @param within the part of the page that is new, where the rest is what was looked at before
 */
export async function audit(page: Page, only?: 'color-contrast', within?: 'main'): Promise<void> {
  // Colours that are on their way to others are neither.
  const moving =
    "document.getAnimations().some(({ playState, effect }) => playState === 'running' && effect.getComputedTiming().endTime !== Infinity)";
  await expect.poll(() => page.evaluate<boolean>(moving)).toBe(false);
  const axe = new AxeBuilder({ page });
  if (within) axe.include(within);
  const { violations } = await (
    only ? axe.withRules(only) : axe.withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
  ).analyze();
  const found = violations.map(
    ({ id, nodes }) =>
      `${id}: ${nodes
        .slice(0, 3)
        .map(({ html, failureSummary }) => `${html} ${failureSummary ?? ''}`)
        .join('\n')}`,
  );
  expect(found).toEqual([]);
}
