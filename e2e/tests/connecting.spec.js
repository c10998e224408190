// @ts-check
// Ways to reach the server: with a page of another version, and over TLS.

import { expect, test } from "@playwright/test";
import { Server } from "../server.js";
import { apart, colour, drag, ready, startNow, straight } from "../stage.js";

test("a page from another version says so and offers to load again", async ({ page }) => {
  const server = await Server.start();
  // The hello as another version would send it: two bytes further on stands the version.
  await page.addInitScript(() => {
    const send = WebSocket.prototype.send;
    WebSocket.prototype.send = function (data) {
      const bytes = /** @type {Uint8Array<ArrayBuffer>} */ (data).slice();
      if (bytes[0] === 0x42 && bytes[1] === 0x7a) bytes[2] += 1;
      return send.call(this, bytes);
    };
  });
  await page.goto(server.base);
  await page.getByRole("button", { name: "Start now" }).click();
  await expect(page.locator("#line")).toContainText("This page is from an older Bozzetto than the server.");
  await expect(page.getByRole("button", { name: "Load it again" })).toBeVisible();
  await server.stop();
});

test("over TLS with a certificate of its own making, everything works", async ({ browser }) => {
  const server = await Server.start({ more: ["--tls-self-signed"] });
  expect(server.base).toMatch(/^https:/);
  const page = await (await browser.newContext({ ignoreHTTPSErrors: true, viewport: { width: 1280, height: 800 } })).newPage();
  await startNow(page, server.base);
  await expect(page.locator(".join-address")).toHaveText(`${new URL(server.base).host}/join`);
  await drag(page, straight({ x: 300, y: 200 }, { x: 700, y: 200 }));
  await page.reload();
  await ready(page);
  await expect.poll(async () => apart(await colour(page, 500, 200), [0, 0, 0])).toBeLessThan(40);
  await server.stop();
});

test("a lesson that is deleted says so on its stage, also after a reconnect", async ({ page, context }) => {
  const server = await Server.start();
  const id = await startNow(page, server.base);
  await server.kill();
  await server.again();
  const home = await context.newPage();
  await home.goto(server.base);
  await home.getByRole("button", { name: "Delete" }).click();
  await expect(home.getByRole("status")).toContainText("is deleted");
  await expect(page.locator("#line")).toContainText("This lesson has been deleted.");
  await home.getByRole("button", { name: "Undo" }).click();
  await expect(home.getByRole("link", { name: "Open" })).toBeVisible();
  await page.goto(`${server.base}/lessons/${id}/stage`);
  await ready(page);
  await server.stop();
});
