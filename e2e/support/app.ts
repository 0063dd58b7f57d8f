import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { cp, rm } from 'node:fs/promises';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test as base, type Browser, type Page } from '@playwright/test';
import pg from 'pg';
import { demoFolder, keptIn, templateName } from './globalSetup.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
export const password = 'marrowick-cellar';

export interface App {
  readonly url: string;
  readonly databaseUrl: string;
  kill(): Promise<void>;
  restart(): Promise<void>;
}

/** Keys and stand-ins of each repository are its own: each goes on from where the demo stood, and a witness would call that a fork. */
const folderOf = (databaseUrl: string): string => join(tmpdir(), `key-cellar-${new URL(databaseUrl).pathname.slice(1)}`);

/** A port that nothing listens on: a server has to know the address under which people reach it before it begins. */
const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => resolve(port));
    });
  });

async function serve(databaseUrl: string, port: number, more: NodeJS.ProcessEnv): Promise<{ child: ChildProcess; port: number }> {
  const child = spawn(process.execPath, ['dist/server/main.mjs'], {
    cwd: root,
    env: {
      ...process.env,
      DATABASE_URL: databaseUrl,
      PORT: String(port),
      LOG_LEVEL: 'error',
      OBJECTS_URL: 'stand-in',
      ...keptIn(folderOf(databaseUrl)),
      ...more,
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const listening = await new Promise<number>((resolve, reject) => {
    child.once('message', (message) => resolve((message as { listening: number }).listening));
    child.once('exit', () => reject(new Error('The server did not start.')));
  });
  return { child, port: listening };
}

const ended = (child: ChildProcess, signal: NodeJS.Signals): Promise<void> =>
  new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill(signal);
  });

/**
 * Whose repository a file of journeys works in: the demo, shared by the files of a worker that only look; a demo of its own, named after the
 * file, since a worker goes on from one file to the next with what has the same name; or an empty one, named alike.
 */
export type Repository = 'demo' | `demo of ${string}` | `empty of ${string}`;

const isEmpty = (repository: Repository): boolean => repository.startsWith('empty');

/** Serves a repository of its own for as long as it is used, and leaves nothing of it. */
async function withRepository(repository: Repository, use: (app: App) => Promise<void>): Promise<void> {
  const owner = process.env['TEST_DATABASE_URL']!;
  const name = `j_${randomBytes(5).toString('hex')}`;
  const client = new pg.Client({ connectionString: owner });
  await client.connect();
  await client.query(`create database ${name}${isEmpty(repository) ? '' : ` template ${templateName}`}`);
  const url = new URL(owner);
  url.pathname = `/${name}`;
  if (!isEmpty(repository)) await cp(demoFolder, folderOf(url.href), { recursive: true });
  // The directory keeps its port, so that only one at a time can be asked.
  const more = repository === 'demo of identities' ? { IDENTITY_PROVIDER: 'stand-in' } : {};
  let server = await serve(url.href, await freePort(), more);
  await use({
    url: `http://127.0.0.1:${server.port}`,
    databaseUrl: url.href,
    kill: () => ended(server.child, 'SIGKILL'),
    restart: async () => {
      server = await serve(url.href, server.port, more);
    },
  });
  await ended(server.child, 'SIGTERM');
  await client.query(`drop database ${name} with (force)`);
  await rm(folderOf(url.href), { recursive: true, force: true });
  await client.end();
}

/** `live` is a second repository beside the one that a journey works in, empty at first. */
export const test = base.extend<object, { app: App; live: App; repository: Repository }>({
  repository: ['demo', { option: true, scope: 'worker' }],
  app: [({ repository }, use) => withRepository(repository, use), { scope: 'worker' }],
  live: [({}, use) => withRepository('empty of pictures', use), { scope: 'worker' }],
});

/** A window of one person, signed in, that fails the test on any error in the console. */
export async function signedIn(browser: Browser, app: App, login: string, options: { dark?: boolean; width?: number } = {}): Promise<Page> {
  const context = await browser.newContext({
    baseURL: app.url,
    viewport: { width: options.width ?? 1280, height: 800 },
    colorScheme: options.dark ? 'dark' : 'light',
    locale: 'en-GB',
    reducedMotion: 'reduce',
  });
  const page = await context.newPage();
  page.on('pageerror', (error) => expect(error.message, 'no error in the page').toBe(''));
  await page.goto('/sign-in');
  await page.getByLabel('Login').fill(login);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await page.waitForURL('**/today');
  return page;
}

/** Moves the demo clock, as a keeper does. */
export async function moveClock(keeper: Page, to: string): Promise<void> {
  await keeper.getByRole('button', { name: 'demo clock · move' }).click();
  await keeper.getByLabel('New date').fill(to);
  await keeper.getByRole('button', { name: 'Move the clock' }).click();
  await expect(keeper.getByRole('dialog').getByRole('status')).toBeVisible();
  await keeper.keyboard.press('Escape');
  await expect(keeper.getByRole('dialog')).toBeHidden();
}

/** Chooses from one of PrimeNG's selects by its label. */
export async function choose(page: Page, label: string, option: string | RegExp): Promise<void> {
  const field = page.getByRole('combobox', { name: label, exact: true });
  await field.click();
  const filter = page.locator('.p-select-overlay').getByRole('searchbox');
  if (typeof option === 'string' && (await filter.isVisible())) await filter.fill(option);
  await page.getByRole('option', { name: option }).first().click();
}

/** Moves the focus with Tab until it is on what the selector names. */
export async function tabTo(page: Page, selector: string, most = 120): Promise<void> {
  for (let i = 0; i < most; i++) {
    if (await page.evaluate((s) => document.activeElement?.matches(s) ?? false, selector)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`Tab does not reach ${selector}`);
}

export { expect };
