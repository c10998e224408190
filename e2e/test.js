// @ts-check
// What the browser tests run on: the runner's own, but every window that a test has opened is closed
// after it: pages that stay open draw and talk to their server on, and slow down whatever comes after.
// And keys are pressed shortly.

import { test as base } from "@playwright/test";

export { expect } from "@playwright/test";

/** @import { Keyboard } from "@playwright/test" */

/**
 * Both ends of a press are on their way before the page has answered the first, so that no stall of the machine makes it a
 * long press, which is another thing to do.
 * @this {Keyboard} @param {string} key
 */
async function pressShortly(key) {
  const names = key.match(/\+$|[^+]+/g) ?? [key];
  await Promise.all([...names.map((name) => this.down(name)), ...names.toReversed().map((name) => this.up(name))]);
}

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
      /** @type {(fixtures: { page: import("@playwright/test").Page }, use: (page: import("@playwright/test").Page) => Promise<void>) => Promise<void>} */
      page: async ({ page }, use) => {
        // For all pages, also those that a test opens itself.
        Object.getPrototypeOf(page.keyboard).press = pressShortly;
        await use(page);
      },
    }),
  )
);
