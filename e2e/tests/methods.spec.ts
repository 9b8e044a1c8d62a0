import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Batch, CardFiles, ShelvedNetwork } from '@nest-mark/core';
import type { Locator } from '@playwright/test';
import { expect, long, test } from '../helpers/app';
import { audit } from '../helpers/audit';
import { exportedCard, readyBatch, tryKeys } from '../helpers/ready';
import { tinyImage } from '../../server/test/helpers/tiny-image';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { armRound, bootAndProve, choose, part, pick, setPace, stage } from '../helpers/steps';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };

test(
  'an image that a person sets to a run-once script: preview, card, a fault found and mended, the board runs the script and is proved',
  long,
  async ({ app, page }) => {
    // The script is really run, in namespaces that not every computer gives to every account.
    test.skip(noSandbox() !== null, noSandbox() ?? '');
    await tryKeys(app, await readyBatch(app, 1));
    await page.goto(app.url);
    await setPace(page, 1, 0);
    await stage(page, 'Images');
    await pick(page.getByRole('combobox', { name: 'First boot' }), /^Run-once script/);
    await expect(page.getByText(/^Chosen by hand; detected was: Declarative seed/)).toBeVisible();

    await part(page, 'System');
    await page.getByLabel('Further groups of the user').fill('Dialout');
    await expect(page.getByText('"Dialout" cannot be a group.').first()).toBeVisible();
    await page.getByLabel('Further groups of the user').fill('dialout');
    await page.getByLabel('Commands that run once, one a line').fill("echo 'ready' > /var/lib/tank");
    await expect(page.getByText('Nothing found. Cards can be written.')).toBeVisible();
    await part(page, 'On the card');
    await expect(page.getByRole('region', { name: 'run-once/users' })).toContainText(
      'keeper:!:free:adm,sudo,dialout',
    );
    await expect(page.getByRole('region', { name: 'extlinux/extlinux.conf' })).toContainText(
      'systemd.run=/boot/run-once.sh',
    );
    await expect(page.getByRole('region', { name: 'run-once/networks/nest-1.nmconnection' })).toContainText(
      'psk=••••••••',
    );

    await stage(page, 'Practice bench');
    await pick(page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'), /^Card 1,/);
    await armRound(page, 1);
    await expect(page.getByText('Verified, take it out.')).toBeVisible();

    // Somebody opened the script in an editor of another system.
    const card = join(app.folder, 'practice/cards/card-01.img');
    const boot = ['-i', `${card}@@1M`];
    await stage(page, 'Practice bench');
    await page.locator('[data-slot="slot-1"]').getByRole('button', { name: 'Pull it' }).click();
    const script = join(app.folder, 'spoilt.sh');
    writeFileSync(
      script,
      execFileSync('mtype', [...boot, '::run-once.sh'], { env, encoding: 'utf8' }).replaceAll('\n', '\r\n'),
    );
    execFileSync('mcopy', ['-o', ...boot, script, '::run-once.sh'], { env });
    await pick(page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'), /^Card 1,/);
    await stage(page, 'Card check');
    await pick(page.getByRole('combobox', { name: 'Or a card in a slot' }), /^Slot 1/);
    await page.getByRole('button', { name: 'Check it' }).click();
    const finding = page.getByRole('article', {
      name: 'run-once.sh has the line ends of another system (CRLF).',
    });
    await expect(finding).toContainText('Stops:');
    await finding.getByRole('button', { name: 'Mend it on the card' }).click();
    await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();

    await bootAndProve(page, 'tank-01');
  },
);

test(
  'nothing on the card: the steps by hand for each device, without secrets, to be copied',
  long,
  async ({ app, page, context }) => {
    await context.grantPermissions(['clipboard-read', 'clipboard-write']);
    await readyBatch(app, 2);
    await page.goto(app.url);
    await stage(page, 'Images');
    await pick(page.getByRole('combobox', { name: 'First boot' }), /^Nothing on the card/);
    await stage(page, 'Plan');
    await expect(page.getByText(/^Nothing goes onto the cards of Practice OS 1/).first()).toBeVisible();
    await part(page, 'On the card');
    const steps = page.getByRole('region', { name: 'By hand: steps for tank-01' });
    await steps.getByLabel('By screen and keyboard').check();
    // On paper stand the steps alone, whatever is open around them.
    await page.keyboard.press('F9');
    await expect(page.locator('nm-practice-dock')).toBeVisible();
    await page.emulateMedia({ media: 'print' });
    for (const around of ['nm-your-turn', 'nm-tray-strip', 'nm-practice-dock', 'nm-rail', 'nm-side-column'])
      await expect(page.locator(around)).toBeHidden();
    await expect(steps.getByRole('listitem').first()).toBeVisible();
    await page.emulateMedia({ media: 'screen' });
    await page.keyboard.press('F9');
    await expect(steps).toContainText('wait for the login prompt');
    await audit(page);
    await expect(steps).toContainText('sudo hostnamectl set-hostname tank-01');
    await expect(steps).not.toContainText('low tide');
    await steps.getByRole('button', { name: 'Copy the commands' }).click();
    await expect(steps.getByRole('button', { name: 'Copied' })).toBeVisible();
    const copied = await page.evaluate<string>('navigator.clipboard.readText()');
    expect(copied).toContain('sudo hostnamectl set-hostname tank-01\n');
    const file = join(app.folder, 'steps.sh');
    writeFileSync(file, copied);
    execFileSync('sh', ['-n', file]);
  },
);

test('settings of a card that runs elsewhere are taken into the plan, its networks with their keys onto the shelf, and undone', async ({
  app,
  page,
}) => {
  const batch = await readyBatch(app, 1);
  const { files } = await app.api<CardFiles>(
    'POST',
    `/batches/${batch.id}/devices/${batch.plan.devices[0]!.id}/files`,
    { reveal: true },
  );
  const folder = join(app.folder, 'from-elsewhere');
  for (const { path, lines } of files) {
    // Another device, on a network of its own, from a program that leaves no mark.
    if (path === 'nest-mark.json') continue;
    const text = `${lines.map((line) => line.text).join('\n')}\n`
      .replaceAll('tank-01', 'buoy-31')
      .replaceAll('Saltmarsh Bench', 'Quay Hut')
      .replace(/password: .*/, 'password: nineteen rows of spat');
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  await page.goto(app.url);
  await stage(page, 'Card check');
  await page.locator('nm-card-check-page input[type="file"]').nth(1).setInputFiles(folder);
  await expect(page.getByText('The board will be called buoy-31.')).toBeVisible();
  await page.getByRole('button', { name: 'Take these settings into Tank monitors' }).click();
  await expect(page.getByText('buoy-31 is in the plan Tank monitors now.', { exact: false })).toBeVisible();
  await page.getByRole('link', { name: 'Look at the plan' }).click();
  await expect(page.getByText('Plan saved')).toBeVisible();
  const now = await app.api<Batch>('GET', `/batches/${batch.id}`);
  const networks = await app.api<ShelvedNetwork[]>('GET', '/networks');
  const quay = networks.find(({ ssid }) => ssid === 'Quay Hut')!;
  expect(quay).toMatchObject({ security: 'wpa2-psk', secret: { state: 'kept', faults: [] } });
  const buoy = now.plan.devices.find(({ hostName }) => hostName === 'buoy-31')!;
  expect(buoy.overrides).toEqual({ networks: [{ networkId: quay.id, priority: 10 }] });
  const { value } = await app.api<{ value: string }>('POST', `/networks/${quay.id}/reveal`, {});
  expect(value).toBe('nineteen rows of spat');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(
    page.getByText('1 devices in', { exact: false }).or(page.getByText('1 device in', { exact: false })),
  ).toBeVisible();
});

test('an image by its path: checked on this machine, compared with its plan, spoilt and told', async ({
  app,
  page,
}) => {
  const batch = await readyBatch(app, 1);
  const image = await exportedCard(app, batch);
  await page.goto(app.url);
  await stage(page, 'Card check');
  await page.getByLabel('Or an image by its path on this machine').fill(image);
  await page.getByRole('button', { name: 'Check the image' }).click();
  await expect(page.getByRole('region', { name: 'card.img' })).toContainText('and is as the plan says now.');
  // Read in the browser, nothing is sent until the person asks for the comparison.
  await page.locator('nm-card-check-page input[type="file"]').first().setInputFiles(image);
  await expect(page.getByText('nothing was sent', { exact: false })).toBeVisible();
  await page.getByRole('button', { name: 'Compare with its plan' }).click();
  await expect(page.getByRole('region', { name: 'card.img' })).toContainText('and is as the plan says now.');
});

test(
  'an image with a way of its own: described here, tried, chosen, written; the board has a parser of its own and is proved',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 1);
    const image = tinyImage(join(app.folder, 'reed'), {
      'config/board.cfg': '# Settings of this board.\nname=board\n',
      'networks.lst': '# name;key;kind\n',
    });
    await page.goto(app.url);
    await setPace(page, 1, 0);
    await stage(page, 'Images');
    await page.getByLabel('Path or address of the file').fill(image);
    await page.getByLabel('Title').fill('Reed OS');
    await page.getByRole('button', { name: 'Read and check it' }).click();
    const reed = page.getByRole('article', { name: 'Reed OS' });
    await expect(reed.getByText('shows no sign of a first-boot method', { exact: false })).toBeVisible();
    await reed.getByRole('link', { name: 'Describe another method' }).click();

    await page.getByRole('button', { name: 'Describe a method' }).click();
    await page.getByLabel('Title').fill('Board file');
    const settings = page.locator('nm-method-file').first();
    const entry = async (of: Locator, at: number, key: string, value: string): Promise<void> => {
      if (at > 1) await of.getByRole('button', { name: 'Add an entry' }).click();
      await of.getByLabel(`Key of entry ${String(at)}`).fill(key);
      await of.getByLabel(`Value of entry ${String(at)}`).fill(value);
    };
    await settings.getByLabel('File, from the root of the boot partition').fill('config/board.cfg');
    await entry(settings, 1, 'name', '');
    await settings.getByLabel('Value of entry 1').focus();
    await pick(settings.getByLabel('Put in a value of the plan, file 1'), 'host name', 'host');
    await expect(settings.getByLabel('Value of entry 1')).toHaveValue('<<hostName>>');
    await entry(settings, 2, 'region', '<<land>>');
    await expect(settings.getByText('There is no value "land".')).toBeVisible();
    await expect(page.getByRole('button', { name: 'Save the method' })).toBeDisabled();
    await settings.getByLabel('Value of entry 2').fill('<<country>>');
    await entry(settings, 3, 'owner', '<<user>>');
    await entry(settings, 4, 'identity', '<<hostKey.base64>>');
    await entry(settings, 5, 'remote-login', 'on');
    await entry(settings, 6, 'owner-key-<<number>>', '<<sshKey>>');
    await pick(settings.getByLabel('How often entry 6 stands there'), 'each SSH key');

    await page.getByRole('button', { name: 'Add a file' }).click();
    const list = page.locator('nm-method-file').nth(1);
    await list.getByLabel('File, from the root of the boot partition').fill('networks.lst');
    await pick(list.getByLabel('What it is'), /^Text as it stands/);
    await pick(list.getByLabel('Values are written'), /^Percent-encoded/);
    await list.getByLabel('Text of entry 1').fill('<<ssid>>;<<wifiKey>>;<<security>>');
    await pick(list.getByLabel('How often entry 1 stands there'), 'each network');
    await list.getByLabel('open network', { exact: true }).fill('open');
    await list.getByLabel('WPA2', { exact: true }).fill('wpa');
    const trial = page.getByRole('region', { name: 'What a board would get' });
    await expect(trial.getByRole('region', { name: 'Lines of config/board.cfg' })).toContainText(
      'name=tank-01',
    );
    await expect(trial.getByRole('region', { name: 'Lines of networks.lst' })).toContainText(
      'Saltmarsh%20Bench;',
    );
    await expect(trial).not.toContainText('low tide');
    await audit(page);
    await page.getByRole('button', { name: 'Save the method' }).click();
    await expect(page.getByRole('cell', { name: 'Board file', exact: true })).toBeVisible();

    // The description is a file that another bench can open.
    const [saved] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: 'Save Board file as a file' }).click(),
    ]);
    const file = join(app.folder, saved.suggestedFilename());
    await saved.saveAs(file);
    await page.locator('nm-methods-page input[type="file"]').setInputFiles(file);
    await expect(page.getByLabel('Title')).toHaveValue('Board file');
    await page.getByRole('button', { name: 'Leave it' }).click();
    writeFileSync(file, '{"format":"something else"}');
    await page.locator('nm-methods-page input[type="file"]').setInputFiles(file);
    await expect(page.getByRole('alert')).toContainText('It describes no first-boot method.');

    await stage(page, 'Images');
    await pick(reed.getByRole('combobox', { name: 'First boot' }), 'Board file (described here)');
    await part(page, 'Image & board');
    await choose(page, 'Image', '', /^Reed OS/);
    await expect(
      page.getByText(/^Cards of Reed OS cannot carry .*its method is "Board file"/).first(),
    ).toBeVisible();
    await expect(page.getByText('Plan saved')).toBeVisible();
    await stage(page, 'Practice bench');
    await pick(page.locator('[data-slot="slot-1"]').getByLabel('Card for Slot 1'), /^Card 1,/);
    await armRound(page, 1);
    await expect(page.getByText('Verified, take it out.')).toBeVisible();
    await stage(page, 'Card check');
    await pick(page.getByRole('combobox', { name: 'Or a card in a slot' }), /^Slot 1/);
    await page.getByRole('button', { name: 'Check it' }).click();
    await expect(
      page.getByText('Board file. config/board.cfg says what "Board file" describes.'),
    ).toBeVisible();
    await expect(page.getByRole('heading', { name: 'Nothing wrong was found' })).toBeVisible();
    await bootAndProve(page, 'tank-01');
  },
);
