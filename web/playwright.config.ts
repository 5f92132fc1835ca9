import { defineConfig } from "@playwright/test";

// The address and the systems come from the test that starts them; Debian's Chromium, no download.
export default defineConfig({
  testDir: "e2e",
  workers: 1,
  timeout: 400_000,
  // Surveys, dry runs and proofs are waited for by what they show, on a machine that does other things beside them.
  expect: { timeout: 60_000 },
  reporter: "list",
  use: {
    // What is waited for longest, a transfer, is expected in words, not clicked on.
    actionTimeout: 120_000,
    baseURL: process.env.HOVREL_ADDRESS,
    viewport: { width: 1280, height: 800 },
    contextOptions: { reducedMotion: "reduce" },
    // A trace takes a picture of every page after every action, a good part of the time of a walk: to see where one fails.
    trace: process.env.HOVREL_TRACE ? "retain-on-failure" : "off",
    screenshot: "only-on-failure",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
    },
  },
});
