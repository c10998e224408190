// @ts-check
// The whole of a running page, which is longer than what is in view.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { apart, colour, decode, drag, pixel, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

// The browser's picture of the own tab is given without asking, as somebody would who presses Allow.
test.use({ launchOptions: { executablePath, args: [...args, "--auto-accept-this-tab-capture"] } });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

/** Bands of a page, each so high in CSS pixels. */
const BANDS = ["#c03a2b", "#1c6ccc", "#e0b040", "#207050", "#5c3c8c"];
const HIGH = 420;
const INK = [0, 0, 0];

/** @param {string} hex */
const rgb = (hex) => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));

test("a long page is taken from top to end, with its marks, and stays where it was", async ({ page }) => {
  await startNow(page, server.base);
  const bands = BANDS.map((colour) => `<div style="height:${HIGH}px;background:${colour}"></div>`).join("");
  const buffer = Buffer.from(`<!doctype html><title>Bands</title><body style="margin:0">${bands}`);
  await page.locator("#picture-file").setInputFiles({ name: "Bands.html", mimeType: "text/html", buffer });
  const inside = page.frameLocator("iframe");
  await expect(inside.locator("div")).toHaveCount(BANDS.length);
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no stage");
  // Scrolled down a little, a mark on the second band.
  const down = () => inside.locator("body").evaluate(() => scrollY);
  await page.mouse.move(glass.x + 400, glass.y + 300);
  await expect
    .poll(async () => {
      await page.mouse.wheel(0, 100);
      return down();
    })
    .toBeGreaterThan(100);
  await expect
    .poll(async () => apart(await colour(page, glass.x + 400, glass.y + 400), rgb(BANDS[1])))
    .toBeLessThan(12);
  const before = await down();
  const css = glass.width / 1280;
  await page.keyboard.press("1");
  await drag(page, straight({ x: glass.x + 300, y: glass.y + 400 }, { x: glass.x + 800, y: glass.y + 400 }));
  const markedAt = before + 400 / css;

  await page.keyboard.press("Shift+V");
  await page.keyboard.press("Enter");
  await page.locator("#tab-allow").click();
  const proof = page.locator(".proof");
  await expect(proof).toHaveCount(1);
  const address = await proof.getAttribute("data-picture");
  const file = await (await page.request.get(server.base + address)).body();
  const { width, height } = decode(file);
  const scale = width / 1280;
  expect(Math.abs(height - BANDS.length * HIGH * scale)).toBeLessThanOrEqual(2);
  // Each band is there once, as high as it is; the picture of a tab has its colours about right.
  for (const [n, colour] of BANDS.entries())
    for (const at of [0.02, 0.5, 0.98])
      expect(apart(pixel(file, 20, Math.round((n + at) * HIGH * scale)), rgb(colour)), `${n} ${at}`).toBeLessThan(24);
  expect(apart(pixel(file, Math.round((500 / css) * scale), Math.round(markedAt * scale)), INK)).toBeLessThan(40);
  expect(await down()).toBe(before);
  await expect(page.locator("#paused")).toBeHidden();
});
