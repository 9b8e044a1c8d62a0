import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { emptyPlan, type Batch, type BatchProgress } from '@nest-mark/core';
import { expect, long, smallImage, test, type App, type Page } from '../helpers/app';
import { readyBatch } from '../helpers/ready';
import { choose, part, parts, stage, stages, headingOf } from '../helpers/steps';

const line = (page: Page) => page.getByRole('region', { name: 'Your turn' });
const asked = async (page: Page): Promise<string> => line(page).locator('.say').innerText();

/**
 * A newcomer: presses what the line offers and types what it says, and nothing else, until it says what is looked for.
 * @returns everything that the line said, in order
 */
async function follow(page: Page, until: RegExp): Promise<string[]> {
  const said: string[] = [];
  for (;;) {
    const now = await asked(page);
    if (now !== said.at(-1)) said.push(now);
    if (until.test(now)) return said;
    const phrase = /type (erase \d+)/.exec(now)?.[1];
    const offered = line(page).locator('.do');
    if (phrase !== undefined) {
      const dialog = page.getByRole('dialog', { name: 'This will be erased' });
      await dialog.getByLabel(/^Type/).fill(phrase);
      await dialog.getByRole('button', { name: /^Erase and write/ }).click();
      await expect(dialog).toBeHidden();
    } else if (await offered.isVisible()) await offered.click({ timeout: 2000 }).catch(() => undefined);
    // The line changes when something has happened; sometimes that takes a while.
    await expect
      .poll(() => asked(page), { timeout: 5000 })
      .not.toBe(now)
      .catch(() => undefined);
  }
}

async function leadsToReady(app: App, page: Page, boards: number): Promise<void> {
  // Boards and slots of the practice bench are made quick; nothing else is done for the newcomer.
  await app.api('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
  await page.goto(app.url);
  await expect(line(page)).toBeVisible();
  const all = `All ${String(boards)} are ready`;
  const said = await follow(page, new RegExp(`^${all}: hand them over$`));
  console.log(`    ${said.join('\n    ')}`);
  // Those that arrived last are counted before it until somebody is there again.
  await expect(page).toHaveTitle(new RegExp(`^(\\(\\d+\\) )?${all}: hand them over · `));
  const [batch] = await app.api<Batch[]>('GET', '/batches');
  const { devices } = await app.api<BatchProgress>('GET', `/batches/${batch!.id}/progress`);
  expect(devices.map(({ bringUp }) => bringUp?.state)).toEqual(Array.from({ length: boards }, () => 'ready'));
  expect(devices.map(({ seen }) => seen?.standing)).toEqual(Array.from({ length: boards }, () => 'proved'));
  // It is heard by those who do not see it, and only when it changes.
  await expect(line(page).locator('[aria-live="polite"]')).toHaveText(new RegExp(`^${all}`));
}

test(
  'whoever presses only what is their turn gets from a plan to boards that are ready',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 3, { bringUp: emptyPlan('').bringUp });
    await leadsToReady(app, page, 3);
  },
);

test(
  'whoever presses only what is their turn gets from the demo’s start to twelve boards that are ready',
  long,
  async ({ demoApp: app, page }) => {
    await leadsToReady(app, page, 12);
  },
);

