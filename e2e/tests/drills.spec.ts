import type { PracticeView } from '@nest-mark/core';
import type { DrillCause } from '@nest-mark/core/api';
import type { App } from '../helpers/app';
import { expect, long, test } from '../helpers/app';
import { saysYes } from '../../stand-in/test/helpers/sights';
import { audit } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import { armRound, pick, setPace, stage } from '../helpers/steps';
import type { Locator, Page } from '@playwright/test';
import { withLong } from '../../core/test/helpers/soak';

/** How a drill stands, without what it hides. */
const drillOf = async (app: App): Promise<NonNullable<PracticeView['drill']>> => {
  const { drill } = await app.api<PracticeView>('GET', '/practice');
  return drill!;
};

/** Writes four cards and puts them into their boards. */
async function seated(page: Page): Promise<void> {
  await setPace(page, 0, 0);
  await page.getByRole('button', { name: 'Put fresh cards into empty slots' }).click();
  await armRound(page, 4);
  await expect(page.getByText('Verified, take it out.')).toHaveCount(4);
  await stage(page, 'Practice bench');
  await page.getByRole('button', { name: 'Seat this batch’s cards by their labels' }).click();
}

/** Looks at what is asked and answers by what is seen, until the cause is told. */
async function followAdvice(app: App, away: Locator): Promise<void> {
  const question = away.locator('.question');
  for (;;) {
    const asked = ((await question.textContent()) ?? '').trim();
    if (asked.startsWith('It is probably this')) return;
    const before = (await drillOf(app)).looks.length;
    await away.getByRole('button', { name: 'Practice: look' }).click();
    await expect.poll(async () => (await drillOf(app)).looks.length).toBe(before + 1);
    const look = (await drillOf(app)).looks.at(-1)!;
    await expect(away.locator('.saw')).toHaveText(look.saw);
    // The board that is looked at is the one in whose nest it was.
    const hostName = `tank-0${look.nest.slice(1)}`;
    await away
      .getByRole('button', { name: saysYes(look.check, look.saw, hostName) ? 'Yes' : 'No', exact: true })
      .click();
    await expect(question).not.toHaveText(asked);
  }
}

test('drills: a card that does not sit, a key that is wrong by one letter, and a list of addresses that is used up', async ({
  app,
  page,
}) => {
  await readyBatch(app, 4);
  await page.goto(app.url);
  await seated(page);
  const away = page.getByRole('region', { name: 'Why is it not there?' });
  const listen = page.getByRole('region', { name: 'Listen' });

  const begin = async (fault: RegExp): Promise<void> => {
    await stage(page, 'Practice bench');
    await pick(page.getByRole('combobox', { name: 'Which fault' }), fault);
    await page.getByRole('button', { name: 'Begin a drill' }).click();
    // What is hidden is covered: neither the boards nor the air are shown.
    await expect(page.getByText(/its boards and its air are covered/)).toBeVisible();
    await expect(page.getByRole('heading', { name: 'Air and pace' })).toHaveCount(0);
    await page.getByRole('button', { name: 'Go to Boot & find' }).click();
    await listen.getByRole('button', { name: 'Listen', exact: true }).click();
  };
  const end = async (cause: DrillCause, words: string, most: number): Promise<void> => {
    await expect(away.locator('.question')).toHaveText([`It is probably this: ${words}.`]);
    await away.getByRole('button', { name: 'I have mended it' }).click();
    await expect(away.getByText('Found.')).toBeVisible();
    expect(await drillOf(app)).toMatchObject({ outcome: 'found', cause });
    expect((await drillOf(app)).looks.length).toBeLessThanOrEqual(most);
    await expect(page.getByText('4 of 4', { exact: true })).toBeVisible();
    await expect(listen.getByText('All 4 are proved.')).toBeVisible();
    await away.getByRole('button', { name: 'Done' }).click();
    await expect(away).toHaveCount(0);
  };

  await begin(/^its card does not sit right/);
  await expect(page.getByText('3 of 4', { exact: true })).toBeVisible();
  await expect(away.locator('h3')).toHaveText([/^tank-0\d \(A\d\) does not appear$/]);
  await followAdvice(app, away);
  await audit(page, undefined, 'main');
  // Mending something else is no way out: it is told, and it takes its time.
  await away.getByRole('button', { name: 'the board itself does not start' }).click();
  await expect(away.locator('.question')).toHaveText(
    'You take it for this: the board itself does not start.',
  );
  await away.getByRole('button', { name: 'I have mended it' }).click();
  await expect(away.getByText('Mended in vain: the board itself does not start.')).toBeVisible();
  await end('not-seated', 'its card does not sit right', 5);

  if (!withLong) return;
  await begin(/^the network’s key in the plan is wrong/);
  await expect(away.locator('h3')).toHaveText(['4 boards do not appear: A1, A2, A3, A4']);
  await followAdvice(app, away);
  await end('other-key', 'the network’s key in the plan is wrong', 4);

  await begin(/^nobody gives it an address/);
  await expect(page.getByText('3 of 4', { exact: true })).toBeVisible();
  // It asks again and again; that is heard, and nothing has to be looked at.
  await end(
    'no-address',
    'nobody gives it an address: the list of addresses is used up, or does not serve it',
    0,
  );
});

