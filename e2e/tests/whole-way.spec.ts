import { execFile, execFileSync } from 'node:child_process';
import { chmodSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { labelPlaces, shippedLabelSizes } from '@nest-mark/core';
import { expect, test, type App, type Page } from '../helpers/app';
import {
  fillPlan,
  firstBatch,
  handOverPart,
  part,
  pick,
  saved,
  search,
  setPace,
  shelveBaseImage,
  stage,
  who,
  writeRound,
} from '../helpers/steps';
import { many } from '../../core/test/helpers/soak';

const run = promisify(execFile);

/** A key pair made by OpenSSH's own tool. */
function makeKey(app: App): { path: string; publicLine: string } {
  const path = join(app.folder, 'id_bench');
  execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-C', 'mara@bench', '-f', path]);
  return { path, publicLine: readFileSync(`${path}.pub`, 'utf8').trim() };
}

async function powerAll(page: Page, boards: number): Promise<void> {
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Power all' }).click();
  // "on the network" or "on, not on the network": every board has come to an end of its start.
  await expect(page.locator('tr[data-board]', { hasText: 'on the network' })).toHaveCount(boards);
}

/** Saves a file by its button and puts it into the test's folder under a name of our own. */
async function save(page: Page, title: string, path: string): Promise<void> {
  const download = page.waitForEvent('download');
  await page.getByRole('region', { name: title }).getByRole('link', { name: 'Save file' }).click();
  await (await download).saveAs(path);
}

const boards = many(5, 12);
/** Slots of the practice bench, and boards in a row of its tray. */
const SLOTS = 4;
const all = String(boards);
const hostOf = (number: number): string => `tank-${String(number).padStart(2, '0')}`;
const last = hostOf(boards);
const lastNest = `${'ABC'.charAt(Math.ceil(boards / SLOTS) - 1)}${String(((boards - 1) % SLOTS) + 1)}`;

test('a bench of boards in rounds: planned, written, booted, proved, and logged in to; then what goes wrong on a bench', async ({
  bareApp: app,
  page,
}) => {
  const key = makeKey(app);
  await firstBatch(page, app, 'Tank monitors');
  await setPace(page, 1, 0);
  await shelveBaseImage(page, 'Practice OS 1');
  await fillPlan(page, {
    count: boards,
    image: 'Practice OS 1',
    keys: key.publicLine,
    subnet: `${app.network}.0/24`,
  });
  await part(page, 'Devices');
  const marks = await page.locator('nm-tray [data-device] text').allTextContents();
  expect(new Set(marks).size).toBe(boards);

  await test.step('rounds', async () => {
    for (let left = boards; left > 0; left -= SLOTS) await writeRound(page, Math.min(left, SLOTS));
    await stage(page, 'Cards');
    await expect(page.getByText('Every device has a verified card.')).toBeVisible();
  });

  await test.step('boot and find: all proved', async () => {
    await stage(page, 'Practice bench');
    await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
    await powerAll(page, boards);
    await stage(page, 'Boot & find');
    await page.getByRole('button', { name: `I have just powered ${all}` }).click();
    await expect(who(page, 'tank-01')).toContainText('since power-on');
    await search(page);
    await expect(page.getByText(`${all} of ${all}`, { exact: true })).toBeVisible();
    await expect(page.getByRole('gridcell', { name: /, proved$/ })).toHaveCount(boards);
    await expect(page.getByRole('region', { name: 'Others that answered' })).toContainText(
      `${app.network}.1`,
    );
  });

  await test.step('bring up: all ready by one press', async () => {
    await stage(page, 'Bring up');
    await page.getByRole('button', { name: `Bring up ${all}` }).click();
    await expect(page.getByText(`${all} of ${all}`, { exact: true })).toBeVisible({ timeout: 240_000 });
    await expect(page.getByRole('gridcell', { name: /, ready$/ })).toHaveCount(boards);
  });

  const known = join(app.folder, 'known hosts');
  const config = join(app.folder, 'ssh_config');
  const login = [
    ...['-F', config, '-i', key.path, '-o', 'IdentitiesOnly=yes', '-o', 'BatchMode=yes'],
    ...['-o', 'GlobalKnownHostsFile=/dev/null'],
  ];
  await test.step('how exposed: nothing is open on boards that were brought up', async () => {
    await handOverPart(page, 'How exposed');
    await page.getByRole('button', { name: `Look at ${all} boards` }).click();
    await expect(page.getByText(`Nothing is open that should not be, on ${all} boards`)).toBeVisible({
      timeout: 60_000,
    });
  });

  await test.step('labels: to a PDF, and every mark is read back out of its code (poppler, zbar)', async () => {
    await handOverPart(page, 'Labels');
    await page.getByLabel('each device').check();
    await expect(page.getByText('Plan saved')).toBeVisible();
    await page.getByLabel('First free label of the sheet').fill('5');
    await expect(page.getByText(`${all} labels on 1 sheet`)).toBeVisible();
    // The preview is what the PDF has: drawn with its colours before it is saved.
    await expect(page.locator('nm-drawn-page.page').first().getByText(last)).toBeVisible();
    const pdf = await saved(page, app, () => page.getByRole('button', { name: 'Save PDF' }).click());
    // Each label is cut out, as a reader has one before it: of whole pages zbar misses some.
    const size = shippedLabelSizes[0]!;
    const dots = (mm: number): string => String(Math.round((mm * 300) / 25.4));
    const cut = join(app.folder, 'label');
    const codes = labelPlaces(size, boards, 5).map(({ x, y }) => {
      const area = [
        '-x',
        dots(x),
        '-y',
        dots(y),
        '-W',
        dots(size.label.width),
        '-H',
        dots(size.label.height),
      ];
      execFileSync('pdftoppm', ['-r', '300', '-gray', '-singlefile', ...area, pdf, cut]);
      return execFileSync('zbarimg', ['-q', '--raw', '-Sdisable', '-Sqrcode.enable', `${cut}.pgm`], {
        encoding: 'utf8',
      }).trim();
    });
    expect(codes).toEqual(marks);
  });

  await test.step('the record: saved, and OpenSSH says that this installation signed it', async () => {
    await handOverPart(page, 'Record');
    const print = await page.getByText(/^This installation signs with the key/).innerText();
    const zip = await saved(page, app, () => page.getByRole('link', { name: 'Save the record' }).click());
    const folder = join(app.folder, 'record');
    execFileSync('unzip', ['-q', zip, '-d', folder]);
    execFileSync(
      'ssh-keygen',
      [
        '-Y',
        'verify',
        '-f',
        'allowed_signers',
        '-I',
        'nest-mark',
        '-n',
        'nest-mark-record',
        '-s',
        'record.html.sig',
      ],
      { cwd: folder, input: readFileSync(join(folder, 'record.html')) },
    );
    expect(print).toContain(/SHA256:\S+/.exec(readFileSync(join(folder, 'HOW-TO-CHECK.txt'), 'utf8'))![0]);
    for (const mark of marks) expect(readFileSync(join(folder, 'record.html'), 'utf8')).toContain(mark);
  });

  await test.step('known hosts: merged into a file with lines of others, with which OpenSSH logs in', async () => {
    const own = join(app.folder, 'known_hosts.mine');
    const foreign =
      '# mine\nforge.example ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA\n';
    writeFileSync(own, foreign);
    await handOverPart(page, 'Logging in');
    await page.getByLabel('File on this computer').fill(own);
    await page.getByRole('button', { name: 'Look what would change' }).click();
    await expect(
      page.getByText(`${all} lines put in, 0 of ours taken out, 2 left as they are.`),
    ).toBeVisible();
    expect(readFileSync(own, 'utf8')).toBe(foreign);
    await page.getByRole('button', { name: 'Change the file' }).click();
    await expect(page.getByRole('status').filter({ hasText: `was changed: ${all} put in` })).toBeVisible();
    expect(readFileSync(own, 'utf8').startsWith(foreign)).toBe(true);
    await page.getByLabel('Where you will keep the known hosts').fill(own);
    await save(page, 'SSH client configuration', config);
    chmodSync(config, 0o600);
    expect((await run('ssh', [...login, 'tank-03', 'hostname'])).stdout).toBe('tank-03\n');
  });

  await test.step('hand over: OpenSSH logs in with the exported files', async () => {
    await page.getByLabel('Where you will keep the known hosts').fill(known);
    await save(page, 'Known hosts', known);
    await save(page, 'SSH client configuration', config);
    chmodSync(config, 0o600);
    const { stdout } = await run('ssh', [...login, 'tank-02', 'hostname']);
    expect(stdout).toBe('tank-02\n');
    const onBoard = JSON.parse(
      (await run('ssh', [...login, 'tank-02', 'cat /etc/nest-mark.json'])).stdout,
    ) as { mark: string };
    expect(onBoard.mark).toBe(marks[1]);

    // The key of another board under this one's name must be refused.
    const swapped = readFileSync(known, 'utf8').split('\n');
    const keyOf = (line: string): string => line.split(' ')[2] ?? '';
    swapped[1] = swapped[1]!.replace(keyOf(swapped[1]!), keyOf(swapped[2]!));
    writeFileSync(known, swapped.join('\n'));
    const refused = await run('ssh', [...login, 'tank-02', 'hostname']).catch(
      (error: unknown) => (error as { stderr: string }).stderr,
    );
    expect(refused).toContain('Host key verification failed');

    const csv = join(app.folder, 'batch.csv');
    await handOverPart(page, 'Other tools');
    await save(page, 'The batch as a table', csv);
    expect(readFileSync(csv, 'utf8').match(/,ready,127\./g)).toHaveLength(boards);
    await page.getByRole('button', { name: `Note ${all} as handed over` }).click();
    await expect(page.getByRole('gridcell', { name: /, handed over$/ })).toHaveCount(boards);
    await handOverPart(page, 'Devices');
    await page.getByLabel('By whom').fill('Mara Lindqvist');
    await page.getByRole('button', { name: `Note ${all} as taken over` }).click();
    await expect(page.locator('td.taken', { hasText: 'Mara Lindqvist, ' })).toHaveCount(boards);
  });

  await test.step('a misspelt network name: that board never appears and is shown as missing', async () => {
    await part(page, 'Networks');
    await page.getByLabel('Network name', { exact: true }).fill('Saltmarch Bench');
    await expect(page.getByText('Plan saved')).toBeVisible();
    await stage(page, 'Practice bench');
    await page.getByRole('button', { name: 'Cut all power' }).click();
    await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
    await stage(page, 'Cards');
    // Every device has a card, so nothing is proposed; the one to be written again is chosen by hand.
    await pick(
      page.getByRole('listitem').filter({ hasText: 'Slot 1' }).getByLabel('Becomes'),
      `${lastNest} · ${last}`,
    );
    await page.getByRole('button', { name: 'Arm a round of 1 …' }).click();
    await page.getByLabel(/^Type/).fill('erase 1');
    await page.getByRole('button', { name: 'Erase and write 1 card' }).click();
    await expect(page.getByText('Verified, take it out.')).toBeVisible();
    await part(page, 'Networks');
    await page.getByLabel('Network name', { exact: true }).fill('Saltmarsh Bench');
    await expect(page.getByText('Plan saved')).toBeVisible();
  });

  await test.step('two cards in each other’s boards are found under their own names', async () => {
    await stage(page, 'Practice bench');
    await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
    const cardIn = (nest: string): Promise<string> =>
      page.locator(`tr[data-board="${nest}"] td`).nth(1).innerText();
    await expect.poll(() => cardIn(lastNest)).toContain(last);
    const label = await cardIn('A1');
    const card = page.locator('tr[data-card]', { hasText: label });
    const title = await card.locator('td').first().innerText();
    await page.locator('tr[data-board="A2"]').getByRole('button', { name: 'Take card' }).click();
    await pick(page.getByLabel('Or seat one card'), new RegExp(`^${title}$`));
    await page.getByLabel('in the board of nest').fill('A2');
    await page.getByRole('button', { name: 'Seat it' }).click();
    await expect.poll(() => cardIn('A2')).toBe(label);
    // The board in A1 has lost its card, so it stays off.
    await powerAll(page, boards - 1);
    await expect(page.locator(`tr[data-board="${lastNest}"]`)).toContainText(
      'looks for "Saltmarch Bench", which is not on the air',
    );

    // One that was proved before is switched off now.
    await page.locator('tr[data-board="A3"]').getByRole('button', { name: 'Cut power' }).click();
    await expect(page.locator('tr[data-board="A3"]')).toContainText('off');

    await stage(page, 'Boot & find');
    await page.getByRole('button', { name: 'I have just powered 1' }).click();
    await search(page);
    // The board in nest A2 holds tank-01's card, and is tank-01; tank-02's card lies in the drawer.
    const lease = (await app.api<{ boards: { nest: string; address: string }[] }>('GET', '/practice')).boards;
    const address = lease.find(({ nest }) => nest === 'A2')!.address;
    await expect(who(page, 'tank-01')).toContainText(`${address}:2222`);
    await expect(who(page, last)).toContainText('booting');
    await expect(who(page, 'tank-02')).toContainText('booting');
    await expect(who(page, 'tank-03')).toContainText('It did not answer the last search.');
  });

  await test.step('after the time in which a first boot is normal, it is missing', async () => {
    await page.clock.install();
    await page.reload();
    await page.clock.fastForward('06:00');
    await expect(who(page, last)).toContainText('missing');
    await expect(who(page, last)).toContainText(
      /6:\d\d since power-on; longer than the 4:00 that are still normal/,
    );
    await expect(page.getByRole('gridcell', { name: new RegExp(`^${lastNest}.*missing$`) })).toBeVisible();
  });
});
