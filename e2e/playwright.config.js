// @ts-check
import { defineConfig } from "@playwright/test";
import { args, executablePath } from "./browser.js";

export default defineConfig({
  testDir: "tests",
  outputDir: "results",
  globalTeardown: "./demo_data.js",
  timeout: 240_000,
  // A machine that is busy takes its time; what is awaited is a condition, not a moment.
  expect: { timeout: 30_000 },
  retries: 0,
  workers: 2,
  reporter: "list",
  use: {
    viewport: { width: 1280, height: 852 },
    screenshot: "only-on-failure",
    launchOptions: { executablePath, args },
    permissions: ["clipboard-read", "clipboard-write"],
  },
});
