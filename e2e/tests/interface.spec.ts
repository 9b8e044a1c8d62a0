import { expect, long, test } from '../helpers/app';
import { audit, sideways } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import {
  armRound,
  handOverPart,
  part,
  parts,
  pick,
  search,
  setPace,
  stage,
  stages,
  headingOf,
} from '../helpers/steps';

test('every view, light and dark, passes the automated checks of WCAG 2.2 AA and needs no sideways scrolling', async ({
  app,
  page,
}) => {
  await readyBatch(app, 6);
  await page.goto(app.url);
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await stage(page, 'Cards');
  await page.getByRole('button', { name: 'Arm a round of 4 …' }).click();
  await expect(page.getByRole('dialog')).toBeVisible();
  await audit(page);
  await page.getByRole('button', { name: 'Leave everything as it is' }).click();
  await armRound(page, 4);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
  await page.getByRole('button', { name: 'Power all' }).click();
  await expect(page.locator('tr[data-board]', { hasText: 'on the network' })).toHaveCount(4);
  await search(page);
  for (const theme of ['light', 'dark']) {
    for (const view of stages) {
      await stage(page, view);
      await expect(page.locator('main h1')).toHaveText(headingOf(view));
      // What stands around the views is the same for all of them.
      const around = view === 'Plan' ? undefined : 'main';
      if (theme === 'dark') {
        // The same page in other colours.
        await audit(page, 'color-contrast', around);
        continue;
      }
      await audit(page, undefined, around);
      for (const width of [1280, 1024]) {
        await page.setViewportSize({ width, height: 800 });
        const wide = await sideways(page);
        expect(wide, `${view} at ${String(width)} in ${theme}`).toBe(0);
      }
      await page.setViewportSize({ width: 1280, height: 800 });
    }
    for (const name of parts) {
      await part(page, name);
      if (name === 'System' && theme === 'light')
        await page.getByRole('button', { name: 'Add an extra file' }).click();
      await audit(page, theme === 'dark' ? 'color-contrast' : undefined, 'main');
      expect(await sideways(page), `${name} in ${theme}`).toBe(0);
    }
    for (const name of [
      'Labels',
      'Logging in',
      'Credentials',
      'Other tools',
      'From outside',
      'How exposed',
      'Record',
    ]) {
      await handOverPart(page, name);
      if (name === 'How exposed' && theme === 'light') {
        await page.getByRole('button', { name: /^Look at/ }).click();
        await expect(page.getByText(/boards need a look$/)).toBeVisible();
      }
      if (name === 'Labels') await expect(page.locator('nm-drawn-page').first()).toBeVisible();
      await audit(page, theme === 'dark' ? 'color-contrast' : undefined, 'main');
      expect(await sideways(page), `${name} in ${theme}`).toBe(0);
    }
    await page.getByRole('button', { name: theme === 'light' ? 'Dark bench' : 'Light' }).click();
  }
});

test('the audit finds what is planted', async ({ page }) => {
  const shown = (text: string) =>
    page.setContent(`<html lang="en"><title>Planted</title><main><h1>Planted</h1>${text}</main>`);
  await shown('<p style="color: #999; background: #fff">too pale</p>');
  await expect(audit(page, 'color-contrast', 'main')).rejects.toThrow('color-contrast');
  await shown('<input>');
  await expect(audit(page)).rejects.toThrow('label');
  await shown('<label>Name <input></label>');
  await audit(page);
});

test('the tray by keyboard: arrows, Shift, Space, letters, all and none', async ({ app, page }) => {
  await readyBatch(app, 12);
  await page.goto(app.url);
  const cell = (nest: string) => page.locator(`[data-nest="${nest}"]`);
  const selected = () => page.getByRole('gridcell', { selected: true });
  await cell('A1').focus();
  await page.keyboard.press('ArrowRight');
  await expect(selected()).toHaveCount(1);
  await expect(cell('A2')).toBeFocused();
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Shift+ArrowDown');
  await expect(selected()).toHaveCount(4);
  await page.keyboard.press('Space');
  await expect(selected()).toHaveCount(3);
  await page.keyboard.press('Escape');
  await expect(selected()).toHaveCount(0);
  await page.keyboard.type('k-1');
  await expect(selected()).toHaveCount(3);
  await expect(cell('C2')).toBeFocused();
  await page.keyboard.press('Control+a');
  await expect(selected()).toHaveCount(12);
  // The same by mouse: a click, a second one with Ctrl, a rectangle.
  await cell('B1').click();
  await cell('B3').click({ modifiers: ['Control'] });
  await expect(selected()).toHaveCount(2);
  const from = (await cell('A1').boundingBox())!;
  const to = (await cell('B2').boundingBox())!;
  await page.mouse.move(from.x + 5, from.y + 5);
  await page.mouse.down();
  await page.mouse.move(to.x + 20, to.y + 20, { steps: 5 });
  await page.mouse.up();
  await expect(selected()).toHaveCount(4);
});

