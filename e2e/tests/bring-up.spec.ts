import { emptyPlan, type BringUp, type LogEntry } from '@nest-mark/core';
import { expect, long, test, type Page } from '../helpers/app';
import { audit } from '../helpers/audit';
import { provedBatch } from '../helpers/proved';
import { stage } from '../helpers/steps';
import { many } from '../../core/test/helpers/soak';

const wanted = { bringUp: emptyPlan('').bringUp };
const row = (page: Page, hostName: string) => page.locator(`tr[data-host="${hostName}"]`);
const panel = (page: Page, hostName: string) => page.getByRole('region', { name: `Bringing up ${hostName}` });

/** With the second, the third and the last one something is wrong. */
const count = many(4, 7);
const last = `tank-0${String(count)}`;
const good = count - 3;
const of = (number: number): string => `${String(number)} of ${String(count)}`;

test('boards from proved to ready by one press, three with faults, and the server killed in the middle', async ({
  ownApp: app,
  page,
}) => {
  const batch = await provedBatch(app, count, wanted);
  const spoil = (index: number, fault: string | null): Promise<unknown> =>
    app.api('POST', '/practice/actions', { do: 'spoil', nest: batch.plan.devices[index]!.nest, fault });
  await spoil(1, 'broken-download');
  await spoil(2, 'more-accounts');
  await spoil(count - 1, 'weak-supply');
  await page.goto(`${app.url}/batch/${batch.id}/bring-up`);

  // One press: the hands-on time of the whole batch. What it takes is counted in presses and not in seconds.
  await page.getByRole('button', { name: `Bring up ${String(count)}` }).click();
  await expect(
    row(page, 'tank-01')
      .getByText(/at it|begins|lists|fetches|installs|cleans/)
      .first(),
  ).toBeVisible();
  await app.kill('SIGKILL');
  await expect(page.getByText('No connection to the server')).toBeVisible();
  await app.start('--no-demo', '--terminals');
  await page.goto(`${app.url}/batch/${batch.id}/bring-up`);

  // It goes on by itself; each board says where it is.
  await expect(page.getByText(of(good), { exact: true })).toBeVisible({ timeout: 300_000 });
  await expect(page.locator('tr[data-state="hand"]')).toHaveCount(3);
  for (const [name, told] of [
    ['tank-02', /A package could not be fetched/],
    ['tank-03', /demo can log in by a password and is not in the plan/],
    [last, /The kernel complains of its power: .*Undervoltage/],
  ] as const) {
    await page.getByRole('button', { name: `Look at ${name}` }).click();
    await expect(panel(page, name)).toContainText(told);
  }
  const { boards } = await app.api<BringUp>('GET', `/batches/${batch.id}/bring-up`);
  expect(boards.filter(({ keyOff }) => keyOff)).toHaveLength(good);
  const log = await app.api<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=500`);
  expect(log.filter(({ kind }) => kind === 'brought-up')).toHaveLength(good);

  // One is mended, of one it is said that it may stay so.
  await spoil(1, null);
  await page.getByRole('button', { name: 'Look at tank-02' }).click();
  await panel(page, 'tank-02').getByRole('button', { name: 'Look at it again' }).click();
  await expect(row(page, 'tank-02')).toHaveAttribute('data-state', 'ready', { timeout: 120_000 });
  await page.getByRole('button', { name: 'Look at tank-03' }).click();
  await panel(page, 'tank-03').getByLabel('It may stay so, because').fill('for visitors');
  await panel(page, 'tank-03').getByRole('button', { name: 'Leave it out' }).click();
  await expect(row(page, 'tank-03')).toHaveAttribute('data-state', 'ready', { timeout: 120_000 });
  await expect(page.getByText(of(count - 1), { exact: true })).toBeVisible();

  await stage(page, 'Hand over');
  await expect(page.getByRole('button', { name: `Note ${String(count - 1)} as handed over` })).toBeEnabled();
  await stage(page, 'Bring up');

  // Of the one that is left a person has a look of their own, and wants it in the record.
  await page.getByRole('button', { name: `Look at ${last}` }).click();
  const at = panel(page, last);
  await at.getByLabel('Keep what it shows in the board’s record').check();
  await at.getByRole('button', { name: 'Open a terminal' }).click();
  const shown = at.locator('.xterm-rows');
  await expect(shown).toContainText(`keeper@${last}:~$`);
  await page.keyboard.type('echo supply-$((4 + 1))\n');
  await expect(shown).toContainText('supply-5');
  await audit(page);
  await page.keyboard.press('Shift+Tab');
  await expect(at.getByRole('button', { name: 'Close the terminal' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(shown).toBeHidden();
  await page.goto(`${app.url}/batch/${batch.id}/device/${batch.plan.devices[count - 1]!.id}`);
  const brought = page.getByRole('region', { name: 'How it was brought up' });
  await expect(brought).toContainText('needs a look');
  await expect(brought.getByRole('row', { name: /Health/ })).toContainText('Undervoltage');
  const kept = page.getByRole('region', { name: 'Terminals that were kept' });
  await kept.locator('summary').click();
  await expect(kept.locator('pre')).toContainText('supply-5');
});

test(
  'a step of one’s own: one board first, its output as it comes, and shut down until the power may be cut',
  long,
  async ({ app, page }) => {
    const batch = await provedBatch(app, 2, wanted);
    await page.goto(`${app.url}/batch/${batch.id}/bring-up`);
    // Nobody allowed terminals here.
    await page.getByRole('button', { name: 'Look at tank-01' }).click();
    await expect(panel(page, 'tank-01')).toBeVisible();
    await expect(page.getByRole('button', { name: 'Open a terminal' })).toHaveCount(0);
    // What is to go wrong on a practice board is chosen at the bench itself.
    await page.goto(`${app.url}/batch/${batch.id}/practice`);
    const fault = page.getByLabel(`What goes wrong on the board of ${batch.plan.devices[0]!.nest}`);
    await fault.selectOption('its clock is two hours slow');
    await expect(fault).toHaveValue('slow-clock');
    await page.goto(`${app.url}/batch/${batch.id}/bring-up`);
    await page.getByRole('button', { name: 'Choose …' }).click();
    await page.getByRole('checkbox', { name: /^Updates/ }).uncheck();
    await page.getByRole('checkbox', { name: /^Leftovers removed/ }).uncheck();
    await page.getByRole('checkbox', { name: /^Shut down/ }).check();
    await page.getByRole('button', { name: 'Add a step' }).click();
    await page.getByLabel('Title').fill('Tank gauge');
    await page.getByLabel('Question: 0 when it is done').fill('grep -q oyster /etc/gauge');
    await page.getByLabel('What does it').fill('echo oyster >/etc/gauge; echo the gauge is set');
    await expect(page.getByRole('checkbox', { name: /^One board first/ })).toBeChecked();
    await expect(page.getByText('Plan saved')).toBeVisible();
    await audit(page);
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('button', { name: 'Bring up 2' }).click();
    await expect(page.getByText('2 of 2', { exact: true })).toBeVisible({ timeout: 180_000 });
    await page.getByRole('button', { name: 'Look at tank-01' }).click();
    await expect(
      panel(page, 'tank-01').getByRole('listitem').filter({ hasText: 'Clock right' }),
    ).toContainText('done');
    await page.getByRole('button', { name: 'Look at tank-02' }).click();
    await expect(panel(page, 'tank-02')).toContainText('its power may be cut when its light is quiet');
    await expect(panel(page, 'tank-02').getByLabel('What the board prints')).toContainText(
      'the gauge is set',
    );
    await panel(page, 'tank-02').getByPlaceholder('Lines with …').fill('gauge');
    await expect(panel(page, 'tank-02').getByLabel('What the board prints')).toHaveText(
      /^\s*(.*gauge.*\s*)+$/i,
    );
  },
);
