// @ts-check
// Worksheets: given with two presses, marked on a phone, handed in, seen on the wall.

import AxeBuilder from "@axe-core/playwright";
import { expect, test } from "@playwright/test";
import { Server } from "../server.js";
import { apart, colour, drag, follow, startNow, straight } from "../stage.js";

/** @import { Browser, Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const WHITE = [255, 255, 255];

/** A worksheet of what is on stage. @param {Page} stage */
async function give(stage) {
  await stage.keyboard.press("v");
  const proof = stage.locator(".proof").first();
  await proof.getByRole("button", { name: "Worksheet" }).click();
  await proof.getByLabel("Instruction").fill("Mark the safe water");
  await proof.getByRole("button", { name: "Give it" }).click();
  await expect(proof.getByRole("status").first()).toContainText("It is a worksheet now");
}

/** Draws across the middle of a worksheet with a finger. @param {Page} phone */
async function drawn(phone) {
  const glass = await phone.locator("#glass").boundingBox();
  if (!glass) throw new Error("no sheet");
  const [y, left, right] = [glass.y + glass.height / 2, glass.x + glass.width * 0.3, glass.x + glass.width * 0.7];
  const client = await phone.context().newCDPSession(phone);
  const line = straight({ x: left, y }, { x: right, y });
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {{ x: number, y: number }[]} touchPoints */
  const touch = (type, touchPoints) => client.send("Input.dispatchTouchEvent", { type, touchPoints });
  await touch("touchStart", [line[0]]);
  for (const place of line) await touch("touchMove", [place]);
  await touch("touchEnd", []);
  return { x: glass.x + glass.width / 2, y };
}

test("a worksheet is given, marked on a phone, handed in, and on the wall", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await expect(phone.locator("#mine-count")).toBeHidden();
  await give(page);
  await expect(phone.locator("#mine-count")).toHaveText("1");
  await phone.locator("#mine").tap();
  await expect(phone.locator(".sheet")).toContainText("Mark the safe water");
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  await expect(phone.locator(".sheet")).toContainText("Not handed in yet");
  await phone.locator(".sheet").tap();
  await phone.locator("body.ready").waitFor();
  // The thick one.
  await phone.locator("#swatches button").nth(1).tap();
  const middle = await drawn(phone);
  await expect.poll(async () => apart(await colour(phone, middle.x, middle.y), WHITE)).toBeGreaterThan(100);
  // Nobody else has it.
  await phone.reload();
  await phone.locator("body.ready").waitFor();
  await expect.poll(async () => apart(await colour(phone, middle.x, middle.y), WHITE)).toBeGreaterThan(100);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");

  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  await page.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await page.locator("#main .capture").click();
  await expect(page.locator("#wall-count")).toHaveText("1 of 1 handed in");
  const card = page.locator(".hand-in canvas");
  await expect
    .poll(() =>
      card.evaluate((/** @type {HTMLCanvasElement} */ c) => {
        const context = c.getContext("2d");
        return context?.getImageData(c.width / 2, c.height / 2, 1, 1).data[3];
      }),
    )
    .toBeGreaterThan(200);
  // Names are off at first.
  await expect(page.locator(".hand-in b")).toHaveText("1");
  await page.getByRole("radio", { name: "Names" }).click();
  await expect(page.locator(".hand-in b")).toHaveText("Ines");
  const together = await page.locator("#together").boundingBox();
  if (!together) throw new Error("no picture");
  const place = (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: together.x + x * together.width,
    y: together.y + y * together.height,
  });
  const round = [place(0.2, 0.3), place(0.8, 0.3), place(0.8, 0.7), place(0.2, 0.7)];
  await drag(page, round);
  await expect(page.locator("#together-count b")).toHaveText("1 of 1");
  await expect(page.locator("#together-count")).toContainText("1 with a mark wholly inside");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
});
