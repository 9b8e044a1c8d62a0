import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Image } from '@nest-mark/core';
import { expect, long, smallImage, test, wholeImage, type Page } from '../helpers/app';
import { readyBatch } from '../helpers/ready';
import { armRound, pick, setPace, slotsTake, stage } from '../helpers/steps';
import { many } from '../../core/test/helpers/soak';

const slot = (page: Page, number: number) =>
  page
    .getByRole('listitem')
    .filter({ has: page.getByRole('heading', { name: `Slot ${String(number)}`, exact: true }) });

/** Tells a card of the practice bench what to do. */
async function fault(page: Page, card: string, does: string): Promise<void> {
  await stage(page, 'Practice bench');
  await pick(page.getByLabel(`What ${card} does`, { exact: true }), does);
}

async function freshCards(page: Page): Promise<void> {
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Take out all that can be pulled' }).click();
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
}

// Long enough to be broken off in the middle.
test.use({ shelf: wholeImage });

const cards = many(6, 12);

test(
  'cards in rounds, one that dies in the middle and one that is pulled: each is told in words that say what to do, and all are written in the end',
  long,
  async ({ app, page }) => {
    await readyBatch(app, cards);
    await page.goto(app.url);
    // So slowly that no machine, however loaded, is late with the hold and the pull.
    await setPace(page, 1, 3);
    await freshCards(page);
    await fault(page, 'Card 2', 'dies half way');
    await armRound(page, 4);
    await expect(slot(page, 3).getByRole('progressbar')).toHaveAttribute('aria-valuenow', /^[1-9]\d$/);
    await page.getByRole('button', { name: 'Hold this round' }).click();
    await expect(page.getByText('Round 1 is held. Nothing is lost.')).toBeVisible();
    await expect(slot(page, 1)).toContainText('held');
    await page.getByRole('button', { name: 'Go on' }).click();
    await stage(page, 'Practice bench');
    await page.locator('[data-slot="slot-4"]').getByRole('button', { name: 'Pull it' }).click();
    await slotsTake(page, 0);
    await pick(page.locator('[data-slot="slot-4"]').getByLabel('Card for Slot 4'), /^Card 4,/);
    await stage(page, 'Cards');
    await expect(slot(page, 2)).toContainText('The card stopped working at byte 60000000. Throw it away.');
    await expect(slot(page, 4)).toContainText('Put it back and write it again.');
    for (const number of [1, 3]) await expect(slot(page, number)).toContainText('Verified, take it out.');
    await expect(slot(page, 3)).toContainText('A3');

    // The one that was pulled is good: it is written again by itself.
    await setPace(page, 1, 0);
    await stage(page, 'Cards');
    await slot(page, 4).getByRole('button', { name: 'Write it again …' }).click();
    const dialog = page.getByRole('dialog', { name: 'This will be erased' });
    await expect(dialog.getByRole('listitem')).toHaveCount(1);
    await dialog.getByLabel(/^Type/).fill('erase 1');
    await dialog.getByRole('button', { name: 'Erase and write 1 card' }).click();
    await expect(slot(page, 4)).toContainText('Verified, take it out.');

    for (let left = cards - 3; left > 0;) {
      const count = Math.min(left, 4);
      await stage(page, 'Cards');
      const need = left === 1 ? '1 device still needs' : `${String(left)} devices still need`;
      await expect(page.getByText(need)).toBeVisible();
      await freshCards(page);
      await armRound(page, count);
      await expect(page.getByText('Verified, take it out.')).toHaveCount(count);
      left -= count;
    }
    await expect(page.getByText('Every device has a verified card.')).toBeVisible();
    await expect(page.getByRole('gridcell', { name: /card ready$/ })).toHaveCount(cards);

    // The card that died is on record.
    await stage(page, 'Card records');
    await page.getByLabel('Find', { exact: true }).fill('p52a8');
    const row = page.locator('tr[data-card="p52a8"]');
    await expect(row).toContainText('1, 1 failed');
    await row.getByRole('button', { name: 'Retire p52a8' }).click();
    await stage(page, 'Practice bench');
    await page.getByRole('button', { name: 'Take out all that can be pulled' }).click();
    await pick(page.locator('[data-slot="slot-2"]').getByLabel('Card for Slot 2'), /^Card 2,/);
    await stage(page, 'Cards');
    await expect(slot(page, 2)).toContainText('This card was retired. Use another one');
  },
);

