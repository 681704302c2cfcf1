import { defineConfig } from '@playwright/test';

// On a shared machine that stands still for seconds one second try is given; `npm test` names every test that needed
// it.

export default defineConfig({
  testDir: '.',
  testMatch: '*.spec.ts',
  outputDir: '../test-results/pages',
  timeout: 120_000,
  expect: { timeout: 20_000 },
  workers: 2,
  fullyParallel: true,
  forbidOnly: true,
  retries: process.env['CI'] ? 1 : 0,
  reporter: [['list'], ['json', { outputFile: '../test-results/e2e.json' }]],
  globalSetup: './setup.ts',
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
