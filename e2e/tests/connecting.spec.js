// @ts-check
// Ways to reach the server: with a page of another version, over TLS, and over plain HTTP on a name.

import { connect, createServer } from "node:net";
import { chromium } from "@playwright/test";
import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { apart, capture, colour, drag, follow, pixel, ready, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test("a page from another version says so, and a press on what it offers loads it again", async ({ page, browser }) => {
  const server = await Server.start();
  await startNow(page, server.base);
  const participants = await follow(browser, page, "Ines");
  for (const older of [page, participants]) {
    // The hello as another version would send it: two bytes further on stands the version.
    await older.addInitScript(() => {
      const send = WebSocket.prototype.send;
      WebSocket.prototype.send = function (data) {
        const bytes = /** @type {Uint8Array<ArrayBuffer>} */ (data).slice();
        if (bytes[0] === 0x42 && bytes[1] === 0x7a) bytes[2] += 1;
        return send.call(this, bytes);
      };
    });
    await older.reload();
    const said = older.locator("#line");
    await expect(said).toContainText("This page is from an older Bozzetto than the server.");
    await Promise.all([older.waitForEvent("load"), said.getByRole("button", { name: "Load it again" }).click()]);
  }
  await participants.context().close();
  await server.stop();
});

const PAPER = [251, 250, 245];
const VERMILION = [213, 94, 0];

/**
 * Drawing, erasing, following, capturing, and drawing that survives a reload.
 * @param {import("@playwright/test").Page} page @param {import("@playwright/test").Browser} browser
 */
async function everything(page, browser) {
  const phone = await follow(browser, page, "Ines", { ignoreHTTPSErrors: true });
  await page.keyboard.press("2");
  const bow = Array.from({ length: 41 }, (_, i) => ({
    x: 300 + i * 10,
    y: 400 - Math.round(150 * Math.sin((i / 40) * Math.PI)),
  }));
  await drag(page, bow);
  expect(apart(await colour(page, 500, 250), VERMILION)).toBeLessThan(8);
  const seen = await seenAt(page, phone, 500, 250);
  await expect.poll(async () => apart(await colour(phone, seen.x, seen.y), VERMILION)).toBeLessThan(8);
  const captured = await capture(page, { x: 400, y: 200 }, { x: 600, y: 300 });
  expect(apart(pixel(captured, 300, 150), VERMILION)).toBeLessThan(8);
  await page.keyboard.press("e");
  await drag(page, straight({ x: 480, y: 220 }, { x: 520, y: 280 }));
  await expect.poll(async () => apart(await colour(page, 500, 250), PAPER)).toBeLessThan(8);
  await expect.poll(async () => apart(await colour(phone, seen.x, seen.y), PAPER)).toBeLessThan(8);
  await page.keyboard.press("Control+z");
  await page.reload();
  await ready(page);
  await expect.poll(async () => apart(await colour(page, 500, 250), VERMILION)).toBeLessThan(8);
  await phone.context().close();
}

test("over TLS with a certificate of its own making, everything works", async ({ browser }) => {
  const server = await Server.start({ more: ["--tls-self-signed"] });
  expect(server.base).toMatch(/^https:/);
  const page = await (
    await browser.newContext({ ignoreHTTPSErrors: true, viewport: { width: 1280, height: 852 } })
  ).newPage();
  await startNow(page, server.base);
  await expect(page.locator(".join-address")).toHaveText(`${new URL(server.base).host}/join`);
  await everything(page, browser);
  await server.stop();
});

test("over plain HTTP on a name, everything works", async () => {
  const server = await Server.start({ passphrase: "ferry harbour lantern 7", listen: "0.0.0.0:0" });
  const named = `http://school.test:${new URL(server.base).port}`;
  const browser = await chromium.launch({
    executablePath,
    args: [...args, "--host-resolver-rules=MAP school.test 127.0.0.1"],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 852 } });
  await page.goto(named);
  await page.getByLabel("Passphrase").fill("ferry harbour lantern 7");
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: "Start now" }).click();
  await ready(page);
  expect(await page.evaluate(() => window.isSecureContext)).toBe(false);
  await everything(page, browser);
  await browser.close();
  await server.stop();
});

test("a lesson that is deleted says so on its stage, also after a reconnect", async ({ page, context }) => {
  const server = await Server.start();
  const id = await startNow(page, server.base);
  await server.kill();
  await server.again();
  // Nobody has drawn anything yet: it is listed while somebody is in it.
  await expect(page.locator("#line")).toBeHidden();
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

test("a line that swallows everything is noticed, and what was drawn is sent when it heals", async ({
  page,
  browser,
}) => {
  const server = await Server.start();
  let swallows = false;
  // Between browser and server, and closes nothing when it goes deaf.
  const between = createServer((near) => {
    if (swallows) return void near.on("error", () => {});
    const far = connect(Number(new URL(server.base).port), "127.0.0.1");
    for (const [from, to] of [
      [near, far],
      [far, near],
    ]) {
      from.on("data", (bytes) => !swallows && to.write(bytes));
      from.on("error", () => {});
      from.on("close", () => to.destroy());
    }
  });
  await new Promise((/** @type {(v?: unknown) => void} */ done) => between.listen(0, "127.0.0.1", done));
  const address = between.address();
  const base = `http://127.0.0.1:${typeof address === "object" && address ? address.port : 0}`;
  await startNow(page, base);
  const phone = await follow(browser, page, "Ines");
  swallows = true;
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  await expect(phone.locator("#line")).toContainText("The line is down");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  swallows = false;
  await expect(page.locator("#line")).toBeHidden();
  await expect(phone.locator("#line")).toBeHidden();
  const seen = await seenAt(page, phone, 500, 300);
  await expect.poll(async () => apart(await colour(phone, seen.x, seen.y), VERMILION)).toBeLessThan(8);
  between.close();
  await server.stop();
});