test(
  'an image is dropped into the page with its list of digests, is broken off by a kill, and goes on',
  long,
  async ({ ownApp: app, page }) => {
    await page.goto(app.url);
    await page.getByLabel('What are these devices called together?').fill('Tanks');
    await page.keyboard.press('Enter');
    await stage(page, 'Images');
    const image = readFileSync(wholeImage);
    const digest = createHash('sha256').update(image).digest('hex');
    // By their paths: octets that are handed to the browser take as long as the machine is busy.
    const named = (name: string, content: Uint8Array | string): string => {
      const path = join(app.folder, name);
      writeFileSync(path, content);
      return path;
    };
    const list = named('SHA256SUMS', `${digest}  practice-os.img.xz\n`);
    const chooser = page.locator('nm-add-image input[type="file"]');
    // After the first piece the server is cut down; sending waits for it and goes on.
    let pieces = 0;
    await page.route('**/api/uploads/*', async (route) => {
      if (route.request().method() === 'PATCH' && ++pieces === 2) {
        await app.kill('SIGKILL');
        await route.abort();
      } else await route.continue();
    });
    await chooser.setInputFiles([named('practice-os.img.xz', image), list]);
    await expect(page.getByText('The server does not answer. Sending goes on by itself')).toBeVisible();
    const port = new URL(app.url).port;
    await app.start('--no-demo', '--port', port);
    const sheet = page.getByRole('article', { name: 'practice-os.img.xz' });
    await expect(sheet).toContainText('Declarative seed');
    await expect(sheet).toContainText('Practice OS 1 (minimal)');
    const [shelved] = await app.api<Image[]>('GET', '/images');
    expect(shelved).toMatchObject({ state: 'ready', packedSha256: digest });

    // The same octets under another name are recognised; a digest that is not theirs stops them.
    await chooser.setInputFiles([named('again.img.xz', image)]);
    await expect(page.getByRole('article', { name: 'again.img.xz' })).toContainText(
      'This image is on the shelf already, as "practice-os.img.xz".',
    );
    await chooser.setInputFiles([named('other.img.xz', image), list]);
    await expect(page.getByRole('alert')).toContainText('The published list does not name other.img.xz');
  },
);

test(
  'a card that lies about its size is found out, and a device’s card is taken as a file',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 2);
    await page.goto(app.url);
    await setPace(page, 1, 0);
    await pick(
      page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'),
      /^Card that holds less than it says/,
    );
    await stage(page, 'Cards');
    await page.getByRole('button', { name: 'Check the capacity of the card in Slot 1' }).click();
    const dialog = page.getByRole('dialog', { name: 'This card will be erased' });
    await expect(dialog).toContainText('64 GB (59.6 GiB)');
    const go = dialog.getByRole('button', { name: 'Erase and begin' });
    await expect(go).toBeDisabled();
    await dialog.getByLabel(/^Type/).fill('erase this card');
    await go.click();
    await expect(slot(page, 1)).toContainText(
      'Retire it: It says 64 GB (59.6 GiB) and holds about 8.59 GB (8 GiB)',
    );
    await expect(page.getByRole('button', { name: 'Arm a round of 0 …' })).toBeDisabled();

    await page.getByText('No reader here? Take a card as a file').click();
    const panel = page.locator('nm-export-panel');
    await pick(panel.getByRole('combobox', { name: 'Device' }), 'A2 · tank-02');
    await pick(panel.getByRole('combobox', { name: 'As' }), 'first-boot files only, .zip');
    const download = page.waitForEvent('download');
    await panel.getByRole('button', { name: 'Make the file' }).click();
    const path = join(app.folder, 'card.zip');
    await (await download).saveAs(path);
    expect(execFileSync('unzip', ['-p', path, 'meta-data'], { encoding: 'utf8' })).toContain(
      `local-hostname: tank-02`,
    );
    await stage(page, 'Log');
    await expect(page.getByText(/first-boot files of tank-02 were exported/)).toBeVisible();
  },
);

test('an image by its address: fetched over a line that breaks, with the digest beside it; asked later whether there is a newer one', async ({
  app,
  page,
}) => {
  const small = readFileSync(smallImage);
  const digest = createHash('sha256').update(small).digest('hex');
  let etag = '"one"';
  let broken = false;
  const web = createServer((request, response) => {
    if (request.url === '/small.img.xz.sha256') return void response.end(`${digest}  small.img.xz\n`);
    const first = Number(/^bytes=(\d+)-$/.exec(request.headers.range ?? '')?.[1] ?? 0);
    const whole = { etag, 'content-length': small.length - first };
    const range = `bytes ${String(first)}-${String(small.length - 1)}/${String(small.length)}`;
    response.writeHead(first > 0 ? 206 : 200, first > 0 ? { ...whole, 'content-range': range } : whole);
    if (request.method === 'HEAD') return void response.end();
    if (broken) return void response.end(small.subarray(first));
    broken = true;
    response.write(small.subarray(0, 1 << 20), () => response.socket?.end());
  });
  await new Promise<void>((done) => web.listen(0, '127.0.0.1', done));
  try {
    const batch = await readyBatch(app, 1);
    await page.goto(`${app.url}/batch/${batch.id}/images`);
    const address = `http://127.0.0.1:${String((web.address() as AddressInfo).port)}/small.img.xz`;
    await page.getByLabel('Path or address of the file').fill(address);
    await expect(page.getByText('It is shelved only if its SHA-256 is the published one')).toBeVisible();
    await page.getByRole('button', { name: 'Read and check it' }).click();
    const shelved = page.getByRole('article', { name: 'small.img.xz' });
    await expect(shelved.getByText(address)).toBeVisible();
    await expect(shelved.getByText(digest)).toBeVisible();
    await shelved.getByText('What this image can do').click();
    await expect(shelved.getByRole('row', { name: /^NetworkManager/ })).toContainText('started by itself');
    await shelved.getByRole('button', { name: 'Is there a newer one?' }).click();
    await expect(shelved.getByText('No, it is still the same file.')).toBeVisible();
    etag = '"two"';
    await shelved.getByRole('button', { name: 'Is there a newer one?' }).click();
    await expect(shelved.getByText('Yes, there is another file')).toBeVisible();
  } finally {
    web.closeAllConnections();
    web.close();
  }
});
