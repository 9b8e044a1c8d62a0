import { join } from 'node:path';
import type { BatchProgress, Search } from '@nest-mark/core';
import { expect, type Locator, type Page } from '@playwright/test';
import { smallImage, type App } from './app';

/** What a person does, by the names that stand on the screen. */

/** Stages and shelves, as the rail names them. */
export const stages = [
  'Plan',
  'Cards',
  'Boot & find',
  'Bring up',
  'Hand over',
  'Move',
  'Field',
  'Signal',
  'Images',
  'First-boot methods',
  'Card check',
  'Card records',
  'Networks',
  'Boards',
  'This bench',
  'Log',
  'Practice bench',
  'Guide',
] as const;
export type StageName = (typeof stages)[number];

/** What stands over a view. */
export const headingOf = (view: StageName): string =>
  ({
    Move: 'Move to another network',
    Field: 'Into the field',
    Signal: 'Signal where the boards will be',
  })[view as string] ?? view;

export const stage = (page: Page, name: StageName): Promise<void> =>
  page
    .getByRole('navigation', { name: 'Stages and shelves' })
    .getByRole('link', { name: new RegExp(`^${name}`) })
    .click();

export const parts = [
  'Devices',
  'Image & board',
  'Access',
  'Networks',
  'System',
  'Power',
  'Kit',
  'Time',
  'On the card',
  'File',
] as const;
export type PartName = (typeof parts)[number];

/** Opens a part of the plan; its link may count what was found there. */
export async function part(page: Page, name: PartName): Promise<void> {
  const link = page
    .getByRole('navigation', { name: 'Parts of the plan' })
    .getByRole('link', { name: new RegExp(`^${name}`) });
  if (!(await link.isVisible())) await stage(page, 'Plan');
  await link.click();
  await expect(link).toHaveAttribute('aria-current', 'page');
}

/** Opens a part of handing over. */
export async function handOverPart(page: Page, name: string): Promise<void> {
  const link = page
    .getByRole('navigation', { name: 'Parts of handing over' })
    .getByRole('link', { name, exact: true });
  if (!(await link.isVisible())) await stage(page, 'Hand over');
  await link.click();
  await expect(link).toHaveAttribute('aria-current', 'page');
}

/** Saves the file that a press brings. @returns where it lies, in the test's folder */
export async function saved(page: Page, app: App, press: () => Promise<void>): Promise<string> {
  const download = page.waitForEvent('download');
  await press();
  const file = await download;
  const path = join(app.folder, file.suggestedFilename());
  await file.saveAs(path);
  return path;
}

export async function firstBatch(page: Page, app: App, name: string): Promise<void> {
  await page.goto(app.url);
  await page.getByLabel('What are these devices called together?').fill(name);
  await page.getByRole('button', { name: 'Make the first batch' }).click();
  await expect(page.getByRole('heading', { name: 'Plan', exact: true })).toBeVisible();
}

export async function shelveBaseImage(page: Page, title: string): Promise<void> {
  await stage(page, 'Images');
  await page.getByLabel('Path or address of the file').fill(smallImage);
  await page.getByLabel('Title').fill(title);
  await page.getByRole('button', { name: 'Read and check it' }).click();
  await expect(
    page.getByRole('article', { name: title }).getByText(/^As detected: Declarative seed/),
  ).toBeVisible();
}

/**
 * Opens a list, narrows it by what is typed and takes one of its lines. A page that moves closes a list that is open
 * in it; it is opened again then, as a person would.
 */
export async function pick(field: Locator, option: string | RegExp, typed = ''): Promise<void> {
  const page = field.page();
  const wanted = page.getByRole('option', { name: option });
  const filter = page.getByRole('searchbox');
  await expect(async () => {
    if (!(await page.getByRole('listbox').isVisible())) await field.click({ timeout: 2000 });
    if (typed) await filter.fill(typed, { timeout: 2000 });
    await wanted.click({ timeout: 2000 });
  }).toPass();
}

/** Chooses in one of the searchable lists. */
export const choose = (page: Page, label: string, typed: string, option: string | RegExp): Promise<void> =>
  pick(page.getByLabel(label, { exact: true }), option, typed);

export interface PlanInput {
  count: number;
  image: string;
  keys: string;
  ssid?: string;
  subnet: string;
}