test(
  'from an empty database the line leads to verified cards; what is typed is the person’s own',
  long,
  async ({ bareApp: app, page }) => {
    const key = join(app.folder, 'key');
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-C', 'mara@bench', '-f', key]);
    await app.api('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
    await page.goto(app.url);
    const press = () => line(page).locator('.do').click();
    const says = (text: string | RegExp) => expect(line(page).locator('.say')).toHaveText(text);
    const focused = (name: string | RegExp) => expect(page.locator(':focus')).toHaveAccessibleName(name);

    await page.getByLabel('What are these devices called together?').fill('Tank monitors');
    await page.getByRole('button', { name: 'Make the first batch' }).click();
    await says('Say how many boards there are, and their names');
    await press();
    await focused('Pattern');
    await page.getByLabel('Numbers', { exact: true }).fill('1-2');
    await page.getByRole('button', { name: 'Add 2' }).click();
    await says(/^Put an image onto the shelf/);
    await press();
    await focused('Path or address of the file');
    await page.keyboard.insertText(smallImage);
    await page.keyboard.press('Enter');

    // What the findings ask for, in their order, whatever that is.
    const answers: [field: string | RegExp, answer: () => Promise<void>][] = [
      ['Image', () => choose(page, 'Image', '', /practice-os/)],
      ['Time zone', () => choose(page, 'Time zone', 'Copenhagen', 'Europe/Copenhagen')],
      [
        'Country where the boards will run',
        () => choose(page, 'Country where the boards will run', 'Denmark', /Denmark/),
      ],
      ['User', () => page.getByLabel('User', { exact: true }).fill('keeper')],
      [
        /^SSH public keys/,
        () => page.getByLabel(/^SSH public keys/).fill(readFileSync(`${key}.pub`, 'utf8')),
      ],
    ];
    const name = () => page.locator(':focus').getAttribute('id');
    for (let step = 0; step < 20; step++) {
      if (/^Put cards into/.test(await asked(page))) break;
      const before = await asked(page);
      await press();
      await expect.poll(async () => (await name()) !== null || (await asked(page)) !== before).toBe(true);
      for (const [field, answer] of answers) {
        const there = page.locator(':focus');
        if (
          await there
            .and(page.getByLabel(field))
            .or(there.and(page.getByRole('button', { name: field })))
            .count()
        )
          await answer();
      }
      await expect.poll(() => asked(page)).not.toBe(before);
    }
    await says('Put cards into 2 empty slots');
    const said = await follow(page, /are verified: take them out/);
    console.log(`    ${said.join('\n    ')}`);
    await says(/^Slots 1 and 2 are verified: take them out, nests A1 and A2$/);
  },
);

test('every view has at least 1,050 × 560 for its own work while the tray is a strip and the column closed', async ({
  app,
  page,
}) => {
  const { devices } = (await readyBatch(app, 12)).plan;
  await page.goto(app.url);
  // Networks is a part of the plan and a shelf.
  const places = [
    ...parts.map((view) => ['part', view] as const),
    // Plan is its parts.
    ...stages.filter((view) => view !== 'Plan').map((view) => ['stage', view] as const),
    ['passport', 'Passport'] as const,
  ];
  const found: object[] = [];
  for (const [kind, view] of places) {
    if (kind === 'passport') {
      await page.keyboard.press('Control+k');
      await page.keyboard.type(devices[2]!.mark);
      await page.keyboard.press('Enter');
      await expect(page.locator('main h1')).toHaveText('tank-03');
    } else if (kind === 'part') await part(page, view);
    else {
      await stage(page, view);
      await expect(page.locator('main h1')).toHaveText(headingOf(view));
    }
    const tray = page.getByRole('button', { name: /^Tray:/ });
    for (let now = await tray.innerText(); now !== 'Tray: strip'; now = await tray.innerText()) {
      await tray.click();
      // A press whose effect was not waited for would be followed by one too many.
      await expect(tray).not.toHaveText(now);
    }
    const column = page.getByRole('button', { name: /^Findings/ });
    if ((await column.getAttribute('aria-pressed')) === 'true') await column.click();
    await expect(page.locator('nm-tray-strip')).toBeVisible();
    await expect(page.locator('nm-findings-column')).toHaveCount(0);
    const [width = 0, height = 0, sideways = 0] = await page.evaluate<number[]>(`(() => {
      const main = document.querySelector('main');
      const { paddingLeft, paddingRight, paddingTop, paddingBottom } = getComputedStyle(main);
      const px = parseFloat;
      return [
        main.clientWidth - px(paddingLeft) - px(paddingRight),
        main.clientHeight - px(paddingTop) - px(paddingBottom),
        document.documentElement.scrollWidth - document.documentElement.clientWidth,
      ];
    })()`);
    found.push({ view, wide: width >= 1050, high: height >= 560, sideways });
  }
  expect(found).toHaveLength(places.length);
  for (const one of found) expect(one).toMatchObject({ wide: true, high: true, sideways: 0 });
  // What a person chose for a view is there again.
  await page.reload();
  await expect(page.locator('nm-tray-strip')).toBeVisible();
  await page.keyboard.press('Control+.');
  await expect(page.locator('nm-tray-strip')).toHaveCount(0);
  await expect(page.getByRole('button', { name: 'Tray: away' })).toBeVisible();
  await page.keyboard.press('Control+.');
  await expect(page.locator('nm-tray')).toBeVisible();
});

test('the tray in one line: counts in words, a ring for each device, selected by mouse and keys', async ({
  app,
  page,
}) => {
  await readyBatch(app, 12);
  await page.goto(app.url);
  await expect(page.locator('nm-tray')).toBeVisible();
  await page.keyboard.press('Control+.');
  const strip = page.locator('nm-tray-strip');
  await expect(strip.getByText('12 planned')).toBeVisible();
  const selected = strip.getByRole('gridcell', { selected: true });
  await strip.locator('[data-nest="B1"]').click();
  await expect(selected).toHaveCount(1);
  await page.keyboard.press('ArrowRight');
  await expect(strip.locator('[data-nest="B2"]')).toBeFocused();
  await page.keyboard.press('Shift+ArrowRight');
  await expect(selected).toHaveCount(2);
  await strip.locator('[data-nest="C4"]').click({ modifiers: ['Control'] });
  await expect(selected).toHaveCount(3);
  await page.keyboard.press('Control+a');
  await expect(selected).toHaveCount(12);
  await page.keyboard.press('Escape');
  await expect(selected).toHaveCount(0);
});
