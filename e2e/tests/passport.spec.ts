import { expect, long, test, type Page } from '../helpers/app';
import { audit } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import { armRound, part, search, setPace, stage } from '../helpers/steps';

const title = (page: Page) => page.locator('main h1');

test('the passport of a device: opened from tray, table and command line, browsed, and left again', async ({
  app,
  page,
}) => {
  const { devices } = (await readyBatch(app, 6)).plan;
  await page.goto(app.url);
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, 4);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
  await page.getByRole('button', { name: 'Power all' }).click();
  await expect(page.locator('tr[data-board]', { hasText: 'on the network' })).toHaveCount(4);
  await search(page);

  await page.locator('nm-tray [data-nest="A2"]').dblclick();
  await expect(title(page)).toHaveText('tank-02');
  expect(page.url()).toContain(`/device/${devices[1]!.id}`);
  await expect(page.getByRole('region', { name: 'Its cards' })).toContainText('its card now');
  await expect(page.getByRole('region', { name: 'Where its key was seen' })).toContainText(`${app.network}.`);
  await expect(page.getByRole('region', { name: 'Settings as they take effect' })).toContainText(
    'Europe/Copenhagen',
  );
  await expect(page.getByRole('region', { name: 'What was done to it' })).toContainText(
    'The card of tank-02 was written and verified.',
  );
  await audit(page);

  // N and P browse, and the browser's way back works.
  await page.locator('main').focus();
  await page.keyboard.press('n');
  await expect(title(page)).toHaveText('tank-03');
  await page.keyboard.press('p');
  await expect(title(page)).toHaveText('tank-02');
  await page.goBack();
  await expect(title(page)).toHaveText('tank-03');
  await page.reload();
  await expect(title(page)).toHaveText('tank-03');

  // A device without a card says what comes first.
  await page.locator('nm-tray-strip [data-nest]').nth(5).click();
  await page.keyboard.press('Enter');
  await expect(title(page)).toHaveText('tank-06');
  await expect(page.getByText('No card was written for it yet.')).toBeVisible();
  await expect(page.getByText('Nowhere yet.')).toBeVisible();

  // From a table, and on to the card, whose devices are told over time.
  await stage(page, 'Hand over');
  await page.getByRole('link', { name: 'tank-01' }).click();
  await expect(title(page)).toHaveText('tank-01');
  await page.getByRole('button', { name: 'Note as handed over' }).click();
  await expect(page.getByRole('region', { name: 'What was done to it' })).toContainText('handed over');
  await page.getByRole('region', { name: 'Its cards' }).getByRole('link').click();
  await expect(page.getByRole('region', { name: 'Its devices over time' })).toContainText('tank-01');
  await page.getByRole('button', { name: 'Retire it' }).click();
  await expect(page.getByText('Retired.', { exact: true })).toBeVisible();

  await page.goto(`${app.url}/batch/${/batch\/([^/]+)/.exec(page.url())?.[1] ?? ''}/device/nobody`);
  await expect(title(page)).toHaveText('No such device');
  await expect(page.getByText(/\d selected/)).toHaveCount(0);
});

test(
  'a device retires and comes back: nothing waits for it meanwhile, and its record stays',
  long,
  async ({ app, page }) => {
    const { devices } = (await readyBatch(app, 3)).plan;
    await page.goto(app.url);
    await page.locator('nm-tray [data-nest="A2"]').dblclick();
    await page.getByRole('button', { name: 'Retire it' }).click();
    await expect(page.locator('nm-passport-page')).toContainText('It has left the plan');
    await expect(page.getByText('Plan saved')).toBeVisible();
    // Its passport can be opened anew, by its address.
    await page.reload();
    await expect(title(page)).toHaveText('tank-02');
    await expect(page.locator('nm-passport-page')).toContainText(devices[1]!.mark);
    await expect(page.getByRole('region', { name: 'What was done to it' })).toContainText(
      'was taken out of the plan',
    );
    await expect(page.getByRole('button', { name: 'Print its label' })).toHaveCount(0);
    await stage(page, 'Plan');
    await page.getByText('1 device has left this plan').click();
    await page.getByRole('link', { name: 'tank-02' }).click();
    await page.getByRole('button', { name: 'Bring it back into the plan' }).click();
    await expect(page.getByText('Plan saved')).toBeVisible();
    await expect(page.getByRole('button', { name: 'Retire it' })).toBeVisible();
    await stage(page, 'Plan');
    await expect(page.getByLabel('Host name of nest A2')).toHaveValue('tank-02');
    await expect(page.getByText(/left this plan/)).toHaveCount(0);
  },
);