export async function fillPlan(page: Page, input: PlanInput): Promise<void> {
  await part(page, 'Devices');
  await page.getByLabel('Pattern', { exact: true }).fill('tank-{n:02}');
  await page.getByLabel('Numbers', { exact: true }).fill(`1-${String(input.count)}`);
  await page.getByRole('button', { name: `Add ${String(input.count)}` }).click();
  await part(page, 'Image & board');
  await choose(page, 'Image', '', input.image);
  await part(page, 'System');
  await choose(page, 'Time zone', 'Copenhagen', 'Europe/Copenhagen');
  await part(page, 'Networks');
  await page.getByRole('button', { name: 'New network' }).click();
  await page.getByLabel('Network name', { exact: true }).fill(input.ssid ?? 'Saltmarsh Bench');
  await page.getByLabel('Passphrase', { exact: true }).fill('low tide at seven');
  await choose(page, 'Country where the boards will run', 'Denmark', /Denmark/);
  await page.getByLabel('Subnet they will appear on').fill(input.subnet);
  await page.getByLabel('Login port').fill('2222');
  await part(page, 'Access');
  await page.getByLabel('User', { exact: true }).fill('keeper');
  await page.getByLabel('SSH public keys').fill(input.keys);
  // That nobody tried the key of its network yet.
  await expect(page.locator('nm-findings-column')).toContainText('1 to note');
  await expect(page.locator('nm-findings-column li')).toHaveCount(1);
  await expect(page.getByText('Plan saved')).toBeVisible();
}

export async function setPace(page: Page, bootSeconds: number, slotRate: number): Promise<void> {
  await stage(page, 'Practice bench');
  await page.getByLabel('Boot takes').fill(String(bootSeconds));
  await page.getByLabel('Boot takes').blur();
  await slotsTake(page, slotRate);
}

/** Sets how fast the practice bench's slots take data, in MB/s; 0 is without a limit. A round in work goes on at it. */
export async function slotsTake(page: Page, slotRate: number): Promise<void> {
  await page.getByLabel('Each slot takes').fill(String(slotRate));
  await page.getByLabel('Each slot takes').blur();
}

/** Arms what is proposed and confirms by typing. */
export async function armRound(page: Page, count: number): Promise<void> {
  await stage(page, 'Cards');
  await page.getByRole('button', { name: `Arm a round of ${String(count)} …` }).click();
  const dialog = page.getByRole('dialog', { name: 'This will be erased' });
  await expect(dialog.getByRole('listitem')).toHaveCount(count);
  const go = dialog.getByRole('button', { name: /^Erase and write/ });
  await expect(go).toBeDisabled();
  await dialog.getByLabel(/^Type/).fill(`erase ${String(count)}`);
  await go.click();
  await expect(dialog).toBeHidden();
}

/** Puts fresh cards in, writes them, takes them out. */
export async function writeRound(page: Page, count: number): Promise<void> {
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, count);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(count);
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Take out all that can be pulled' }).click();
}

/** Searches and waits until the server has ended this very search. */
export async function search(page: Page): Promise<void> {
  await stage(page, 'Boot & find');
  const begun = page.waitForResponse(
    (response) => response.url().endsWith('/searches') && response.status() === 201,
  );
  await page.getByRole('button', { name: 'Search' }).click();
  const { id, batchId } = (await (await begun).json()) as Search;
  const progress = new URL(`/api/batches/${batchId}/progress`, page.url()).href;
  const ended = async (): Promise<boolean> => {
    const { search } = (await (await page.request.get(progress)).json()) as BatchProgress;
    return search?.id === id && search.state === 'done';
  };
  await expect.poll(ended).toBe(true);
  await expect(page.getByRole('button', { name: 'Search' })).toBeVisible();
}

/** The row of a device in the table of who is there. */
export const who = (page: Page, hostName: string) => page.locator(`tr[data-host="${hostName}"]`);

/** Seats the card of the one device, powers its board, and searches until it is proved. */
export async function bootAndProve(page: Page, hostName: string): Promise<void> {
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
  await page.getByRole('button', { name: 'Power all' }).click();
  await expect(page.locator('tr[data-board]')).toContainText(['on the network']);
  await search(page);
  await expect(who(page, hostName)).toContainText('proved');
}
