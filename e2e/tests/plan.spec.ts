import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, long, smallImage, test, type Page } from '../helpers/app';
import { readyBatch, tryKeys } from '../helpers/ready';
import { armRound, handOverPart, part, pick, saved, setPace, stage } from '../helpers/steps';

/** A person at the keyboard: every press is counted, a paste is two. */
class Hands {
  presses = 0;
  constructor(private readonly page: Page) {}

  async press(key: string): Promise<void> {
    this.presses += key.split('+').length;
    await this.page.keyboard.press(key);
  }

  async type(text: string): Promise<void> {
    this.presses += text.length;
    await this.page.keyboard.type(text);
  }

  /** What lies on the clipboard, with Ctrl+V. */
  async paste(text: string): Promise<void> {
    this.presses += 2;
    await this.page.keyboard.insertText(text);
  }

  /** Finds something by the command line. */
  async command(text: string): Promise<void> {
    await this.press('Control+k');
    await this.type(text);
    await this.press('Enter');
  }
}

test('a new user plans the hatchery’s twelve boards from an empty database with the keyboard alone', async ({
  bareApp: app,
  page,
}) => {
  const hands = new Hands(page);
  const key = join(app.folder, 'key');
  execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-C', 'mara@bench', '-f', key]);
  await page.goto(app.url);
  const begun = Date.now();
  const focused = (name: string | RegExp) => expect(page.locator(':focus')).toHaveAccessibleName(name);
  const next = async (name: string | RegExp): Promise<void> => {
    await hands.press('F8');
    await focused(name);
  };

  await focused('What are these devices called together?');
  await hands.type('Tank monitors');
  await hands.press('Enter');
  await expect(page.getByRole('heading', { name: 'Plan', exact: true })).toBeVisible();

  // The image first: it is read while the rest is typed.
  await hands.command('add an i');
  await focused('Path or address of the file');
  await hands.paste(smallImage);
  await hands.press('Enter');
  await hands.command('add dev');
  await focused('Pattern');
  // "tank-{n:02}" and 1-12 stand there already.
  await hands.press('Enter');
  await expect(page.getByRole('gridcell', { name: /tank-12/ })).toBeVisible();

  /** Takes the first option of a list that has the focus, looking at each step as a person does. */
  const choose = async (option: RegExp, filter: string | null): Promise<void> => {
    await hands.press('Enter');
    if (filter !== null) {
      await expect(page.getByRole('searchbox')).toBeFocused();
      await hands.type(filter);
      await expect(page.locator('[role="option"]')).toHaveCount(1);
    }
    // An image may still be read.
    const wanted = page.getByRole('option', { name: option });
    await expect(wanted).toBeVisible();
    await hands.press('ArrowDown');
    await expect(wanted).toHaveAttribute('data-p-focused', 'true');
    await hands.press('Enter');
    await expect(page.getByRole('listbox')).toBeHidden();
  };
  await next('Image');
  await choose(/practice-os/, null);
  await next('Time zone');
  await choose(/Copenhagen/, 'copenh');
  await next('Country where the boards will run');
  await choose(/Denmark/, 'denm');
  await next('User');
  await hands.type('keeper');
  await next(/^SSH public keys/);
  await hands.paste(readFileSync(`${key}.pub`, 'utf8').trim());

  await next('Subnet they will appear on');
  await hands.type(`${app.network}.0/24`);
  await next('New network');
  await hands.press('Enter');
  await focused('Network name');
  await hands.type('Saltmarsh Bench');
  await next('Passphrase');
  await hands.type('low tide at seven');

  // All that is left to say is that nobody tried its key.
  await expect(page.getByText('was never tried').first()).toBeVisible();
  await expect(page.getByText('1 to note')).toBeVisible();
  await expect(page.getByText('Plan saved')).toBeVisible();
  const seconds = (Date.now() - begun) / 1000;
  test.info().annotations.push({
    type: 'measured',
    description: `${String(hands.presses)} keys, no click, ${seconds.toFixed(0)} s by machine`,
  });
  console.log(
    `    planned with ${String(hands.presses)} keys and no click, ${seconds.toFixed(0)} s by machine`,
  );
  // Three minutes are enough at two keys a second, slow for anybody who types names.
  expect(hands.presses / 2).toBeLessThan(180);
  await stage(page, 'Cards');
  await expect(page.getByText('The plan has findings that stop writing.')).toBeHidden();
});

