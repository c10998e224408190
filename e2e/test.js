// @ts-check
// What the browser tests run on: the runner's own, but every window that a test has opened is closed
// after it: pages that stay open draw and talk to their server on, and slow down whatever comes after.
// Keys are pressed shortly. And whatever a page shows is there: no picture, script or style is missing.

import { test as base, expect } from "@playwright/test";

export { expect } from "@playwright/test";

/** @import { Browser, Keyboard, Response } from "@playwright/test" */

/**
 * Both ends of a press are on their way before the page has answered the first, so that no stall of the machine makes it a
 * long press, which is another thing to do.
 * @this {Keyboard} @param {string} key
 */
async function pressShortly(key) {
  const names = key.match(/\+$|[^+]+/g) ?? [key];
  await Promise.all([...names.map((name) => this.down(name)), ...names.toReversed().map((name) => this.up(name))]);
}

/** What pages asked for in vain. @type {string[]} */
const missing = [];
const SHOWN = ["image", "script", "stylesheet", "font"];
/** @param {Response} response */
function look(response) {
  const [kind, status, address] = [response.request().resourceType(), response.status(), response.url()];
  // Participants are given what is on stage, as it is covered now: whoever asks a moment too late gets nothing.
  const onStage = /\/follow\/\d+\/(placed|backdrops)\//.test(address);
  if (status >= 400 && SHOWN.includes(kind) && !onStage) missing.push(`${status} ${kind} ${address}`);
}

export const test = /** @type {typeof base} */ (
  base.extend(
    /** @type {any} */ ({
      nothingLeftOpen: [
        /** @type {(fixtures: { browser: Browser }, use: () => Promise<void>) => Promise<void>} */
        async ({ browser }, use) => {
          missing.length = 0;
          await use();
          await Promise.all(browser.contexts().map((context) => context.close()));
          expect(missing).toEqual([]);
        },
        { auto: true },
      ],
      browser: [
        /** @type {(fixtures: { browser: Browser }, use: (browser: Browser) => Promise<void>) => Promise<void>} */
        async ({ browser }, use) => {
          const make = browser.newContext.bind(browser);
          browser.newContext = async (options) => (await make(options)).on("response", look);
          await use(browser);
        },
        { scope: "worker" },
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
