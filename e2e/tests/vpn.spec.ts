import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { audit } from '../helpers/audit';
import { expect, test } from '../helpers/app';
import { readyBatch } from '../helpers/ready';
import { handOverPart, stage } from '../helpers/steps';

test('boards reached from outside: planned, refused while it is not whole, and the files are what the VPN’s own tools take', async ({
  app,
  page,
}) => {
  const batch = await readyBatch(app, 3, { bringUp: { wanted: true } as never });
  await page.goto(`${app.url}/batch/${batch.id}/hand-over/outside`);
  await expect(page.getByText('This batch has none.')).toBeVisible();
  await page.getByRole('link', { name: 'Plan one under Networks' }).click();
  await page.getByLabel('Boards open a VPN').check();
  await expect(page.getByLabel('Addresses inside')).toHaveValue(/^10\.\d+\.\d+\.0\/24$/);
  const place = page.getByLabel('Where boards find the hub');
  await expect(page.getByText('Nobody told where boards find the hub of their VPN.').first()).toBeVisible();
  await place.fill('hub.hatchery.example:51820');
  await expect(page.getByText('Boards cannot find a hub at').first()).toBeVisible();
  await expect(page.getByText('Plan saved')).toBeVisible();
  await page.goto(`${app.url}/batch/${batch.id}/hand-over/outside`);
  await expect(page.getByRole('alert')).toContainText('Boards cannot find a hub at');
  await page.getByRole('link', { name: 'To the plan' }).click();
  await place.fill('hub.hatchery.example');
  await expect(page.getByText('Boards cannot find a hub at')).toHaveCount(0);
  await audit(page);

  await stage(page, 'Hand over');
  await handOverPart(page, 'From outside');
  await expect(page.getByRole('main').getByRole('row', { name: /^tank-03/ })).toContainText(
    /10\.\d+\.\d+\.4/,
  );
  const read = (path: string): string => execFileSync('wg-quick', ['strip', path], { encoding: 'utf8' });
  const keep = async (name: string, to: string): Promise<string> => {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name }).click(),
    ]);
    // Its tools take an interface's name from the file's.
    const path = join(app.folder, to);
    await download.saveAs(path);
    return read(path);
  };
  const hub = await keep('Save its file', 'nm-tank-monitor.conf');
  const board = await keep('Save the file of tank-02', 'nest-mark.conf');
  await expect(page.getByText('nest-mark.tank-02.conf was saved; the log has it.')).toBeVisible();
  expect(hub.match(/^\[Peer\]$/gm)).toHaveLength(3);
  expect(board).toContain('Endpoint = hub.hatchery.example:51820');
  const pub = (text: string): string =>
    execFileSync('wg', ['pubkey'], {
      input: /^PrivateKey = (\S+)$/m.exec(text)?.[1] ?? '',
      encoding: 'utf8',
    }).trim();
  expect(board).toContain(`PublicKey = ${pub(hub)}\n`);
  expect(hub).toContain(`PublicKey = ${pub(board)}\n`);
  await audit(page);
  await page.getByRole('button', { name: 'Dark bench' }).click();
  await audit(page, 'color-contrast');

  // From the hub a board is its address inside, still proved by its own host key.
  await handOverPart(page, 'Logging in');
  const config = await app.api<string>('GET', `/batches/${batch.id}/hand-over/ssh_config`);
  expect(config).toMatch(/Host vpn\.tank-02\n {4}HostName 10\.\d+\.\d+\.3\n[^]*?HostKeyAlias tank-02\n/);
});