test(
  'devices differ from their batch, a table changes them, and one undo takes it back',
  long,
  async ({ app, page }) => {
    await tryKeys(app, await readyBatch(app, 4));
    await page.goto(app.url);
    await page.getByLabel('Select tank-02', { exact: true }).check();
    const chosen = page.getByRole('region', { name: /^The selected device/ });
    await pick(chosen.getByLabel('Board', { exact: true }), 'Compact, 32 bit, 2.4 GHz only, slow');
    await pick(chosen.getByLabel('Time zone', { exact: true }), 'Atlantic/Faroe', 'Faroe');
    const findings = page.getByRole('complementary', { name: 'Findings' });
    await expect(findings).toContainText('tank-02: Atlantic/Faroe is not a time zone of DK.');
    await expect(page.getByLabel('Notes on tank-02')).toHaveAttribute(
      'placeholder',
      'differs: board, time zone',
    );
    await page.getByRole('button', { name: 'All as the batch' }).click();
    await expect(page.getByText('Nothing found. Cards can be written.')).toBeVisible();

    await page.getByRole('button', { name: 'Add devices' }).click();
    await page.getByLabel('from a table or a list').check();
    const file = join(app.folder, 'devices.csv');
    writeFileSync(
      file,
      'host name;role;notes\r\ntank-01;pump;"by the\r\ndoor"\r\ntank-09;pump;new\r\ntank-09;x;\r\n',
    );
    await page.getByLabel('Take from a file').setInputFiles(file);
    await expect(page.getByText('3 lines: 1 new, 1 changed, 1 left out')).toBeVisible();
    await page.getByRole('button', { name: 'Add 1, change 1' }).click();
    await expect(page.getByLabel('Role of tank-01')).toHaveValue('pump');
    await expect(page.getByRole('gridcell', { name: /tank-09/ })).toBeVisible();
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect(page.getByRole('gridcell', { name: /tank-09/ })).toBeHidden();

    writeFileSync(file, Buffer.from([0x74, 0xe4, 0x6e, 0x6b]));
    await page.getByLabel('Take from a file').setInputFiles(file);
    await expect(page.getByRole('alert')).toContainText('Save it as UTF-8 and choose it again.');
  },
);

test('power, kit and time answer at once, and follow the plan', async ({ app, page }) => {
  await tryKeys(app, await readyBatch(app, 6));
  await page.goto(app.url);
  const findings = page.getByRole('complementary', { name: 'Findings' });

  await part(page, 'Power');
  await expect(page.getByRole('row', { name: /tank-01 and 5 more/ })).toContainText('1.60 A');
  await page.getByLabel('Length, m').fill('4');
  await expect(findings).toContainText('tank-01 and 5 more:');
  await expect(findings).toContainText('4.63 V is the least.');
  await part(page, 'Kit');
  await findings.getByRole('button', { name: 'Go there' }).click();
  await expect(page.getByLabel('Length, m')).toBeFocused();
  await page.getByLabel('Length, m').fill('0.5');
  await page.getByRole('button', { name: 'Add a supply with several sockets' }).click();
  await expect(page.getByRole('article', { name: 'Supply with 6 sockets' })).toContainText(
    '9.60 A of 12.00 A',
  );
  await page.getByLabel('Sockets, A each').fill('3, 3');
  await page.getByLabel('Sockets, A each').blur();
  await expect(page.getByText('Without a socket:')).toBeVisible();

  await part(page, 'Kit');
  const cards = page.getByRole('row', { name: /^Memory card, 32 GB/ });
  await expect(cards).toContainText('7');
  await cards.getByLabel(/^In stock/).fill('5');
  await cards.getByLabel(/^Price of one/).fill('7.5');
  await expect(cards).toContainText('15.00');
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as CSV' }).click();
  const csv = join(app.folder, 'kit.csv');
  await (await download).saveAs(csv);
  expect(readFileSync(csv, 'utf8')).toContain(
    '"Memory card, 32 GB, class 10 or U1, 10 MB/s sustained",6,1,5,2,7.5,15',
  );

  await part(page, 'Time');
  await expect(page.getByText('in 2 rounds')).toBeVisible();
  await expect(page.getByText(/Powered sockets, in use/)).toBeVisible();
  const finish = () => page.locator('.large').first().innerText();
  const before = await finish();
  await page.getByLabel('Bring the boards up to date').uncheck();
  await expect.poll(finish).not.toBe(before);
  await expect(page.getByText('Nothing yet: the first round that is written begins it.')).toBeVisible();
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, 4);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await part(page, 'Time');
  await expect(page.getByRole('cell', { name: /^Slot 1, / })).toBeVisible();
});

