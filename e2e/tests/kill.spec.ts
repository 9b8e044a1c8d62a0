import { closeSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import type { LogEntry } from '@nest-mark/core';
import { expect, long, test } from '../helpers/app';
import { readyBatch } from '../helpers/ready';
import { armRound, setPace, stage } from '../helpers/steps';

test(
  'a server killed in the middle of a round: no card claims to be finished, nothing in the log is lost, the round is resumed',
  long,
  async ({ ownApp: app, page }) => {
    const batch = await readyBatch(app, 4);
    await page.goto(app.url);
    // So slowly that no machine, however loaded, is late with the kill.
    await setPace(page, 1, 1);
    await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
    await armRound(page, 4);
    // Beyond the first blocks, well before the end.
    await expect
      .poll(async () => Number(await page.getByRole('progressbar').first().getAttribute('aria-valuenow')))
      .toBeGreaterThan(15);
    const before = await app.api<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
    await app.kill('SIGKILL');
    await expect(page.getByText('No connection to the server')).toBeVisible();

    for (let card = 1; card <= 4; card++) {
      const file = openSync(join(app.folder, `practice/cards/card-0${String(card)}.img`), 'r');
      const first = Buffer.alloc(4 << 20);
      readSync(file, first, 0, first.length, 0);
      closeSync(file);
      // Without its first block a card has no partition table and no boot code.
      expect(first.every((octet) => octet === 0)).toBe(true);
    }

    await app.start('--no-demo');
    await page.goto(`${app.url}/batch/${batch.id}/cards`);
    await expect(page.getByText('interrupted: the program stopped')).toBeVisible();
    await expect(page.getByText(/Unfinished: tank-0/)).toHaveCount(4);
    await expect(page.getByText('Verified, take it out.')).toHaveCount(0);
    await expect(page.getByRole('gridcell', { name: /unfinished$/ })).toHaveCount(4);
    const after = await app.api<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
    const ids = new Set(after.map(({ id }) => id));
    expect(before.filter(({ id }) => !ids.has(id))).toEqual([]);
    expect(after.filter(({ kind }) => kind === 'card-unfinished')).toHaveLength(4);

    await setPace(page, 1, 0);
    await stage(page, 'Cards');
    await page.getByRole('button', { name: 'Write 4 unfinished again …' }).click();
    await page.getByLabel(/^Type/).fill('erase 4');
    await page.getByRole('button', { name: 'Erase and write 4 cards' }).click();
    await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  },
);
