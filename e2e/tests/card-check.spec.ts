import { execFileSync } from 'node:child_process';
import { readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { Locator } from '@playwright/test';
import { expect, long, test } from '../helpers/app';
import { exportedCard, readyBatch } from '../helpers/ready';
import { armRound, bootAndProve, setPace, stage, pick } from '../helpers/steps';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };
const boot = (disk: string): string[] => ['-i', `${disk}@@1M`];

/** Changes a file on the boot partition of a card or an image with mtools, as another computer would. */
function change(disk: string, folder: string, name: string, spoil: (text: string) => string): void {
  const path = join(folder, 'spoilt');
  const text = execFileSync('mtype', [...boot(disk), `::${name}`], { env, encoding: 'utf8' });
  writeFileSync(path, spoil(text));
  execFileSync('mcopy', ['-o', ...boot(disk), path, `::${name}`], { env });
}

test('a spoilt card: the check says what is wrong before anybody waits for the board; it is mended on the card and the board is proved', async ({
  app,
  page,
}) => {
  await readyBatch(app, 1);
  await page.goto(app.url);
  await setPace(page, 1, 0);
  await pick(page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'), /^Card 1,/);
  await armRound(page, 1);
  await expect(page.getByText('Verified, take it out.')).toBeVisible();

  // Somebody opened it on another computer: an editor put a byte-order mark, and the country was taken for another.
  const card = join(app.folder, 'practice/cards/card-01.img');
  await stage(page, 'Practice bench');
  await page.locator('[data-slot="slot-1"]').getByRole('button', { name: 'Pull it' }).click();
  change(card, app.folder, 'user-data', (text) => `\uFEFF${text}`);
  await pick(page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'), /^Card 1,/);

  await stage(page, 'Card check');
  await pick(page.getByRole('combobox', { name: 'Or a card in a slot' }), /^Slot 1/);
  await page.getByRole('button', { name: 'Check it' }).click();
  await expect(page.getByRole('region', { name: 'the card in Slot 1' })).toContainText(
    'The board will be called tank-01.',
  );
  const finding = page.getByRole('article', { name: 'user-data begins with a byte-order mark.' });
  await expect(finding).toContainText('Stops:');
  await expect(finding).toContainText('user-data, line 1, byte 0');
  await finding.getByRole('button', { name: 'Mend it on the card' }).click();
  await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();
  const mended = execFileSync('mtype', [...boot(card), '::user-data'], { env, encoding: 'utf8' });
  expect(mended.startsWith('#cloud-config\n')).toBe(true);
  const partition = join(app.folder, 'partition.img');
  execFileSync('dd', [`if=${card}`, `of=${partition}`, 'bs=1M', 'skip=1', 'count=48', 'status=none']);
  execFileSync('fsck.fat', ['-n', partition], { env, stdio: 'pipe' });

  // Its settings alone are written anew: another instance of the same device.
  const meta = (): string => execFileSync('mtype', [...boot(card), '::meta-data'], { env, encoding: 'utf8' });
  const before = meta();
  await page.getByRole('button', { name: 'Write its settings anew' }).click();
  await expect(page.getByText('The settings on the card in Slot 1 were written anew.')).toBeVisible();
  await expect.poll(() => meta() !== before && meta().includes('tank-01')).toBe(true);
  await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();

  await bootAndProve(page, 'tank-01');
});

test(
  'a spoilt image is dropped into the browser: read there, in part; the mended file is handed over, and with it the board is proved',
  long,
  async ({ app, page }) => {
    const batch = await readyBatch(app, 1);
    const image = await exportedCard(app, batch);
    change(image, app.folder, 'network-config', (text) => text.replace('DK', 'UK'));
    change(image, app.folder, 'user-data', (text) => text.replace('#cloud-config\n', ''));
    // As large as a real one.
    truncateSync(image, 4 * 2 ** 30);
    await page.goto(app.url);
    await stage(page, 'Card check');
    let sent = 0;
    page.on('request', (request) => {
      if (request.method() !== 'GET') sent++;
    });
    await page.locator('nm-card-check-page input[type="file"]').first().setInputFiles(image);
    const says = page.getByRole('region', { name: 'card.img' });
    await expect(says).toContainText('"Saltmarsh Bench" (with a passphrase); its radio is set to UK');
    const [, read = '', took = ''] =
      /Read ([\d.]+) (?:kB|MB) of it in (\d+) ms/.exec((await says.textContent()) ?? '') ?? [];
    console.log(`    a 4 GiB image was checked in ${took} ms, ${read} (kB or MB) read`);
    await expect(says).toContainText(/Read [\d.]+ kB of it|Read [1-4]?\d(\.\d+)? MB of it/);
    await expect(page.getByRole('article', { name: '"UK" is not a country.' })).toContainText(
      'network-config, line',
    );
    const finding = page.getByRole('article', { name: /^The first line is not #cloud-config/ });
    const save = async (article: Locator, name: string): Promise<string> => {
      const download = page.waitForEvent('download');
      await article.getByRole('button', { name: `Save the mended ${name}` }).click();
      const path = join(app.folder, name);
      await (await download).saveAs(path);
      return path;
    };
    const userData = await save(finding, 'user-data');
    expect(readFileSync(userData, 'utf8')).toMatch(/^#cloud-config\nhostname: tank-01\n/);
    await expect(finding).toBeHidden();
    // A code that many take for the country’s; that this board will run in another one only a person can say.
    const networkConfig = await save(
      page.getByRole('article', { name: '"UK" is not a country.' }),
      'network-config',
    );
    expect(readFileSync(networkConfig, 'utf8')).toContain('regulatory-domain: GB');
    await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();
    await expect(says).toContainText('the mended user-data, network-config, which you saved');
    expect(sent).toBe(0);

    // Back onto the image with them: nothing is found there either, and it boots.
    for (const path of [userData, networkConfig])
      execFileSync('mcopy', ['-o', ...boot(image), path, `::${basename(path)}`], { env });
    change(image, app.folder, 'network-config', (text) => text.replace('GB', 'DK'));
    await page.reload();
    await page.locator('nm-card-check-page input[type="file"]').first().setInputFiles(image);
    await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();
    const card = join(app.folder, 'practice/cards/card-01.img');
    execFileSync('dd', [`if=${image}`, `of=${card}`, 'bs=1M', 'count=120', 'conv=notrunc', 'status=none']);
    await setPace(page, 1, 0);
    await bootAndProve(page, 'tank-01');
    await stage(page, 'Card check');

    await page
      .locator('nm-card-check-page input[type="file"]')
      .first()
      .setInputFiles({
        name: 'holiday.jpg',
        mimeType: 'image/jpeg',
        buffer: Buffer.alloc(2 << 20, 7),
      });
    await expect(page.getByRole('alert')).toContainText('partition table');
  },
);