test('an own setting is told apart from the batch’s, with a finding that leads to its field', async ({
  app,
  page,
}) => {
  await readyBatch(app, 2);
  await page.goto(app.url);
  await page.getByLabel('Host name of nest A2').fill('tank_02');
  await page.getByLabel('Select tank_02', { exact: true }).check();
  const chosen = page.getByRole('region', { name: /^The selected device/ });
  await chosen.getByLabel('User', { exact: true }).fill('diver');
  await expect(page.getByText('Plan saved')).toBeVisible();
  await page.locator('nm-tray [data-nest="A2"]').dblclick();
  const settings = page.getByRole('region', { name: 'Settings as they take effect' });
  await expect(settings.getByRole('row', { name: /^user/ })).toContainText('its own; the batch: keeper');
  await page.getByRole('button', { name: 'Go there' }).first().click();
  await expect(page.getByLabel('Host name of nest A2')).toBeFocused();
});

test(
  'the practice bench’s hands come up at any stage, and are put away with it',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 4);
    await app.api('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
    await page.goto(app.url);
    await stage(page, 'Cards');
    await page.keyboard.press('F9');
    const dock = page.getByRole('region', { name: 'Practice: hands' });
    await dock.getByRole('button', { name: 'Fresh cards into empty slots' }).click();
    await dock.getByLabel(/in Slot 2 does$/).selectOption({ label: 'has its lock set' });
    await expect(page.getByText('The card is write-protected.').first()).toBeVisible();
    await dock.getByLabel(/in Slot 2 does$/).selectOption({ label: 'works' });
    await armRound(page, 4);
    await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
    await stage(page, 'Boot & find');
    await dock.getByRole('button', { name: 'Seat the cards by their labels' }).click();
    await page.locator('nm-tray [data-nest="A1"]').click();
    await dock.getByRole('button', { name: 'Power A1' }).click();
    await expect(dock.getByRole('button', { name: 'Cut A1' })).toBeVisible();
    await search(page);
    await expect(page.getByText('1 of 4', { exact: true })).toBeVisible();
    await page.keyboard.press('F9');
    await expect(dock).toHaveCount(0);

    // Put away, nothing of it is left on the screen.
    await stage(page, 'This bench');
    await page.getByLabel(/^Keep the practice bench out/).click();
    await expect(page.getByRole('link', { name: 'Practice bench' })).toHaveCount(0);
    await expect(page.getByRole('button', { name: 'Hands' })).toHaveCount(0);
    await page.keyboard.press('F9');
    await expect(dock).toHaveCount(0);
    await expect(page.getByText('No slot is there.')).toBeVisible();
    await page.getByLabel(/^Keep the practice bench out/).click();
    await expect(page.getByRole('link', { name: 'Practice bench' })).toBeVisible();
  },
);

test('this bench: disks as the system sees them, and one card that is only read', async ({ app, page }) => {
  await readyBatch(app, 1);
  await page.goto(app.url);
  await stage(page, 'This bench');
  await expect(page.getByRole('region', { name: /^Disks of this computer/ })).toBeVisible();
  await app.api('POST', '/practice/actions', { do: 'insertFresh' });
  await page.getByRole('button', { name: 'Try the card in Slot 1, only reading' }).click();
  await expect(page.getByText(/could be read: \d+ MB in .* Nothing was written\./)).toBeVisible();
  await stage(page, 'Guide');
  await page.getByRole('link', { name: 'Go there: Write the cards' }).click();
  await expect(title(page)).toHaveText('Cards');
});

