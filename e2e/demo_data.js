// @ts-check
// The demo data that tests begin with: it takes a quarter of a minute to make, so a run makes it once.

import { execFileSync } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, renameSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";

/** Where a run keeps it. @param {number} run the process that runs the tests */
const kept = (run) => join(tmpdir(), `bozzetto-demo-${run}`);

/** Fills a data folder. @param {string} binary @param {string} data */
export function fill(binary, data) {
  const make = (/** @type {string} */ folder) => execFileSync(binary, ["demo-data", "--data", folder]);
  // Whoever is no test's server makes its own.
  if (!process.env.TEST_WORKER_INDEX) {
    make(data);
    return;
  }
  const made = kept(process.ppid);
  if (!existsSync(made)) {
    const fresh = mkdtempSync(`${made}-`);
    make(fresh);
    try {
      renameSync(fresh, made);
    } catch {
      // Another worker was first.
      rmSync(fresh, { recursive: true });
    }
  }
  cpSync(made, data, { recursive: true });
}

/** After all tests. */
export default () => rmSync(kept(process.pid), { recursive: true, force: true });
