/** Makes docs/screenshots anew from the demo data: npm run screenshots (after npm start has set everything up once). */
import { spawn } from 'node:child_process';
import { chmodSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import { addDevices, emptyPlan, namesFromPattern } from '@nest-mark/core';

const root = join(import.meta.dirname, '..');
const target = process.argv[2] ?? join(root, 'docs/screenshots');
const data = mkdtempSync(join(tmpdir(), 'nest-mark-screens-'));
// The database's account must be able to reach it, so that the cluster lies within and goes with it.
chmodSync(data, 0o755);
mkdirSync(target, { recursive: true });

const server = spawn(
  process.execPath,
  ['scripts/start.mjs', '--no-setup', '--port', '0', '--data', data, '--practice-network', '127.44.8'],
  { cwd: root, stdio: ['ignore', 'pipe', 'inherit'] },
);
const url = await new Promise<string>((resolve, reject) => {
  server.once('exit', () => reject(new Error('the server did not start')));
  server.stdout.on('data', (text: Buffer) => {
    const found = /Nest Mark is at (\S+)/.exec(text.toString())?.[1];
    if (found) resolve(found);
  });
});
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium-headless-shell',
  args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
});

/** How an invented image takes its settings. */
const reedMethod = JSON.stringify({
  format: 'nest-mark-first-boot-method',
  version: 1,
  title: 'Board file of Reed OS',
  notes: 'Read at each start; the comments in the file say what each key means.',
  files: [
    {
      path: 'board.ini',
      form: 'ini',
      words: { open: 'open', wpa2: 'wpa' },
      entries: [
        { section: 'board', key: 'name', value: '<<hostName>>' },
        { section: 'board', key: 'identity', value: '<<hostKey.base64>>' },
        { section: 'wifi<<number>>', key: 'name', value: '<<ssid>>', each: 'network' },
        { section: 'wifi<<number>>', key: 'key', value: '<<wifiKey>>', each: 'network', when: 'secured' },
      ],
    },
  ],
});

async function post(path: string, body: unknown): Promise<unknown> {
  const headers = {
    'X-Nest-Mark': '1',
    'Content-Type': 'application/json',
    'Idempotency-Key': crypto.randomUUID(),
  };
  const response = await fetch(`${url}/api${path}`, { method: 'POST', headers, body: JSON.stringify(body) });
  if (!response.ok) throw new Error(await response.text());
  return response.json();
}
const practice = (action: object): Promise<unknown> => post('/practice/actions', action);

