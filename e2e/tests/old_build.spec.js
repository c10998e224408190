// @ts-check
// A browser that holds a page of another version is told so, and how to get on.

import { expect, test } from "@playwright/test";
import { Server } from "../server.js";

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
