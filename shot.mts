import { chromium } from 'playwright-core';
const [, , path, out, dark, ...clicks] = process.argv;
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
const p = await b.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: dark === 'dark' ? 'dark' : 'light' });
p.on('console', (m) => m.type() === 'error' && console.log('console', m.text()));
p.on('pageerror', (e) => console.log('pageerror', e.message));
const batches = await (await fetch('http://127.0.0.1:4697/api/batches')).json();
await p.goto(`http://127.0.0.1:4697/batch/${batches[0].id}/${path}`);
await p.waitForTimeout(2500);
for (const c of clicks) { await p.getByRole('button', { name: c }).first().click(); await p.waitForTimeout(1200); }
await p.screenshot({ path: out, fullPage: dark === 'full' || clicks.length > 0 });
await b.close();
