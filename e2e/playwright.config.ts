import { defineConfig } from '@playwright/test';

/** Journeys through the real interface: Debian's Chromium, the built web application, a demo database for each file. */
export default defineConfig({
  testDir: '.',
  testMatch: process.env['SCREENSHOTS'] ? 'screenshots.shots.ts' : '*.spec.ts',
  globalSetup: './support/globalSetup.ts',
  outputDir: '../test-results',
  reporter: [['list']],
  workers: 2,
  retries: 0,
  timeout: 480_000,
  // A control that is not there within this time is missing; waiting longer would only hide it.

  expect: { timeout: 30_000 },
  use: {
    actionTimeout: 15_000,
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/Dublin',
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-dev-shm-usage',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
});
