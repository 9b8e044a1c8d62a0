import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import type { ShelvedNetwork } from '@nest-mark/core';
import { toBuffer } from 'qrcode';
import { expect, long, test } from '../helpers/app';
import { audit, sideways } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import { bootAndProve, part, setPace, stage, writeRound } from '../helpers/steps';

test(
  'a network is chosen from the air, its wrong key is told before a card is written, and its board is proved',
  long,
  async ({ app, page }) => {
    const batch = await readyBatch(app, 1, { networks: [] });
    await page.goto(`${app.url}/batch/${batch.id}/plan`);
    await setPace(page, 0, 0);
    await page.goto(`${app.url}/batch/${batch.id}/plan`);
    await part(page, 'Networks');
    await page.getByRole('button', { name: 'New network' }).click();
    await page.getByRole('button', { name: 'Take it from the air' }).click();
    await page.getByRole('button', { name: 'Listen now' }).click();

    const row = page.getByRole('row', { name: /Saltmarsh Bench/ });
    await expect(row).toContainText('2.4 GHz, channel 6');
    await expect(row).toContainText('all 1');
    await expect(page.getByRole('row', { name: /Ferry House staff/ })).toContainText(
      'boards cannot be prepared for that here',
    );
    await expect(page.getByRole('row', { name: /names kept hidden/ })).toContainText('type the name');
    await audit(page);
    await row.getByRole('button', { name: 'Take this' }).click();
    await expect(page.getByLabel('Network name', { exact: true })).toHaveValue('Saltmarsh Bench');

    // No check of a card could see this one.
    const trial = page.locator('nm-key-trial').getByRole('status');
    await page.getByLabel('Passphrase', { exact: true }).fill('low tide at nine');
    await page.getByRole('button', { name: 'Try the key' }).click();
    await expect(trial).toContainText('The key is wrong.');
    await page.getByLabel('Passphrase', { exact: true }).fill('low tide at seven');
    await expect(trial).toContainText('Not tried as it is now. Before its last change: The key is wrong.');
    await page.getByRole('button', { name: 'Try the key' }).click();
    await expect(trial).toContainText('The key is right.');
    await expect(trial).toContainText(`${app.network}.20 would be given`);
    await audit(page);
    for (const width of [1024, 1280]) {
      await page.setViewportSize({ width, height: 800 });
      expect(await sideways(page)).toBeLessThanOrEqual(0);
    }

    await expect(page.getByText('Plan saved')).toBeVisible();
    await writeRound(page, 1);
    await bootAndProve(page, 'tank-01');
  },
);

test('what is on the shelf already is told to be there; what changed in the air since is told beside it', async ({
  app,
  page,
}) => {
  const batch = await readyBatch(app, 2);
  await page.goto(`${app.url}/batch/${batch.id}/networks`);
  const air = page.getByRole('region', { name: 'On the air here' });
  await air.getByRole('button', { name: 'Listen now' }).click();
  await expect(air.getByRole('row', { name: /Saltmarsh Bench/ })).toContainText('On the shelf.');
  await air
    .getByRole('row', { name: /Net loft/ })
    .getByRole('button', { name: 'Put on the shelf' })
    .click();
  const shelved = page.getByRole('region', { name: 'Net loft' });
  await expect(shelved.getByLabel('Network name')).toHaveValue('Net loft');
  await expect(air.getByRole('row', { name: /Net loft/ })).toContainText('On the shelf.');
  const networks = await app.api<ShelvedNetwork[]>('GET', '/networks');
  expect(networks.find(({ ssid }) => ssid === 'Net loft')).toMatchObject({
    security: 'wpa2-wpa3',
    bands: ['2.4 GHz'],
    channels: [{ band: '2.4 GHz', channel: 1 }],
    country: 'DK',
  });
  // Nobody knows its key yet.
  await shelved.getByRole('button', { name: 'Try the key' }).click();
  await expect(shelved.getByRole('status').first()).toContainText('has no name, or no key');

  await app.api('POST', '/practice/actions', {
    do: 'air',
    air: {
      on: true,
      ssid: 'Saltmarsh bench',
      passphrase: 'low tide at seven',
      country: 'DK',
      bands: ['5 GHz'],
    },
  });
  await air.getByRole('button', { name: 'Listen now' }).click();
  const bench = page.getByRole('region', { name: 'Bench', exact: true });
  await expect(bench).toContainText(
    '“Saltmarsh Bench” is not heard, but “Saltmarsh bench” is, which is another name.',
  );
  await bench.getByRole('button', { name: 'Try the key' }).click();
  await expect(bench).toContainText('The network is not heard.');
  await audit(page);
  await page.getByRole('button', { name: 'Dark bench' }).click();
  await audit(page, 'color-contrast');
});

test('a network and its key come from a picture of a code, and go out as one that another reader reads', async ({
  app,
  page,
}) => {
  const text = 'WIFI:T:WPA;S:Saltmarsh Bench;P:low tide at seven;;';
  await page.goto(app.url);
  await page.getByLabel('What are these devices called together?').fill('Tanks');
  await page.getByRole('button', { name: 'Make the first batch' }).click();
  await stage(page, 'Networks');
  await page.getByText('From the code of a phone or a router').click();
  const typed = page.getByLabel('Text of the code, and Enter');
  await typed.fill('WIFI:T:WPA;S:Saltmarsh');
  await typed.press('Enter');
  await expect(page.getByRole('alert')).toContainText('The code breaks off');
  // What was pasted stays, to be completed.
  await expect(typed).toHaveValue('WIFI:T:WPA;S:Saltmarsh');
  const picture = page.getByLabel('Picture of the code');
  await picture.setInputFiles({ name: 'tide.png', mimeType: 'image/png', buffer: Buffer.from('no picture') });
  await expect(page.getByRole('alert')).toContainText('"tide.png" is no picture');
  await picture.setInputFiles({
    name: 'code.png',
    mimeType: 'image/png',
    buffer: await toBuffer(text, { scale: 5, errorCorrectionLevel: 'M' }),
  });
  const bench = page.getByRole('region', { name: 'Saltmarsh Bench' });
  await expect(bench.getByLabel('Network name')).toHaveValue('Saltmarsh Bench');
  await expect(page.getByRole('status').filter({ hasText: 'goes onto the shelf' })).toBeVisible();
  await bench.getByRole('button', { name: 'Try the key' }).click();
  await expect(bench).toContainText('The key is right.');
  await audit(page);

  await bench.getByText('More: title, hidden').click();
  await bench.getByRole('button', { name: 'Show as a code to scan' }).click();
  const shown = bench.getByRole('img', { name: 'Code of the network, with its key' });
  await expect(shown).toBeVisible();
  const file = join(app.folder, 'shown.png');
  await shown.screenshot({ path: file });
  expect(execFileSync('zbarimg', ['--raw', '-q', file], { encoding: 'utf8' }).trimEnd()).toBe(text);
  await bench.getByRole('button', { name: 'Hide the code' }).click();
  await expect(shown).toBeHidden();
});
