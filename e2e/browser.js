// @ts-check
// How browsers are started here: Debian's Chromium, headless, and quiet on the network.

import { execFileSync } from "node:child_process";

export const executablePath = execFileSync("which", ["chromium"], { encoding: "utf8" }).trim();

export const args = [
  "--no-sandbox",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];
