// @ts-check
// Somebody shares the stage on itself.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, startNow } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: { executablePath, args: [...args, "--auto-accept-this-tab-capture"] } });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("the stage is recognised when somebody shares it on itself", async ({ page }) => {
  // What somebody does who picks this very tab: headless, the browser's picker leaves it out.
  await page.addInitScript(() => {
    const ask = navigator.mediaDevices.getDisplayMedia.bind(navigator.mediaDevices);
    navigator.mediaDevices.getDisplayMedia = (options) =>
      ask(/** @type {any} */ ({ ...options, preferCurrentTab: true, selfBrowserSurface: "include" }));
  });
  await startNow(page, server.base);
  await add(page, "share");
  await page.locator(".pane-call button").click();
  await expect(page.locator("#says")).toContainText(
    "This is the stage itself: shown on itself it would be a hall of mirrors",
  );
  await expect(page.locator(".pane-call")).toBeVisible();
});
