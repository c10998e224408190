// @ts-check
// Typed words: in every script, both directions, within their pane.

import { Server } from "../server.js";
import { alike, decode, follow, seenAt, startNow } from "../stage.js";
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

/** How much of a box is not paper, in pixels. @param {Page} page @param {number} x @param {number} y @param {number} width @param {number} height */
async function ink(page, x, y, width, height) {
  const clip = { x: Math.round(x), y: Math.round(y), width, height };
  const picture = decode(
    await page.screenshot({ clip, scale: "css", style: "#typing, #typing-bar { visibility: hidden }" }),
  );
  return width * height - alike(picture, PAPER, 12);
}

/** Begins a text where nothing is yet. @param {Page} page @param {number} x @param {number} y */
async function begin(page, x, y) {
  await page.keyboard.press("t");
  await page.mouse.click(x, y);
  await page.locator("#typing:not(.unread)").waitFor();
}

/** @param {Page} page */
const size = async (page) => Number(await page.locator("#typing-size").textContent());

test("words in any script are set with letters that are fetched when they are typed, as wide as the browser sets them", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Nino");
  /** @type {string[]} */
  const fetched = [];
  page.on(
    "request",
    (r) => /fonts\/text\/(.+)\.ttf/.test(r.url()) && fetched.push(/text\/(.+)\.ttf/.exec(r.url())?.[1] ?? ""),
  );
  await begin(page, 300, 80);
  await page.keyboard.insertText("Plain words fetch nothing");
  await page.keyboard.press("Escape");
  expect(fetched).toEqual([]);
  const lines = [
    ["Маяк светит всю ночь", "latin-greek-cyrillic"],
    ["灯塔整夜发光", "cjk"],
    ["प्रकाशस्तंभ", "devanagari"],
    ["등대", "hangul"],
    ["√2 ≤ π → ∞", "math"],
  ];
  for (const [i, [words, font]] of lines.entries()) {
    const y = 160 + i * 80;
    await begin(page, 300, y);
    await page.keyboard.insertText(words);
    await expect
      .poll(() => page.evaluate((font) => document.fonts.check(`20px "Letters ${font}"`), font), words)
      .toBe(true);
    await expect.poll(() => ink(page, 300, y - 20, 200, 40), words).toBeGreaterThan(200);
    await expect(page.locator("#typing-missing")).toBeHidden();
    // The browser's own engine sets the same words with the same fonts.
    const measured = () =>
      page.evaluate(async (words) => {
        const field = /** @type {HTMLTextAreaElement} */ (document.getElementById("typing"));
        const context = /** @type {CanvasRenderingContext2D} */ (document.createElement("canvas").getContext("2d"));
        context.font = `${field.style.fontSize} ${getComputedStyle(field).fontFamily}`;
        const size = parseFloat(field.style.fontSize);
        await document.fonts.load(context.font, words);
        const ours = parseFloat(field.style.width) - size * 0.6;
        return Math.abs(ours - Math.max(context.measureText(words).width, size * 3.4));
      }, words);
    await expect.poll(measured, words).toBeLessThan(4);
    const there = await seenAt(page, phone, 300, y - 20);
    await expect.poll(() => ink(phone, there.x, there.y, 150, 30), words).toBeGreaterThan(100);
    await page.keyboard.press("Escape");
  }
  expect(fetched).toEqual(lines.map(([, font]) => font));
});

test("a text that runs from right to left grows from where it was begun; its lines break at the left edge", async ({
  page,
}) => {
  await startNow(page, server.base);
  await begin(page, 700, 300);
  await page.keyboard.insertText("המגדלור מאיר");
  await expect.poll(() => ink(page, 480, 280, 220, 40)).toBeGreaterThan(200);
  expect(await ink(page, 704, 280, 200, 40)).toBe(0);
  const high = await page.locator("#typing").evaluate((f) => f.clientHeight);
  for (let i = 0; i < 6; i++) await page.keyboard.insertText(" כל הלילה");
  await expect.poll(() => page.locator("#typing").evaluate((f) => f.clientHeight)).toBeGreaterThan(high);
  expect(await ink(page, 704, 200, 300, 200)).toBe(0);
});

test("a long sentence breaks at the edge of its pane, and a word longer than that is broken", async ({ page }) => {
  await startNow(page, server.base);
  await begin(page, 900, 200);
  await page.keyboard.type("Keep to the west side of the channel until the sector light turns white");
  const [, lines] = [
    await size(page),
    () =>
      page
        .locator("#typing")
        .evaluate((f) => Math.round(f.clientHeight / (parseFloat(getComputedStyle(f).fontSize) * 1.25))),
  ];
  await expect.poll(lines).toBeGreaterThan(2);
  // As many lines in the field as are drawn: the caret is where the letters are.
  const drawn = await ink(page, 1272, 150, 8, 400);
  expect(drawn).toBe(0);
  await expect.poll(() => ink(page, 900, 250, 300, 60)).toBeGreaterThan(200);
  const box = await page.locator("#typing").boundingBox();
  expect((box?.x ?? 0) + (box?.width ?? 0)).toBeLessThanOrEqual(1281);
});

test("letters that cannot be fetched are said, and come once the line is back", async ({ page }) => {
  // From before the page is there: what a browser is told to hold back later can be asked for before it knows.
  let down = true;
  await page.route("**/fonts/text/*", (route) => (down ? route.abort() : route.continue()));
  await startNow(page, server.base);
  await begin(page, 300, 300);
  await page.keyboard.insertText("Φάρος");
  await expect(page.locator("#typing-missing")).toHaveText("Some letters could not be fetched: the line is down.");
  down = false;
  await expect(page.locator("#typing-missing")).toBeHidden();
  await page.keyboard.insertText(" \u{13000}");
  await expect(page.locator("#typing-missing")).toHaveText("No font here has \u{13000}");
});
