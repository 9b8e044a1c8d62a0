import { expect, long, test } from '../helpers/app';
import { audit, sideways } from '../helpers/audit';
import { provedBatch } from '../helpers/proved';
import { readyBatch } from '../helpers/ready';
import { pick } from '../helpers/steps';

/** As somebody does who carries the computer away from the access point. */
const carried = (decibels: number): object => ({
  do: 'air',
  air: {
    on: true,
    ssid: 'Saltmarsh Bench',
    passphrase: 'low tide at seven',
    country: 'DK',
    carried: decibels,
  },
});

test('a walk is noted by place and band, a board that is there is asked too, and what was wrong is taken off', async ({
  app,
  page,
}) => {
  const batch = await provedBatch(app, 2);
  await page.goto(`${app.url}/batch/${batch.id}/signal`);
  await expect(page.getByText('Nobody listened anywhere yet.')).toBeVisible();
  await audit(page);
  const listen = page.getByRole('button', { name: 'Listen', exact: true });
  await expect(listen).toBeDisabled();
  const group = (place: string) => page.locator('tbody').filter({ hasText: place });

  await page.getByLabel('Place', { exact: true }).fill('Tank hall');
  await listen.click();
  await expect(group('Tank hall')).toContainText('all 2 boards: Well heard: −43 dBm on 2.4 GHz');

  await app.api('POST', '/practice/actions', carried(40));
  await page.getByLabel('Place', { exact: true }).fill('Sluice');
  await listen.click();
  await expect(group('Sluice')).toContainText('Expect trouble: −83 dBm on 2.4 GHz from “Bench”');
  await app.api('POST', '/practice/actions', carried(26));
  await page.getByRole('button', { name: 'Listen again: Sluice' }).click();
  await expect(group('Sluice')).toContainText('Enough, with little to spare: −69 dBm');
  await expect(group('Sluice')).toContainText('−83 dBm to −69 dBm in 2 readings');
  await expect(page.getByRole('img', { name: /Signal by place/ })).toBeVisible();

  // What the board hears there, by its own login.
  await page.getByLabel('Place', { exact: true }).fill('Feed store');
  await pick(page.getByLabel('With', { exact: true }), 'tank-02 · A2, a board');
  await expect(page.getByLabel('Log in by', { exact: true })).toBeVisible();
  await listen.click();
  await expect(group('Feed store')).toContainText('Well heard: −52 dBm on 2.4 GHz');
  await expect(group('Feed store').getByRole('cell', { name: 'tank-02' })).toBeVisible();
  await audit(page);
  await page.getByRole('button', { name: 'Dark bench' }).click();
  await audit(page);
  for (const width of [1024, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    expect(await sideways(page)).toBeLessThanOrEqual(0);
  }

  await page.getByRole('button', { name: 'Take off the list: Feed store' }).click();
  await page.getByRole('button', { name: 'Keep it' }).click();
  await page.getByRole('button', { name: 'Take off the list: Feed store' }).click();
  await page.getByRole('button', { name: 'Take it off' }).click();
  await expect(group('Feed store')).toHaveCount(0);
  await page.reload();
  await expect(group('Sluice')).toContainText('−69 dBm');
  await expect(group('Feed store')).toHaveCount(0);
});

test(
  'a walk says why there is nothing to hear, and what this computer has saved goes onto the shelf with its key',
  long,
  async ({ app, page }) => {
    const bare = await readyBatch(app, 1, { networks: [] });
    await page.goto(`${app.url}/batch/${bare.id}/signal`);
    await expect(page.getByText('The plan has no Wi-Fi network')).toBeVisible();
    await audit(page);

    await app.api('POST', '/practice/actions', {
      do: 'air',
      air: { on: true, ssid: 'Kiln loft', passphrase: 'ember at nine', country: 'DK' },
    });
    await page.goto(`${app.url}/batch/${bare.id}/networks`);
    await page.getByText('From what this computer has saved').click();
    await page.getByRole('button', { name: 'Show their names' }).click();
    const row = (name: string) => page.locator('nm-saved-taker').getByRole('row').filter({ hasText: name });
    await expect(row('Ferry House staff')).toContainText('Boards cannot be prepared for that here.');
    await expect(row('WPA3 only')).toContainText('in somebody’s key ring');
    await audit(page);
    await page.getByRole('button', { name: 'Put on the shelf: Kiln loft' }).click();
    await expect(row('Kiln loft')).toContainText('On the shelf.');
    const shelf = page.getByRole('region', { name: 'Kiln loft' });
    await expect(shelf.getByLabel('Network name', { exact: true })).toHaveValue('Kiln loft');
    await shelf.getByRole('button', { name: 'Try the key' }).click();
    await expect(shelf.getByRole('status')).toContainText('The key is right.');
  },
);
