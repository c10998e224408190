// @ts-check
// What the browser tests run on: the runner's own, but every window that a test has opened is closed
// after it. Pages that stay open draw and talk to their server on, and slow down whatever comes after.

import { test as base } from "@playwright/test";

export { expect } from "@playwright/test";

export const test = /** @type {typeof base} */ (
  base.extend(
    /** @type {any} */ ({
      nothingLeftOpen: [
        /** @type {(fixtures: { browser: import("@playwright/test").Browser }, use: () => Promise<void>) => Promise<void>} */
        async ({ browser }, use) => {
          await use();
          await Promise.all(browser.contexts().map((context) => context.close()));
        },
        { auto: true },
      ],
    }),
  )
);
