import { defineConfig } from '@playwright/test';

const results = process.env['E2E_RESULTS'];

export default defineConfig({
  testDir: 'e2e',
  outputDir: 'test-results',
  fullyParallel: false,
  workers: 1, // software drawing takes both cores; two at a time were no faster
  timeout: 600_000,
  expect: { timeout: 60_000 },
  forbidOnly: !!process.env['CI'],
  retries: 0,
  reporter: results === undefined ? [['list']] : [['list'], ['json', { outputFile: results }]],
  use: {
    viewport: { width: 1280, height: 800 },
    deviceScaleFactor: 1,
    actionTimeout: 120_000, // else a click that cannot be made waits for the whole test's time
    launchOptions: {
      executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        // there is no graphics card: what is not WebGL is drawn faster without one being simulated
        '--disable-gpu-compositing',
        '--disable-gpu-rasterization',
        '--disable-accelerated-2d-canvas',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
      ],
    },
  },
});
