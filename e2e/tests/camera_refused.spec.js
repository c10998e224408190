// @ts-check
// A camera that is refused, and the bench camera's stand-in.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, apart, colour, follow, seenAt, startNow } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: { executablePath, args: [...args, "--deny-permission-prompts"] }, permissions: [] });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("a refused camera says what happened and what to do; the bench camera says that it is simulated", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  await expect(page.locator("#says")).toContainText(/not allowed to use the camera|No such camera was found/);
  await expect(page.locator(".pane-call")).toBeVisible();
  await add(page, "bench");
  await expect(page.locator("#backdrop-name")).toHaveText("Bench camera (simulated)");
  await page.locator(".pane-call button").click();
  await expect(page.locator(".pane:not(.away) canvas")).toBeVisible();
  await expect(page.locator("#simulated")).toBeVisible();
  const phone = await follow(browser, page, "Noor");
  await expect(phone.locator("#simulated")).toBeVisible();
  await expect(phone.locator(".pane canvas")).toBeVisible();
  const there = await seenAt(page, phone, 100, 60);
  const here = await colour(page, 100, 60);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), here)).toBeLessThan(14);
});
