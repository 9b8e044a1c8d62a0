import { expect, test } from '../helpers/app';
import { audit, sideways } from '../helpers/audit';
import { readyBatch } from '../helpers/ready';
import { part, parts, stage, stages, headingOf } from '../helpers/steps';
import { withLong } from '../../core/test/helpers/soak';

// As a person sets them in the browser; everything that is measured in letters grows with them.
test.use({
  launchOptions: async ({ launchOptions }, use) =>
    use({
      ...launchOptions,
      args: [...(launchOptions.args ?? []), '--blink-settings=defaultFontSize=32'],
    }),
});

test('with letters twice as large, views pass the same checks, and no view or part needs sideways scrolling', async ({
  app,
  page,
}) => {
  const { id, plan } = await readyBatch(app, 6);
  await page.goto(app.url);
  expect(await page.evaluate<string>('getComputedStyle(document.body).fontSize')).toBe('32px');
  const inside = (): Promise<number> =>
    page.evaluate<number>(
      `(() => { const all = document.querySelector('nm-batch-page'); return all.scrollWidth - all.clientWidth; })()`,
    );
  // Twice as large, what is too pale or has no name is no other than before; most views are looked at for their width.
  const audited = ['Plan', 'Cards', 'Devices', 'passport'];
  const looked = async (what: string): Promise<void> => {
    if (withLong || audited.includes(what)) await audit(page);
    expect([await sideways(page), await inside()], what).toEqual([0, 0]);
  };
  for (const view of stages) {
    await stage(page, view);
    await expect(page.locator('main h1')).toHaveText(headingOf(view));
    await looked(view);
  }
  for (const name of parts) {
    await part(page, name);
    await looked(name);
  }
  await page.goto(`${app.url}/batch/${id}/device/${plan.devices[0]!.id}`);
  await expect(page.locator('main h1')).toHaveText('tank-01');
  await looked('passport');
});
