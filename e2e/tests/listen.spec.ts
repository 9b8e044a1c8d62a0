import { createSocket } from 'node:dgram';
import { encode } from 'dns-packet';
import type { Batch, PracticeView } from '@nest-mark/core';
import { addressRequest } from '../../stand-in/src/air/voice';
import { expect, long, test } from '../helpers/app';
import { audit } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import { armRound, setPace, stage } from '../helpers/steps';

test('listening proves boards as they come, without a subnet; a list and an address do it too', async ({
  app,
  page,
}) => {
  await readyBatch(app, 4);
  await page.goto(app.url);
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, 4);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();

  await stage(page, 'Boot & find');
  const listen = page.getByRole('region', { name: 'Listen' });
  // The practice network is where the plan expects the boards, so it is proposed.
  await expect(listen.getByRole('checkbox', { name: /^practice/ })).toBeChecked();
  await listen.getByRole('button', { name: 'Listen', exact: true }).click();
  await expect(listen.getByText('announcements are heard')).toBeVisible();

  // Somebody who only announces a name is heard, and is nobody.
  const socket = createSocket('udp4');
  const packet = encode({
    type: 'response',
    answers: [{ type: 'A', name: 'tank-01.local', ttl: 120, data: `${app.network}.99` }],
  });
  await new Promise((sent) => socket.send(packet, 15_353, `${app.network}.254`, sent));
  socket.close();
  const heard = page.getByRole('region', { name: 'Heard, and not proved' });
  await expect(heard).toContainText(`${app.network}.99`);
  await expect(heard).toContainText('Perhaps tank-01. It calls itself tank-01.');
  await expect(page.locator('[data-host="tank-01"]')).toContainText('guess at');
  await audit(page, undefined, 'main');

  const boards = async (): Promise<PracticeView['boards']> =>
    (await app.api<PracticeView>('GET', '/practice')).boards;
  const [first] = await boards();
  await app.api('POST', '/practice/actions', { do: 'power', nest: first!.nest, on: true });
  await expect(page.getByText('1 of 4', { exact: true })).toBeVisible();
  await app.api('POST', '/practice/actions', { do: 'powerAll', on: true });
  await expect(page.getByText('4 of 4', { exact: true })).toBeVisible();
  await expect(listen.getByText('All 4 are proved.')).toBeVisible();

  // A list of the network's own equipment: shown first, asked on a press.
  await listen.getByRole('button', { name: 'Paste a list or an address' }).click();
  const lines = (await boards()).map(({ address, hardwareAddress }) => `${hardwareAddress} ${address!} tank`);
  await listen.getByRole('textbox').fill('nothing of use');
  await listen.getByRole('button', { name: 'Read it' }).click();
  await expect(listen.getByRole('alert')).toContainText('No host was found in this.');
  await listen.getByRole('textbox').fill(lines.join('\n'));
  await listen.getByRole('button', { name: 'Read it' }).click();
  await expect(listen.getByText('4 hosts. Nothing was contacted yet.')).toBeVisible();
  await audit(page, undefined, 'main');
  await listen.getByRole('button', { name: 'Ask 4 addresses for their keys' }).click();
  await expect(
    listen.getByText('Every address was asked; 4 of the batch signed with their keys.'),
  ).toBeVisible();

  // Who listens again wants to know where they are now: each signs anew.
  await listen.getByRole('button', { name: 'Listen', exact: true }).click();
  await expect(listen.getByText('All 4 are proved.')).toBeVisible();
});

