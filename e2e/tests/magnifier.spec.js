// @ts-check
// The magnifier: what is seen in it, and where what is drawn through it lands, for everybody.

import { join } from "node:path";
import { PNG } from "pngjs";
import { root, Server } from "../server.js";
import { apart, colour, decode, drag, follow, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const PAPER = [251, 250, 245];

/** @param {Page} page @param {{ x: number, y: number }} at @param {number[]} wanted */
const sees = (page, at, wanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), wanted), `${at.x}, ${at.y}`).toBeLessThan(14);

/** Waits until a line of ink crosses a place. @param {Page} page @param {{ x: number, y: number }} at */
const inked = (page, { x, y }) =>
  expect.poll(() => thickness(page, Math.round(x), Math.round(y)), `${x}, ${y}`).toBeGreaterThan(0.7);

/** How high a line of ink is on the screen, at a place across it. @param {Page} page @param {number} x @param {number} y */
async function thickness(page, x, y) {
  const strip = decode(await page.screenshot({ clip: { x, y: y - 12, width: 1, height: 24 } }));
  return Array.from({ length: 24 }, (_, i) => 1 - strip.data[i * 4] / PAPER[0]).reduce((a, b) => a + b);
}

/** How far apart the darkest and the lightest pixel of a row are. @param {Page} page @param {number} x @param {number} y */
async function contrast(page, x, y) {
  const row = decode(await page.screenshot({ clip: { x, y, width: 40, height: 1 } }));
  const greys = Array.from({ length: 40 }, (_, i) => row.data[i * 4]);
  return Math.max(...greys) - Math.min(...greys);
}

/** Upright stripes, a pixel wide each. @param {number} width @param {number} height */
function stripes(width, height) {
  const png = new PNG({ width, height });
  for (let i = 0; i < width * height; i++) png.data.fill((i % width) & 2 ? 255 : 0, i * 4, i * 4 + 3);
  for (let i = 0; i < width * height; i++) png.data[i * 4 + 3] = 255;
  return PNG.sync.write(png);
}

test("what is drawn through it lands where it shows it, finer, for everybody; any tool moves it", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.mouse.move(500, 300);
  await page.keyboard.press("g");
  await expect(page.getByRole("spinbutton", { name: "How many times as large, as a number" })).toHaveValue("2");
  // With the pen: 100 pixels through the lens are 50 beneath it.
  await page.keyboard.press("1");
  await drag(page, straight({ x: 450, y: 260 }, { x: 550, y: 260 }));
  await inked(page, { x: 450, y: 260 });
  await inked(page, { x: 550, y: 260 });
  await inked(ines, await seenAt(page, ines, 545, 260));
  await sees(ines, await seenAt(page, ines, 500, 280), PAPER);
  const larger = await thickness(page, 500, 260);
  // By its knob any tool moves it, and draws nothing by that.
  const scale = ((await page.locator("#glass").boundingBox())?.width ?? 0) / 1920;
  const knob = { x: 500 + (240 * scale) / Math.SQRT2, y: 300 + (240 * scale) / Math.SQRT2 };
  await drag(page, straight(knob, { x: knob.x + 400, y: knob.y + 50 }));
  await inked(page, { x: 480, y: 280 });
  await inked(page, { x: 520, y: 280 });
  await sees(page, { x: 520 + 20, y: 280 }, PAPER);
  await sees(page, { x: 450, y: 260 }, PAPER);
  expect(Math.abs((await thickness(page, 500, 280)) - larger / 2)).toBeLessThan(1);
  await inked(ines, await seenAt(page, ines, 500, 280));
  // Erased through it, it is gone everywhere.
  await drag(page, straight({ x: knob.x + 400, y: knob.y + 50 }, knob));
  await page.keyboard.press("e");
  await drag(page, straight({ x: 440, y: 260 }, { x: 560, y: 260 }));
  await sees(page, { x: 500, y: 260 }, PAPER);
  await sees(ines, await seenAt(page, ines, 500, 260), PAPER);

  // Set apart, it shows what has the frame, and the pen reaches that through it.
  await page.locator("#row-magnifier").click();
  await page.locator("#lens-apart").click();
  await page.locator("#lens-times").fill("4");
  const beside = 500 + (240 + 120 + 33) * scale;
  await page.keyboard.press("1");
  await drag(page, straight({ x: beside - 80, y: 300 }, { x: beside + 80, y: 300 }));
  await inked(page, { x: beside + 76, y: 300 });
  await inked(page, { x: 482, y: 300 });
  await inked(page, { x: 518, y: 300 });
  await sees(page, { x: 526, y: 300 }, PAPER);
  for (const x of [beside, 518]) await inked(ines, await seenAt(page, ines, x, 300));
  // It survives a reload; kept to the stage, nobody else has it, but what was drawn.
  await page.reload();
  await page.locator("body.ready").waitFor();
  await inked(page, { x: beside + 76, y: 300 });
  await page.locator("#row-magnifier").click();
  await page.locator("#lens-told").click();
  await sees(ines, await seenAt(page, ines, beside, 300), PAPER);
  await inked(ines, await seenAt(page, ines, 518, 300));
  await page.keyboard.press("Escape");
  await sees(page, { x: beside, y: 300 }, PAPER);
  await inked(page, { x: 518, y: 300 });
});

test("a picture and a page are as sharp in it as they are; a film goes on in it", async ({ page }) => {
  await startNow(page, server.base);
  const put = (/** @type {string} */ name, /** @type {string} */ mimeType, /** @type {Buffer} */ buffer) =>
    page.locator("#picture-file").setInputFiles({ name, mimeType, buffer });
  await put("Stripes.png", "image/png", stripes(3840, 2160));
  const shown = page.locator(".pane:not(.away) img").first();
  await expect.poll(() => shown.evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth)).toBe(3840);
  expect(await contrast(page, 400, 300)).toBeLessThan(130);
  await page.mouse.move(420, 300);
  await page.keyboard.press("g");
  await page.locator("#lens-times").fill("6");
  await expect.poll(() => contrast(page, 400, 300)).toBeGreaterThan(200);
  // A page of a document is fetched as fine as it is shown.
  const fine = page.waitForResponse((r) => r.url().endsWith("/pages/0?width=3072") && r.ok());
  await page.locator("#picture-file").setInputFiles(join(root, "demo", "Notices to mariners.pdf"));
  await fine;
  // A film goes on, in the lens as beneath it.
  await page.locator("#picture-file").setInputFiles(join(root, "demo", "Vessel at the buoys.webm"));
  const lens = () =>
    page.locator("#lens").evaluate((c) => {
      const canvas = /** @type {HTMLCanvasElement} */ (c);
      const { data } = canvas.getContext("2d")?.getImageData(0, 0, canvas.width, canvas.height) ?? { data: [] };
      let sum = 0;
      for (let i = 0; i < data.length; i += 4) sum = (sum * 31 + data[i]) % 1e9;
      return sum;
    });
  await page.keyboard.press("d");
  await page.getByRole("button", { name: "Play" }).click();
  const first = await lens();
  await expect.poll(lens).not.toBe(first);
});
