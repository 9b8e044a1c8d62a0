import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { emptyNetwork, type FieldView, type LogEntry, type ShelvedNetwork } from '@nest-mark/core';
import { expect, long, test } from '../helpers/app';
import { auditView } from '../helpers/audit';
import { provedBatch } from '../helpers/proved';
import { pick } from '../helpers/steps';
import { many } from '../../core/test/helpers/soak';

const count = many(3, 6);
const of = (number: number): string => `${String(number)} of ${String(count)}`;
const room = String(count - 1);

test(
  'boards rehearse over a hotspot with room for one less: told before, shown by the try; with room it passes; then packed, and visited',
  long,
  async ({ app, page }) => {
    const beyond = app.network.replace(/\d+$/, (last) => String((Number(last) + 64) % 256));
    const passphrase = 'spring tide at noon';
    const shelve = (title: string, secret: string, change: object): Promise<ShelvedNetwork> =>
      app.api('POST', '/networks', { network: { ...emptyNetwork(title), ssid: title, ...change }, secret });
    const bench = await shelve('Saltmarsh Bench', 'low tide at seven', {});
    const small = { ...emptyNetwork('Marsh hotspot'), ssid: 'Marsh hotspot', subnet: `${beyond}.0/24` };
    const hotspot = await shelve('Marsh hotspot', passphrase, { ...small, clientLimit: count });
    const air = (home: boolean, clients: number | null): Promise<unknown> =>
      Promise.all([
        app.api('POST', '/practice/actions', {
          do: 'air',
          air: { on: home, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
        }),
        app.api('POST', '/practice/actions', {
          do: 'other-air',
          air: {
            on: !home,
            ssid: 'Marsh hotspot',
            passphrase,
            bands: ['2.4 GHz'],
            hidden: false,
            apart: false,
            clients,
            sleepsAfter: null,
          },
        }),
      ]);
    const batch = await provedBatch(app, count, {
      networks: [
        { networkId: bench.id, priority: 10 },
        { networkId: hotspot.id, priority: 5 },
      ],
    });

    await page.goto(`${app.url}/batch/${batch.id}/field`);
    await expect(page.getByText('The network that serves in the field is not chosen.')).toBeVisible();
    const begin = page.getByRole('button', { name: 'Begin a rehearsal' });
    await expect(begin).toBeDisabled();
    await pick(page.getByRole('combobox', { name: 'Network that serves there' }), 'Marsh hotspot');
    await expect(
      page.getByText(
        `“Marsh hotspot” has room for ${room} boards beside this computer, and ${String(count)} go.`,
      ),
    ).toBeVisible();
    await expect(page.getByText('not rehearsed yet').first()).toBeVisible();

    // What the bench knows is ticked by itself; the rest by hand, and it stays.
    const before = page.getByRole('region', { name: 'Before you leave' });
    await expect(before.locator('li[data-check="written"]')).toHaveAttribute('data-done', 'true');
    await before.getByLabel(/hotspot stays on without a client/).check();
    await expect(before.locator('li[data-check="phone"]')).toHaveAttribute('data-done', 'true');

    const batteries = page.getByRole('region', { name: 'Batteries' });
    await batteries.getByLabel('each board runs on a battery there').check();
    await batteries.getByLabel('Has to last, h').fill('48');
    await expect(
      page.getByText(`${String(count)} boards of ${String(count)} do not last 48 hours on one battery`),
    ).toBeVisible();
    await batteries.getByLabel('The coldest it gets, °C').fill('-12');
    await expect(batteries).toContainText('such cells are not charged while they are frozen');
    await auditView(page);
    await page.reload();
    await expect(batteries.getByLabel('Has to last, h')).toHaveValue('48');
    await expect(before.getByLabel(/hotspot stays on without a client/)).toBeChecked();

    // The try shows what was told: one does not get in.
    await air(false, count - 1);
    const rehearsal = page.getByRole('region', { name: 'Rehearsal at home' });
    await begin.click();
    await expect(page.getByText(of(count - 1), { exact: true })).toBeVisible({ timeout: 120_000 });
    await expect(rehearsal.locator('tr[data-proved="false"]')).toHaveCount(1);
    await page.getByRole('button', { name: 'End it now' }).click();
    const [first, second] = [0, 1].map((at) => rehearsal.locator('tr[data-passed]').nth(at));
    await expect(first!).toContainText(`It has room for ${room} beside this computer, and they were there`);
    await expect(first!).toHaveAttribute('data-passed', 'false');
    await expect(page.getByText('the rehearsal did not pass')).toBeVisible();

    // A hotspot with more room.
    await app.api(
      'PUT',
      `/networks/${hotspot.id}`,
      { network: small, secret: passphrase },
      { 'If-Match': `"${String(hotspot.version)}"` },
    );
    await expect(page.getByText(`has room for ${room} boards`)).toBeHidden();
    await air(false, null);
    await begin.click();
    await expect(first!).toHaveAttribute('data-passed', 'true', { timeout: 120_000 });
    await expect(first!).toContainText(`${of(count)} proved over “Marsh hotspot”`);
    await expect(second!).toHaveAttribute('data-passed', 'false');
    await expect(page.getByText('rehearsed, and it passed')).toBeVisible();
    await expect(before.locator('li[data-check="rehearsed"]')).toHaveAttribute('data-done', 'true');

    // Back home.
    await expect(rehearsal).toContainText(`${of(0)} proved at home again since.`);
    await air(true, null);
    await expect(async () => {
      await app.api(
        'POST',
        `/batches/${batch.id}/searches`,
        { subnet: `${app.network}.0/24`, port: 2222 },
        { 'Idempotency-Key': crypto.randomUUID() },
      );
      await expect(rehearsal).toContainText(`${of(count)} proved at home again since.`, { timeout: 5000 });
    }).toPass({ timeout: 120_000 });

    // Everything in one file.
    const bundle = page.getByRole('region', { name: 'The bundle for the way' });
    await bundle.getByLabel(/^Passphrase/).fill('short');
    await expect(bundle).toContainText('12 characters or more.');
    await bundle.getByLabel(/^Passphrase/).fill('the tide waits for nobody');
    const download = page.waitForEvent('download');
    await bundle.getByRole('button', { name: 'Save it with keys' }).click();
    const path = join(app.folder, 'bundle.zip');
    await (await download).saveAs(path);
    expect(execFileSync('unzip', ['-Z1', path], { encoding: 'utf8' })).toContain('START-HERE.html');
    await expect(before.locator('li[data-check="bundle"]')).toHaveAttribute('data-done', 'true');

    // There: who is proved has a visit by that, and others are written down.
    await air(false, null);
    await page.getByRole('button', { name: 'On site: look for them' }).click();
    const visits = page.getByRole('region', { name: 'Visits' });
    await expect(visits.locator('tr[data-visit]')).toHaveCount(count, { timeout: 120_000 });
    await expect(begin).toBeVisible();
    await pick(visits.getByRole('combobox', { name: 'Board' }), /^tank-03/);
    await visits.getByLabel('Seen and done').fill('Mooring chafed, new shackle.');
    await visits.getByLabel('Battery, V, if measured').fill('3.92');
    await visits.getByRole('button', { name: 'Write it down' }).click();
    await expect(visits.locator('tr[data-visit="tank-03"]').first()).toContainText(
      'Mooring chafed, new shackle.',
    );
    await expect(visits.locator('tr[data-visit="tank-03"]').first()).toContainText('3.92 V');
    await expect(visits.getByLabel('Seen and done')).toHaveValue('');
    const log = await app.api<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=500`);
    expect(JSON.stringify(log)).not.toContain(passphrase);
    const { visits: kept } = await app.api<FieldView>('GET', `/batches/${batch.id}/field`);
    expect(kept).toHaveLength(count + 1);
    await air(true, null);
    await app.api('POST', '/practice/actions', { do: 'other-air', air: null });
  },
);