test('in the hand: your turn, tray, passport by its mark, "it is powered" at 600 pixels without sideways scrolling', async ({
  app,
  page,
}) => {
  const { devices } = (await readyBatch(app, 4)).plan;
  await app.api('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
  await page.setViewportSize({ width: 600, height: 900 });
  await page.goto(app.url);
  const fits = async (): Promise<void> => {
    const wide = await page.evaluate<number[]>(`[document.documentElement, document.querySelector('main')]
      .map((part) => part.scrollWidth - part.clientWidth)`);
    expect(wide).toEqual([0, 0]);
  };
  await expect(page.locator('nm-tray [data-nest="A1"]')).toBeVisible();
  const line = page.getByRole('region', { name: 'Your turn' });
  await line.getByRole('button', { name: 'Practice: put them in' }).click();
  await line.getByRole('button', { name: 'Read it …' }).click();
  await page.getByLabel(/^Type/).fill('erase 4');
  await page.getByRole('button', { name: /^Erase and write/ }).click();
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await fits();
  await page.getByRole('button', { name: 'Find or do' }).click();
  await page.keyboard.type(devices[2]!.mark);
  await page.keyboard.press('Enter');
  await expect(title(page)).toHaveText('tank-03');
  await fits();
  await page.getByRole('button', { name: 'It is powered now' }).click();
  await expect(page.getByText(/^Noted as powered/)).toBeVisible();
  await stage(page, 'Boot & find');
  await expect(page.getByText('0 of 4', { exact: true })).toBeVisible();
  await fits();
  await audit(page);
});

test('from an empty database the first page asks what is at hand and leads there', async ({
  bareApp: app,
  page,
}) => {
  await page.goto(app.url);
  await page.getByLabel('What are these devices called together?').fill('Gates');
  await page.getByRole('radio', { name: /^A card reader and cards/ }).check();
  await page.getByRole('button', { name: 'Make the first batch' }).click();
  await expect(title(page)).toHaveText('This bench');
});

test(
  '1,000 devices: the tables draw what is near, find and sort, and a finding leads into the middle',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 1000, { tray: { rows: 25, columns: 40 } });
    await page.goto(app.url);
    const to = (top: number) =>
      page.evaluate(`document.querySelector('main').scrollTo({ top: ${String(top)} })`);
    await part(page, 'Devices');
    await expect(page.getByLabel('Host name of nest A1', { exact: true })).toBeVisible();
    expect(await page.locator('main tbody tr').count()).toBeLessThan(100);
    await to(20_000);
    await expect(page.getByLabel('Host name of nest A1', { exact: true })).toHaveCount(0);
    await expect(page.locator('main tbody input').first()).toBeVisible();
    await to(0);
    const far = page.getByLabel('Host name of nest Y40', { exact: true });
    await to(1e6);
    await far.fill('tank_1000');
    await to(0);
    await expect(far).toHaveCount(0);
    await page
      .getByRole('complementary', { name: 'Findings' })
      .getByRole('button', { name: 'Go there' })
      .first()
      .click();
    await expect(far).toBeFocused();

    await stage(page, 'Hand over');
    const rows = page.getByRole('region', { name: 'Devices' }).locator('tbody tr:not(.space)');
    expect(await rows.count()).toBeLessThan(100);
    await page.getByLabel('Find', { exact: true }).fill('tank-07 ');
    await expect(rows).toHaveCount(1);
    await page.getByLabel('Find', { exact: true }).fill('');
    // Names are sorted as people count: 9 before 10.
    await page.getByRole('button', { name: 'Device' }).click();
    await expect(rows.first()).toContainText('tank_1000');
    await expect(rows.nth(1)).toContainText('tank-01');
    await page.getByRole('button', { name: 'Device' }).click();
    await expect(rows.first()).toContainText('tank-999');
  },
);
