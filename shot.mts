import { chromium } from 'playwright-core';
const [url, out, ...acts] = process.argv.slice(2);
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
const page = await b.newPage({
  viewport: { width: Number(process.env.W ?? 1280), height: Number(process.env.H ?? 800) },
  colorScheme: process.env.DARK ? 'dark' : 'light',
});
page.on('console', (m) => {
  if (m.type() === 'error') console.log('console', m.text());
});
await page.goto('http://127.0.0.1:4697/');
await page.waitForURL(/batch/);
const id = page.url().split('/batch/')[1]!.split('/')[0];
if (process.env.DARK) await page.evaluate(() => document.documentElement.classList.add('dark'));
await page.goto(`http://127.0.0.1:4697/batch/${id}/${url}`);
await page.waitForTimeout(1500);
for (const act of acts) {
  const [verb, what] = act.split('=');
  if (verb === 'click') await page.getByRole('button', { name: what! }).first().click();
  if (verb === 'wait') await page.waitForTimeout(Number(what));
  if (verb === 'scroll') await page.locator('main').evaluate((m, y) => m.scrollTo(0, Number(y)), what);
}
if (process.env.DARK) await page.evaluate(() => document.documentElement.classList.add('dark'));
await page.screenshot({ path: out!, fullPage: false });
await b.close();