test(
  'shelves: a network is shared, a board profile is one’s own, and what is needed stays',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 2);
    await page.goto(app.url);
    await stage(page, 'Networks');
    const bench = page.getByRole('region', { name: 'Bench' });
    await bench.getByText(/^More:/).click();
    await bench.getByLabel('Clients at once').fill('1');
    await page.getByRole('button', { name: /^Findings/ }).click();
    await expect(page.getByRole('complementary', { name: 'Findings' })).toContainText(
      'Bench takes 1 clients; 2 boards shall join it.',
    );
    await expect(page.getByText('Plan saved')).toBeVisible();
    await bench.getByRole('button', { name: 'Take off the shelf' }).click();
    await expect(page.getByText('The network stays. It is planned in Tank monitors.')).toBeVisible();

    await stage(page, 'Boards');
    await page.getByRole('button', { name: 'Copy Compact, 64 bit, 2.4 GHz only' }).click();
    await page.getByLabel('Title, by what it can do').fill('Compact with a long aerial');
    await page.getByLabel('Peak, mA').fill('-5');
    await expect(page.getByRole('button', { name: 'Save the profile' })).toBeDisabled();
    await page.getByLabel('Peak, mA').fill('820');
    await page.getByRole('button', { name: 'Save the profile' }).click();
    await expect(page.getByRole('row', { name: /Compact with a long aerial/ })).toContainText('0.82 A');
    await part(page, 'Image & board');
    await pick(page.getByLabel('Board', { exact: true }), 'Compact with a long aerial');
    await expect(page.getByText('Plan saved')).toBeVisible();
    await stage(page, 'Boards');
    await page
      .getByRole('row', { name: /Compact with a long aerial/ })
      .getByRole('button', { name: 'Remove' })
      .click();
    await expect(page.getByText('The profile stays. It is planned in Tank monitors.')).toBeVisible();
  },
);

test(
  'a password is made for each device and handed over one by one, which is logged',
  long,
  async ({ app, page }) => {
    await tryKeys(app, await readyBatch(app, 3));
    await page.goto(app.url);
    await part(page, 'Access');
    await page.getByLabel('Allow login by password as well').check();
    await page.getByLabel('One made for each device').check();
    await expect(page.getByText('Nothing found. Cards can be written.')).toBeVisible();
    await expect(page.getByText('Plan saved')).toBeVisible();
    await stage(page, 'Hand over');
    const row = page.getByRole('row', { name: /tank-02/ });
    await row.getByRole('button', { name: 'Show the password of tank-02' }).click();
    await expect(row.getByText(/^[a-zA-Z2-9]{16}$/)).toBeVisible();
    await row.getByRole('button', { name: 'Hide the password of tank-02' }).click();
    await expect(row.getByText(/^[a-zA-Z2-9]{16}$/)).toBeHidden();
    // On paper, and sealed for a key that OpenSSH made.
    await handOverPart(page, 'Credentials');
    const slips = await saved(page, app, () => page.getByRole('button', { name: 'Save PDF' }).click());
    const text = execFileSync('pdftotext', ['-layout', slips, '-'], { encoding: 'utf8' });
    expect(text.match(/User keeper, password:\s+[a-zA-Z2-9]{16}/g)).toHaveLength(3);
    const key = join(app.folder, 'id_keeper');
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', key]);
    await page.getByLabel('Public keys, one a line').fill(readFileSync(`${key}.pub`, 'utf8'));
    const sealed = await saved(page, app, () => page.getByRole('button', { name: 'Save sealed' }).click());
    const opened = execFileSync('age', ['-d', '-i', key, sealed], { encoding: 'utf8' });
    expect(opened).toContain('tank-03');
    await page.getByLabel('Public keys, one a line').fill('no key');
    await page.getByRole('button', { name: 'Save sealed' }).click();
    await expect(page.getByRole('alert')).toContainText('Line 1 is no public key');
    await stage(page, 'Log');
    await expect(page.getByText(/left the bench on a slip of paper; asked for by \S/)).toHaveCount(3);
    await expect(
      page.getByText(/The password of tank-02 was shown on the screen; asked for by \S/),
    ).toHaveCount(1);
  },
);

test('a plan goes to a file and comes back as a batch of its own, with its secrets under a passphrase', async ({
  app,
  page,
}) => {
  await readyBatch(app, 3);
  await page.goto(app.url);
  await part(page, 'File');
  await page.getByLabel('With its secrets').check();
  await page.getByLabel(/^Passphrase, 12/).fill('twelve oysters on a plate');
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save plan' }).click();
  const file = join(app.folder, 'plan.json');
  await (await download).saveAs(file);
  expect(readFileSync(file, 'utf8')).not.toContain('low tide at seven');

  await page.getByLabel(/^Passphrase of its secrets/).fill('thirteen oysters');
  await page.getByLabel('Choose the file').setInputFiles(file);
  await expect(page.getByRole('alert')).toContainText(
    'the passphrase is not the one that they were saved under',
  );
  await page.getByLabel(/^Passphrase of its secrets/).fill('twelve oysters on a plate');
  await page.getByLabel('Choose the file').setInputFiles(file);
  const taken = page.getByRole('status').filter({ hasText: 'was taken over' });
  await expect(taken).toContainText('with 3 devices');
  await expect(taken).toContainText('3 devices got new marks');
  await page.getByRole('button', { name: 'Open it' }).click();
  await expect(page.getByText('was never tried').first()).toBeVisible();
  await expect(page.getByRole('button', { name: /^New batch/ })).toBeVisible();
});
