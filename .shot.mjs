import { chromium } from '@playwright/test';
const b = await chromium.launch({ executablePath: '/usr/bin/chromium' });
const dark = process.argv[4] === 'dark';
const c = await b.newContext({ baseURL: 'http://127.0.0.1:4180', viewport: { width: Number(process.argv[5] ?? 1280), height: 800 }, colorScheme: dark ? 'dark' : 'light' });
const p = await c.newPage();
await p.goto('/sign-in');
await p.getByLabel('Login').fill(process.argv[6] ?? 'ines');
await p.getByLabel('Password').fill('marrowick-cellar');
await p.getByRole('button', { name: 'Sign in' }).click();
await p.waitForURL('**/today');
await p.goto(process.argv[2]);
await p.waitForLoadState('networkidle');
if (process.env.FILE) {
  await p.locator('input[type=file]').setInputFiles(process.env.FILE);
  await p.waitForTimeout(Number(process.env.WAIT ?? 6000));
}
await p.screenshot({ path: process.argv[3] });
await b.close();
