const { defineConfig } = require('@playwright/test');

const port = process.env.E2E_PORT ?? '18437';

module.exports = defineConfig({
  testDir: '.',
  outputDir: 'results/output',
  // Pictures are drawn by the processor here, and what looks for something in space moves the pointer hundreds of times.
  timeout: 120_000,
  expect: { timeout: 15_000 },
  workers: 2,
  // A machine that does other things at the same time may miss a deadline once; a fault shows twice.
  retries: process.env.CI ? 1 : 0,
  reporter: [['list'], ['json', { outputFile: `results/${process.env.E2E_REPORT ?? 'report'}.json` }]],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
  webServer: {
    command: `${process.env.E2E_PROGRAM ?? '../target/debug/kindred-shell'} demo --port ${port}`,
    url: `http://127.0.0.1:${port}/`,
    reuseExistingServer: false,
    // The demo's parts are built before the first page is there.
    timeout: 120_000,
  },
});