test(
  'a board that is away in earnest: answers are kept over a reload, taken back, and its mending is noted',
  long,
  async ({ app, page }) => {
    const batch = await readyBatch(app, 4);
    await page.goto(app.url);
    await seated(page);
    const [first] = batch.plan.devices;
    await app.api('POST', '/practice/actions', { do: 'powerAll', on: true });
    await app.api('POST', '/practice/actions', { do: 'power', nest: first!.nest, on: false });
    await app.api('POST', `/batches/${batch.id}/powered`, {
      deviceIds: batch.plan.devices.map(({ id }) => id),
    });
    await stage(page, 'Boot & find');
    await page.getByRole('button', { name: 'Listen', exact: true }).click();
    await expect(page.getByText('3 of 4', { exact: true })).toBeVisible();
    // Within the time of a first boot nobody is asked anything by themselves.
    const away = page.getByRole('region', { name: 'Why is it not there?' });
    await expect(away.locator('article')).toHaveCount(0);
    await away.getByRole('button', { name: 'Ask all the same' }).click();
    const light = /^Is the power light of A1 \(tank-01\) on, and steady\?$/;
    const waits = away.getByText('It is probably this: it is still starting for the first time.');
    await expect(waits).toBeVisible();
    await away.getByRole('button', { name: 'It was not that' }).click();
    await expect(away.locator('.question')).toHaveText(light);
    await away.getByRole('button', { name: 'No', exact: true }).click();
    await expect(away.locator('.question')).not.toHaveText(light);
    await page.reload();
    await away.getByRole('button', { name: 'Ask all the same' }).click();
    await away.getByText('What is known of it, and what was answered').click();
    await expect(away.locator('.known')).toContainText('on, and steady? no');
    await expect(away.locator('.known')).toContainText('Mended without success: it is still starting');
    await away.getByRole('button', { name: 'Take it back' }).click();
    await expect(away.locator('.question')).toHaveText(light);
    await away.getByRole('button', { name: 'it has no power' }).click();
    await away.getByRole('button', { name: 'I have mended it' }).click();
    await expect(away.getByText(/Mended at .*, as if it has no power\./)).toBeVisible();
    await audit(page, undefined, 'main');
    await app.api('POST', '/practice/actions', { do: 'power', nest: first!.nest, on: true });
    await expect(page.getByText('4 of 4', { exact: true })).toBeVisible();
    await expect(away).toHaveCount(0);
    await stage(page, 'Log');
    await expect(page.getByText('tank-01 not there: mended, as if it has no power.')).toBeVisible();
  },
);