test('the command line finds a device by its mark and opens pages; ? lists the keys', async ({
  app,
  page,
}) => {
  const batch = await readyBatch(app, 3);
  await page.goto(app.url);
  await expect(page.locator('[data-nest="A3"]')).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.keyboard.type(batch.plan.devices[2]!.mark.toLowerCase());
  await expect(page.locator('[role="option"]')).toHaveCount(1);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1, name: 'tank-03' })).toBeVisible();
  await expect(page.locator('[data-nest="A3"]')).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Control+k');
  await page.keyboard.type('hand ov');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Hand over' })).toBeVisible();
  await page.locator('main').focus();
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible();
});

test('200 devices: marks only in the tray, the table draws what is in view, an edit is checked at once', async ({
  app,
  page,
}) => {
  await readyBatch(app, 200, { tray: { rows: 10, columns: 20 } });
  await page.goto(app.url);
  await expect(page.locator('[data-device]')).toHaveCount(200);
  await expect(page.locator('.dense [data-device]').first()).toBeVisible();
  // Never more than a third of the window.
  expect((await page.locator('nm-tray').boundingBox())!.height).toBeLessThanOrEqual(800 / 3);
  expect(await page.locator('tbody tr').count()).toBeLessThan(60);
  const field = page.getByLabel('Host name of nest A1', { exact: true });
  await field.fill('tank-02');
  await expect(page.getByText('"tank-02" in nest A2 is the name of nest A1 too.').first()).toBeVisible();
  const wide = await sideways(page);
  expect(wide).toBe(0);
});

test('a secret is masked, shown on request only, and that is logged', async ({ app, page }) => {
  await readyBatch(app, 1);
  await page.goto(app.url);
  await part(page, 'Networks');
  const field = page.getByLabel('Passphrase', { exact: true });
  await expect(field).toHaveAttribute('type', 'password');
  await expect(field).toHaveValue('');
  await page.getByRole('button', { name: 'Show' }).first().click();
  await expect(field).toHaveValue('low tide at seven');
  await page.getByRole('button', { name: 'Hide' }).click();
  // A pause in typing saves what there is; it must not empty the field under the hands.
  await field.pressSequentially('high tide');
  await expect(page.getByText('Plan changed, saving soon')).toBeVisible();
  await expect(page.getByText('Plan saved')).toBeVisible();
  await field.pressSequentially(' at eight');
  await expect(field).toHaveValue('high tide at eight');
  await page.getByLabel('Login port').focus();
  await expect(page.getByText('Plan saved')).toBeVisible();
  await expect(field).toHaveValue('');
  await page.getByRole('button', { name: 'Show' }).first().click();
  await expect(field).toHaveValue('high tide at eight');
  await stage(page, 'Log');
  // A network belongs to no batch.
  await pick(page.getByLabel('Of', { exact: true }), 'everything');
  await expect(page.getByText('The passphrase of network "Bench" was shown on the screen;')).toHaveCount(2);
});

test('the log tells by device and by card what happened', long, async ({ app, page }) => {
  await readyBatch(app, 2);
  await page.goto(app.url);
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, 2);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(2);
  await stage(page, 'Log');
  const rows = page.locator('main tbody tr');
  await expect(rows.filter({ hasText: 'was written and verified' })).toHaveCount(2);
  const serial = await rows
    .filter({ hasText: 'The card of tank-02' })
    .first()
    .locator('td')
    .nth(2)
    .innerText();
  await page.getByLabel('Card’s serial').fill(serial);
  await expect(rows).toHaveCount(2);
  await expect(rows.first()).toContainText('The card of tank-02 was written and verified.');
  await page.getByLabel('Card’s serial').fill('');
  await pick(page.getByLabel('Device', { exact: true }), 'A1 · tank-01');
  await expect(rows).toHaveCount(2);
  await expect(rows.last()).toContainText('Armed: the card in Slot 1');
});

test('an edit is not lost when another batch is opened in the same breath', async ({ app, page }) => {
  const first = await readyBatch(app, 1);
  const { devices } = first.plan;
  await app.api('POST', '/batches', { plan: { ...first.plan, name: 'Gates', devices: [] }, secrets: {} });
  await page.goto(`${app.url}/batch/${first.id}/plan`);
  await page.getByLabel('Host name of nest A1').fill('reed-01');
  await page.keyboard.press('Control+k');
  await page.keyboard.type('gates');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Name of the batch')).toHaveValue('Gates');
  const kept = await app.api<{ plan: { devices: { id: string; hostName: string }[] } }>(
    'GET',
    `/batches/${first.id}`,
  );
  expect(kept.plan.devices).toMatchObject([{ id: devices[0]!.id, hostName: 'reed-01' }]);
});