async function shots(page: Page): Promise<void> {
  const shot = async (name: string): Promise<void> => {
    // Off the button that was pressed, and past its colour change.
    await page.mouse.move(5, 795);
    await page.waitForTimeout(500);
    await page.screenshot({ path: join(target, `${name}.png`) });
  };
  const go = (name: string): Promise<void> =>
    page
      .getByRole('navigation', { name: 'Stages and shelves' })
      .getByRole('link', { name: new RegExp(`^${name}`) })
      .click();
  const round = async (phrase: string): Promise<void> => {
    await page.getByRole('button', { name: /^Arm a round of 4/ }).click();
    await page.getByLabel(/^Type/).fill(phrase);
  };
  const verified = (): Promise<void> =>
    page.getByText('Verified, take it out.').nth(3).waitFor({ timeout: 120_000 });

  await page.goto(url);
  await page.getByText('to note').waitFor({ timeout: 60_000 });
  await shot('plan');
  await practice({ do: 'insertFresh' });
  await go('Cards');
  await round('erase 4');
  await page.getByRole('button', { name: 'Erase and write 4 cards' }).click();
  const bar = page.getByRole('progressbar').first();
  while (Number(await bar.getAttribute('aria-valuenow')) < 60) await page.waitForTimeout(100);
  await shot('cards-writing');
  await verified();
  await practice({ do: 'pace', bootSeconds: 1, slotRate: 0 });
  for (let n = 0; n < 2; n++) {
    await practice({ do: 'pullIdle' });
    await practice({ do: 'insertFresh' });
    await round('erase 4');
    await page.getByRole('button', { name: 'Erase and write 4 cards' }).click();
    await verified();
  }
  const batchId = /batch\/([^/]+)/.exec(page.url())?.[1] ?? '';
  await practice({ do: 'seat', batchId });
  await practice({ do: 'power', nest: 'C4', on: false });
  await practice({ do: 'powerAll', on: true });
  await practice({ do: 'power', nest: 'C4', on: false });
  await go('Practice bench');
  await page.getByText('on the network').nth(10).waitFor({ timeout: 60_000 });
  await page.evaluate("document.getElementById('drills-title').scrollIntoView()");
  await shot('practice');
  await go('Boot');
  await page.getByRole('button', { name: /I have just powered/ }).click();
  await page.getByRole('button', { name: 'Search' }).click();
  await page.getByText('11 of 12').waitFor({ timeout: 60_000 });
  await shot('boot');
  await practice({ do: 'power', nest: 'C4', on: true });
  await practice({ do: 'drill', batchId, cause: 'other-key' });
  await page.getByRole('button', { name: 'Listen', exact: true }).click();
  const away = page.getByRole('region', { name: 'Why is it not there?' });
  await away.getByText('12 boards do not appear').waitFor({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Tray: open' }).click();
  await away.getByRole('button', { name: 'Practice: look' }).click();
  await away.locator('.saw').waitFor();
  await page.evaluate("document.getElementById('away-title').scrollIntoView()");
  await shot('not-there');
  await practice({ do: 'mend', cause: 'other-key' });
  await page.getByText('12 of 12').waitFor({ timeout: 60_000 });
  await practice({ do: 'endDrill' });
  await practice({
    do: 'other-air',
    air: {
      on: true,
      ssid: 'Keepers hotspot',
      passphrase: 'eelgrass and mud',
      bands: ['2.4 GHz'],
      hidden: false,
      apart: false,
      clients: null,
    },
  });
  await practice({ do: 'spoil', nest: 'B1', fault: 'mangles-key' });
  await go('Move');
  await page.getByRole('button', { name: 'Plan a move' }).click();
  await page.getByRole('combobox', { name: 'New network', exact: true }).click();
  await page.getByRole('option', { name: 'Keeper’s hotspot' }).click();
  await page.getByLabel('a cable to a socket of the new network').check();
  await page.locator('#move-ends').fill('2027-06-30');
  await page.getByText(/^After 2027-06-30/).waitFor();
  await page.getByRole('button', { name: 'Move 12 boards' }).click();
  await page.locator('tr[data-move="came-back"]').waitFor({ timeout: 120_000 });
  await page.evaluate("document.getElementById('days-title').scrollIntoView()");
  await shot('move');
  await practice({ do: 'spoil', nest: 'B1', fault: null });
  await page.getByRole('button', { name: 'Move 1 board' }).click({ timeout: 180_000 });
  await page.getByText('12 of 12').waitFor({ timeout: 180_000 });
  await page.getByRole('button', { name: 'Add it to the plan' }).click();
  await page.getByRole('button', { name: 'Put away' }).click();
  await go('Field');
  await page.getByRole('combobox', { name: 'Network that serves there' }).click();
  await page.getByRole('option', { name: 'Keeper’s hotspot' }).click();
  await page.getByLabel('each board runs on a battery there').check();
  await page.getByText('room for 7 boards').waitFor();
  await page.getByRole('button', { name: 'Begin a rehearsal' }).click();
  await page.getByText('rehearsed, and it passed').waitFor({ timeout: 120_000 });
  await page.getByLabel(/hotspot stays on without a client/).check();
  await page.evaluate("document.getElementById('rehearsal-title').scrollIntoView()");
  await shot('field');
  // Back on the bench’s own network for what follows.
  await practice({ do: 'other-air', air: null });
  await post(`/batches/${batchId}/searches`, { subnet: '127.44.8.0/24', port: 2222 });
  await practice({ do: 'spoil', nest: 'A2', fault: 'more-accounts' });
  await go('Bring up');
  await page.getByRole('button', { name: 'Bring up 12' }).click();
  await page.locator('tr[data-state="ready"]').nth(4).waitFor({ timeout: 180_000 });
  await shot('bring-up');
  await page.locator('tr[data-state="ready"]').nth(10).waitFor({ timeout: 180_000 });
  await practice({ do: 'power', nest: 'C4', on: false });
  await go('Hand over');
  await shot('hand-over');
  const partOf = (name: string): Promise<void> =>
    page
      .getByRole('navigation', { name: 'Parts of handing over' })
      .getByRole('link', { name, exact: true })
      .click();
  await partOf('Labels');
  await page.getByLabel('each device').check();
  await page.getByText('12 labels on 1 sheet').waitFor();
  await page.locator('nm-drawn-page').first().waitFor();
  await page.waitForTimeout(1500);
  await shot('labels');
  await partOf('Devices');
  await page.getByRole('link', { name: 'tank-07' }).click();
  await page.getByText('its card now').waitFor();
  await shot('passport');
  await go('This bench');
  await page.getByText('Never offered').first().waitFor();
  await shot('this-bench');
  await go('Networks');
  const bench = page.getByRole('region', { name: 'Bench', exact: true });
  await bench.getByRole('button', { name: 'Take it from the air' }).click();
  await bench.getByRole('button', { name: 'Listen now' }).click();
  await bench.getByRole('row', { name: /Ferry House staff/ }).waitFor();
  await bench.getByRole('button', { name: 'Try the key' }).click();
  await bench.getByText('The key is right.').waitFor();
  await page.evaluate("document.querySelector('nm-network-editor').closest('section').scrollIntoView()");
  await shot('networks');
  for (const [place, carried] of [
    ['Tank hall, north wall', 12],
    ['Tank hall, under the header tank', 27],
    ['Sluice hut behind the dyke', 42],
  ] as const) {
    await practice({
      do: 'air',
      air: { on: true, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK', carried },
    });
    await post(`/batches/${batchId}/signal`, { sensor: 'adapter', place, adapter: 'practice0' });
  }
  await go('Signal');
  await page.getByText('Sluice hut behind the dyke').first().waitFor();
  await shot('signal');
  await go('Images');
  await shot('images');
  await go('First-boot methods');
  await page
    .locator('nm-methods-page input[type="file"]')
    .setInputFiles({ name: 'reed.json', mimeType: 'application/json', buffer: Buffer.from(reedMethod) });
  await page.getByRole('region', { name: 'Lines of board.ini' }).waitFor();
  await page.evaluate("document.querySelector('nm-method-file').scrollIntoView()");
  await shot('methods');
  await go('Card check');
  await page
    .locator('nm-card-check-page input[type="file"]')
    .first()
    .setInputFiles([
      { name: 'ssh.txt', mimeType: 'text/plain', buffer: Buffer.alloc(0) },
      {
        name: 'wpa_supplicant.conf',
        mimeType: 'text/plain',
        buffer: Buffer.from('country=UK\nnetwork={\n  ssid="Saltmarsh Bench"\n  psk="low tid"\n}\n'),
      },
    ]);
  await page.getByRole('heading', { name: 'What is wrong' }).waitFor();
  await page.evaluate("document.getElementById('check-title').scrollIntoView()");
  await shot('card-check');
  await go('Plan');
  const openPart = (name: string): Promise<void> =>
    page
      .getByRole('navigation', { name: 'Parts of the plan' })
      .getByRole('link', { name: new RegExp(`^${name}`) })
      .click();
  await openPart('On the card');
  await page.getByRole('region', { name: 'user-data' }).waitFor();
  await shot('plan-card-files');

  const draw = {
    random: (below: number): number => Math.floor(Math.random() * below),
    id: () => crypto.randomUUID(),
  };
  const plan = { ...emptyPlan('Larval trays'), tray: { rows: 10, columns: 20 } };
  const large = await post('/batches', {
    plan: addDevices(plan, namesFromPattern('tray-{n:03}', 200), 'tray sensor', draw),
    secrets: {},
  });
  await page.goto(`${url}/batch/${(large as { id: string }).id}/plan`);
  await page.locator('.dense').waitFor();
  await shot('plan-200');
}

try {
  await shots(await browser.newPage({ viewport: { width: 1280, height: 800 } }));
} finally {
  await browser.close();
  const gone = new Promise((resolve) => server.once('exit', resolve));
  server.kill('SIGINT');
  await gone;
  rmSync(data, { recursive: true, force: true });
}
