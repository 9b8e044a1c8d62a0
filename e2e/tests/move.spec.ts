import {
  emptyNetwork,
  emptyPlan,
  type Batch,
  type BatchProgress,
  type LogEntry,
  type Move,
  type ShelvedNetwork,
} from '@nest-mark/core';
import type { Locator } from '@playwright/test';
import { expect, long, test, type App, type Page } from '../helpers/app';
import { auditView } from '../helpers/audit';
import { provedBatch } from '../helpers/proved';
import { pick } from '../helpers/steps';
import { many } from '../../core/test/helpers/soak';

const wanted = { bringUp: { ...emptyPlan('').bringUp, benchKey: true } };
const passphrase = 'spring tide at noon';
const row = (page: Page, hostName: string): Locator => page.locator(`tr[data-host="${hostName}"]`);

/** The second practice network lies 64 beside the first one. */
const beyond = ({ network }: App): string =>
  network.replace(/\d+$/, (last) => String((Number(last) + 64) % 256));

async function newHall(app: App, change: object = {}): Promise<ShelvedNetwork> {
  await app.api('POST', '/practice/actions', {
    do: 'other-air',
    air: {
      on: true,
      ssid: 'New Hall',
      passphrase,
      bands: ['2.4 GHz'],
      hidden: false,
      apart: false,
      clients: null,
      sleepsAfter: null,
      ...change,
    },
  });
  return app.api('POST', '/networks', {
    network: { ...emptyNetwork('New hall'), ssid: 'New Hall', subnet: `${beyond(app)}.0/24` },
    secret: passphrase,
  });
}

const choose = (page: Page, label: string, option: string): Promise<void> =>
  pick(page.getByRole('combobox', { name: label, exact: true }), option);

/** The last one takes its key down wrongly. */
const count = many(3, 7);
const all = `${String(count)} boards`;
const lastHost = `tank-0${String(count)}`;
const of = (number: number): string => `${String(number)} of ${String(count)}`;

