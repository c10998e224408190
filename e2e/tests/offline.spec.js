// @ts-check
// Without a line: what cannot be done says so, and what was done is not lost.

import { join } from "node:path";
import { root, Server } from "../server.js";
import {
  apart,
  capture,
  colour,
  decode,
  drag,
  follow,
  ready,
  seenAt,
  startNow,
  straight,
  unacknowledged,
} from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const VERMILION = [213, 94, 0];

test("what cannot be done without the line says so; what can, goes on", async ({ page, context }) => {
  await startNow(page, server.base);
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Ruled" }).click();
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  await context.setOffline(true);
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  const says = page.locator("#says");
  /** What is said, each time anew. @param {() => Promise<unknown>} deed */
  const said = async (deed) => {
    await page.evaluate(() => {
      /** @type {HTMLElement} */ (document.getElementById("says")).hidden = true;
    });
    await deed();
    await expect(says).toContainText(/line to the server is down/);
  };
  await said(() => page.keyboard.press("n"));
  await said(async () => {
    await page.keyboard.press("c");
    await drag(page, straight({ x: 300, y: 200 }, { x: 600, y: 400 }, 4));
    await page.keyboard.press("Enter");
  });
  await page.keyboard.press("Escape");
  // A note that was not made is none: the next board is no note, and the key makes one.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  await expect.poll(async () => apart(await colour(page, 500, 300), VERMILION)).toBeLessThan(8);
  await context.setOffline(false);
  await expect(page.locator("#line")).toBeHidden();
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Dotted" }).click();
  await expect(page.locator("#backdrop-place")).toContainText("3 of 3");
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).toHaveText(/^Note/);
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).not.toHaveText(/^Note/);
  const file = await capture(page, { x: 300, y: 200 }, { x: 600, y: 400 });
  expect(decode(file).width).toBeGreaterThan(300);
});

test("the stage goes on without the line, and everybody else follows when it is back", async ({
  browser,
  page,
  context,
}) => {
  await startNow(page, server.base);
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Ruled" }).click();
  const place = page.locator("#backdrop-place");
  await expect(place).toContainText("2 of 2");
  const phone = await follow(browser, page, "Ines");
  await context.setOffline(true);
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  await page.keyboard.press("PageUp");
  await expect(place).toContainText("1 of 2");
  await page.keyboard.press("+");
  await expect(page.locator("#page-shown")).toHaveText("2 of 2");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  await expect.poll(async () => apart(await colour(page, 500, 300), VERMILION)).toBeLessThan(8);
  await expect(page.locator("#says")).toBeHidden();
  await context.setOffline(false);
  const there = await seenAt(page, phone, 500, 300);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), VERMILION)).toBeLessThan(8);
  await expect(page.locator("#page-shown")).toHaveText("2 of 2");

  // And when the page goes before the line is back, with the next one.
  await context.setOffline(true);
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  await page.keyboard.press("PageDown");
  await expect(place).toContainText("2 of 2");
  const stage = page.url();
  await page.close();
  await context.setOffline(false);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), VERMILION)).toBeLessThan(8);
  const again = await context.newPage();
  await again.goto(stage);
  await ready(again);
  await expect(again.locator("#backdrop-place")).toContainText("2 of 2");
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), VERMILION)).toBeGreaterThan(60);
});

test("what comes on stage without the line is there when it is back: a picture, a page of a document, a web page", async ({
  page,
  context,
}) => {
  await startNow(page, server.base);
  const files = ["Berth plan.svg", "Notices to mariners.pdf", "Tide and lights.html"];
  await page.locator("#picture-file").setInputFiles(files.map((file) => join(root, "demo", file)));
  const place = page.locator("#backdrop-place");
  await expect(place).toContainText("2 of 4");
  // Nothing of it is at hand.
  await page.locator("#order").click();
  await page.locator("#order-list button").first().click();
  await expect(place).toContainText("1 of 4");
  await page.reload();
  await ready(page);
  await context.setOffline(true);
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  for (const at of [2, 3, 4]) {
    await page.keyboard.press("PageDown");
    await expect(place).toContainText(`${at} of 4`);
    if (at === 3) for (let turn = 0; turn < 3; turn++) await page.keyboard.press("PageDown");
  }
  await context.setOffline(false);
  await expect(page.frameLocator(".pane iframe").getByText("tide and lights").first()).toBeVisible();
  await page.keyboard.press("PageUp");
  const shown = () =>
    page.locator(".pane img:visible").evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth);
  await expect.poll(shown).toBeGreaterThan(0);
  await expect(page.locator("#page-shown")).toHaveText("4 of 4");
  for (let turn = 0; turn < 4; turn++) await page.keyboard.press("PageUp");
  await expect(place).toContainText("2 of 4");
  await expect.poll(shown).toBeGreaterThan(0);
});

test("what was laid over the picture without a line is there when the page is loaded again", async ({
  page,
  context,
}) => {
  await startNow(page, server.base);
  await context.setOffline(true);
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  await page.mouse.move(400, 300);
  for (const key of ["w", "g", "r", "p", "o", "k"]) await page.keyboard.press(key);
  await page.getByRole("button", { name: "Start" }).click();
  const laid = ["Spotlight", "Magnifier", "Ruler", "Protractor", "Compasses"];
  const chips = page.locator("#row-aids > .aid:not([hidden])");
  await expect(chips).toHaveText(laid);
  await expect.poll(() => unacknowledged(page)).toBeGreaterThanOrEqual(7);
  await context.setOffline(false);
  await page.reload();
  await ready(page);
  await expect(chips).toHaveText(laid);
  await expect(page.locator("#row-clocks button")).toContainText("Countdown");
});

test("a page that goes while its line is deaf loses nothing, however much it had to say", async ({ page }) => {
  let deaf = false;
  await page.routeWebSocket(/\/live$/, (near) => {
    const far = near.connectToServer();
    near.onMessage((message) => {
      if (!deaf) far.send(message);
    });
    far.onMessage((message) => {
      if (!deaf) near.send(message);
    });
  });
  // As in private windows of some browsers.
  await page.addInitScript(() => {
    indexedDB.open = () => {
      const request = /** @type {any} */ (new EventTarget());
      setTimeout(() => request.onerror?.(new Event("error")));
      return request;
    };
  });
  await startNow(page, server.base);
  await page.keyboard.press("t");
  await page.mouse.click(60, 60);
  await page.locator("#typing:not(.unread)").waitFor();
  await page.keyboard.insertText("灯");
  await expect.poll(() => page.evaluate(() => document.fonts.check('20px "Letters cjk"'))).toBe(true);
  deaf = true;
  const words = Array.from({ length: 2600 }, (_, i) => String.fromCodePoint(0x4e00 + i * 7)).join("");
  await page.keyboard.insertText(words);
  await page.keyboard.press("Escape");
  await page.goto("about:blank");
  deaf = false;
  await page.goBack();
  await ready(page);
  await page.keyboard.press("t");
  await page.mouse.click(80, 66);
  await expect(page.locator("#typing")).toHaveValue(`灯${words}`);
});
