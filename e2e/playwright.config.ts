import { defineConfig } from '@playwright/test';
import { withLong } from '../core/test/helpers/soak';

/** Debian's Chromium; its own traffic to its maker's hosts is switched off. */
export default defineConfig({
  testDir: './tests',
  outputDir: '../test-results/e2e',
  workers: 3,
  // All of these are against hanging only: on a busy machine a minute may pass in which nothing moves.
  timeout: 1_200_000,
  expect: { timeout: 120_000 },
  forbidOnly: true,
  ...(withLong ? {} : { grepInvert: /@long/ }),
  reporter: [['list'], ['json']],
  use: {
    actionTimeout: 120_000,
    viewport: { width: 1280, height: 800 },
    // The processor draws each frame of what moves, and nobody looks.
    contextOptions: { reducedMotion: 'reduce' },
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
      ],
    },
  },
});