test(
  'boards that call are chosen in the plan and prove themselves; who came after it was remembered who is here is new',
  long,
  async ({ app, page }) => {
    await readyBatch(app, 3);
    await page.goto(app.url);
    await page.getByRole('link', { name: 'System' }).click();
    const where = page.getByLabel('Boards call this address and port once they are up');
    await where.fill('bench.local');
    await expect(page.getByText('Boards cannot call "bench.local".').first()).toBeVisible();
    await where.fill(`${app.network}.254`);
    await expect(page.getByText('Boards cannot call').first()).toBeHidden();
    await expect(page.getByText('Plan saved')).toBeVisible();
    const [{ id }] = await app.api<[{ id: string }]>('GET', '/batches');
    await expect
      .poll(async () => (await app.api<Batch>('GET', `/batches/${id}`)).plan.extras.callIn.address)
      .toBe(`${app.network}.254`);
    await setPace(page, 0, 0);
    await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
    await armRound(page, 3);
    await expect(page.getByText('Verified, take it out.')).toHaveCount(3);
    await app.api('POST', '/practice/actions', { do: 'seat', batchId: id });

    await stage(page, 'Boot & find');
    const listen = page.getByRole('region', { name: 'Listen' });
    await listen.getByText('For announcements').click();
    for (const source of ['announcements', 'requests for addresses', 'neighbours'])
      await listen.getByRole('checkbox', { name: new RegExp(`^${source}`) }).uncheck();
    await listen.getByRole('button', { name: 'Listen', exact: true }).click();
    await expect(listen.getByText('calls of boards are heard')).toBeVisible();
    for (const nest of ['A1', 'A2'])
      await app.api('POST', '/practice/actions', { do: 'power', nest, on: true });
    await expect(page.getByText('2 of 3', { exact: true })).toBeVisible();
    await listen.getByRole('button', { name: 'Stop listening' }).click();

    // A list on this computer wants a path, and says what is wrong with it.
    await app.api('POST', '/practice/actions', { do: 'powerAll', on: false });
    await listen.getByText('For calls of boards').click();
    await listen.getByRole('checkbox', { name: /^calls of boards/ }).uncheck();
    await listen.getByRole('checkbox', { name: /^requests for addresses/ }).check();
    await listen.getByRole('checkbox', { name: /^a list on this computer/ }).check();
    await expect(listen.getByRole('button', { name: 'Listen', exact: true })).toBeDisabled();
    await listen.getByLabel('Path of the list on this computer').fill('/nowhere/leases');
    await listen.getByRole('button', { name: 'Listen', exact: true }).click();
    await expect(listen.getByText('There is no /nowhere/leases on this computer.')).toBeVisible();

    const asks = async (last: number): Promise<void> => {
      const socket = createSocket('udp4');
      const speaker = {
        hostName: 'board',
        hardwareAddress: `02:00:5e:00:53:${last.toString(16)}`,
        mark: null,
      };
      const packet = addressRequest(speaker, `${app.network}.${String(last)}`);
      await new Promise((sent) => socket.send(packet, 15_067, `${app.network}.254`, sent));
      socket.close();
    };
    const heard = page.getByRole('region', { name: 'Heard, and not proved' });
    await asks(0x71);
    await expect(heard).toContainText('02:00:5e:00:53:71');
    await heard.getByRole('button', { name: 'Remember who is here' }).click();
    await expect(heard).toContainText('Nobody is new since.');
    await asks(0x81);
    await expect(heard).toContainText('1 new since.');
    // With a scanner that types: the label of the board that was powered names the one that is new.
    const { plan } = await app.api<Batch>('GET', `/batches/${id}`);
    const label = heard.getByLabel('Label of the board that you powered');
    await label.fill('7KQ4X');
    await label.press('Enter');
    await expect(heard.getByRole('status')).toContainText('its last character does not fit');
    // One that was proved needs nobody's word.
    await label.fill(plan.devices[0]!.mark);
    await label.press('Enter');
    await expect(heard.getByRole('alert')).toContainText('tank-01 was proved by its key');
    await label.fill(plan.devices[2]!.mark.toLowerCase());
    await label.press('Enter');
    await expect(heard.getByRole('status')).toContainText('is tank-03. Power the next one.');
    await expect(page.locator('[data-host="tank-03"]')).toContainText('A person said that this board is it');
    await audit(page, undefined, 'main');
  },
);