test(
  'boards move to a new network; one with a wrong key comes back by itself; the server is killed in the middle',
  long,
  async ({ ownApp: app, page }) => {
    const batch = await provedBatch(app, count, wanted);
    await newHall(app);
    const last = batch.plan.devices[count - 1]!;
    await app.api('POST', '/practice/actions', { do: 'spoil', nest: last.nest, fault: 'mangles-key' });
    await page.goto(`${app.url}/batch/${batch.id}/move`);

    // The day is planned: ways with their reasons, what to do until when, what is lost by waiting.
    await page.getByRole('button', { name: 'Plan a move' }).click();
    await choose(page, 'New network', 'New hall');
    await page.getByLabel('its last day, if known').first().fill('2099-06-30');
    await expect(page.getByText(`After 2099-06-30 ${all} need their cards in a slot`)).toBeVisible();
    await page.getByLabel('a cable to a socket of the new network').check();
    await expect(page.getByText(`After 2099-06-30 ${all} need a cable.`)).toBeVisible();
    await expect(page.getByRole('region', { name: 'Day by day' })).toContainText('Put “New hall” beside');
    await page.getByRole('button', { name: 'Ways of tank-02' }).click();
    const ways = page.locator('tr.ways');
    await expect(ways.locator('li[data-way="over-old"]')).toHaveAttribute('data-open', 'true');
    await expect(ways.locator('li[data-way="sister"]')).toContainText(
      'No spare board of the same kind is at hand',
    );
    await expect(ways.locator('li[data-way="cable"]')).toContainText('Plug the cable into it');
    await expect(ways).toContainText('It was proved last at');
    await ways.getByLabel('a cable of the new network reaches it').uncheck();
    await expect(ways.locator('li[data-way="cable"]')).toHaveAttribute('data-open', 'false');
    await expect(
      page.getByText(`After 2099-06-30 ${String(count - 1)} boards need a cable and 1 board needs its card`),
    ).toBeVisible();
    await auditView(page);
    // It is there after a reload: what was typed is saved.
    await page.reload();
    await expect(page.getByLabel('a cable to a socket of the new network')).toBeChecked();

    await page.getByRole('button', { name: `Move ${all}` }).click();
    await expect(row(page, 'tank-01')).toHaveAttribute('data-move', 'moved', { timeout: 120_000 });
    await expect(page.locator('tr[data-move="switching"], tr[data-move="proving"]').first()).toBeVisible();
    await app.kill('SIGKILL');
    await expect(page.getByText('No connection to the server')).toBeVisible();
    await app.start('--no-demo');
    await page.goto(`${app.url}/batch/${batch.id}/move`);

    // It goes on by itself; whoever was cut off in the middle went back and is moved anew.
    await expect(page.getByText(of(count - 1), { exact: true })).toBeVisible({ timeout: 300_000 });
    await expect(row(page, lastHost)).toHaveAttribute('data-move', 'came-back', { timeout: 120_000 });
    await expect(row(page, lastHost)).toContainText(
      'It is on the old network again, and nothing of the new one is left on it.',
    );
    await expect(page.getByText(`1 board of ${String(count)} did not come over.`)).toBeVisible();
    const { devices } = await app.api<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    const networkOf = (address = ''): string => address.replace(/\.\d+$/, '');
    expect(devices.map(({ seen }) => networkOf(seen?.address))).toEqual([
      ...Array<string>(count - 1).fill(beyond(app)),
      app.network,
    ]);
    const log = await app.api<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=500`);
    expect(log.filter(({ kind }) => kind === 'moved')).toHaveLength(count - 1);
    expect(JSON.stringify(log)).not.toContain(passphrase);

    // Mended, it comes over too.
    await app.api('POST', '/practice/actions', { do: 'spoil', nest: last.nest, fault: null });
    await page.getByRole('button', { name: 'Move 1 board' }).click();
    await expect(page.getByText(of(count), { exact: true })).toBeVisible({ timeout: 120_000 });

    // Later and on request they forget the old one: asked once more before, and never those that did not come over.
    await page.getByRole('button', { name: 'Take the old network off …' }).click();
    await expect(page.getByText('None of them can go back over it.')).toBeVisible();
    await page.getByRole('button', { name: `Take it off ${all}` }).click();
    await expect(page.locator('tr[data-move="alone"]')).toHaveCount(count, { timeout: 120_000 });
    await expect(page.getByText(`${all} forgot the old network.`)).toBeVisible();
    await expect(page.getByRole('button', { name: 'Take the old network off …' })).toBeHidden();
  },
);

test('a move that is left to the day: boards keep both networks, and come over when the old one ends', async ({
  app,
  page,
}) => {
  const batch = await provedBatch(app, 2, wanted);
  await newHall(app, { on: false });
  await page.goto(`${app.url}/batch/${batch.id}/move`);
  await page.getByRole('button', { name: 'Plan a move' }).click();
  await choose(page, 'New network', 'New hall');
  await choose(page, 'This computer reaches', 'the old network only');
  await page.getByRole('button', { name: 'Add it to 2 boards' }).click();
  await expect(page.locator('tr[data-move="waits"]')).toHaveCount(2, { timeout: 120_000 });
  // Cards that are written later join it as well.
  await page.getByRole('button', { name: 'Add it to the plan' }).click();
  await expect(page.getByRole('button', { name: 'Add it to the plan' })).toBeHidden();
  const { plan } = await app.api<Batch>('GET', `/batches/${batch.id}`);
  expect(plan.networks.map(({ priority }) => priority)).toEqual([25, 10]);
  // The day: the old network ends, the new one begins; this computer goes there too.
  const { other } = await app.api<{ other: object }>('GET', '/practice');
  await app.api('POST', '/practice/actions', { do: 'other-air', air: { ...other, on: true } });
  await app.api('POST', '/practice/actions', {
    do: 'air',
    air: { on: false, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
  });
  await app.api(
    'POST',
    `/batches/${batch.id}/searches`,
    { subnet: `${beyond(app)}.0/24`, port: 2222 },
    {
      'Idempotency-Key': crypto.randomUUID(),
    },
  );
  await expect(async () => {
    const { devices } = await app.api<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(devices.every(({ seen }) => seen?.address.startsWith(beyond(app)))).toBe(true);
  }).toPass({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Put away' }).click();
  await expect(page.getByRole('button', { name: 'Plan a move' })).toBeVisible();
  const { move } = await app.api<{ move: Move | null }>('GET', `/batches/${batch.id}/move`);
  expect(move).toBeNull();
  await app.api('POST', '/practice/actions', {
    do: 'air',
    air: { on: true, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
  });
  await app.api('POST', '/practice/actions', { do: 'other-air', air: null });
});
