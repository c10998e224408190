// @ts-check
// Instruments, by real mice, pens and fingers, as those who follow see them.

import { Server } from "../server.js";
import { apart, capture, colour, decode, drag, follow, pixel, seenAt, startNow, straight } from "../stage.js";
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
const INK = [0, 0, 0];

/** Waits until a place of the picture has a colour, or most of a pixel there has. @param {Page} page @param {{ x: number, y: number }} at @param {number[]} wanted */
const sees = (page, at, wanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), wanted), `${at.x}, ${at.y}`).toBeLessThan(80);
/** The other way round. @param {Page} page @param {{ x: number, y: number }} at @param {number[]} unwanted */
const seesOther = (page, at, unwanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), unwanted), `${at.x}, ${at.y}`).toBeGreaterThan(4);

/** CSS pixels to a glass unit. @param {Page} page */
async function scaleOf(page) {
  const box = await page.locator("#glass").boundingBox();
  if (!box) throw new Error("there is no picture");
  return { scale: box.width / 1920, left: box.x, top: box.y };
}

test("a pen along the ruler draws a straight line on its edge, and the line is all that stays", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.keyboard.press("r");
  const { scale, left, top } = await scaleOf(page);
  // It lies in the middle: 1100 long, its zero to the left.
  const zero = { x: left + 410 * scale, y: top + 540 * scale };
  const body = { x: zero.x + 300, y: zero.y + 60 };
  await seesOther(page, body, PAPER);
  await seesOther(ines, await seenAt(page, ines, body.x, body.y), PAPER);
  // A hand that trembles along the edge.
  const path = Array.from({ length: 40 }, (_, i) => ({ x: zero.x + 100 + i * 10, y: zero.y - 6 + 5 * Math.sin(i) }));
  await drag(page, path);
  await page.keyboard.press("Escape");
  await sees(page, body, PAPER);
  // Its width is 5 units or so, above the edge from end to end.
  const on = (/** @type {number} */ x) => ({ x, y: Math.round(zero.y - 2 * scale) });
  for (const x of [zero.x + 104, zero.x + 300, zero.x + 486]) {
    await sees(page, on(x), INK);
    await sees(ines, await seenAt(page, ines, x, on(x).y), INK);
    await sees(page, { x, y: zero.y + 4 }, PAPER);
    await sees(page, { x, y: zero.y - 8 }, PAPER);
  }
  await sees(page, on(zero.x + 90), PAPER);
  await sees(page, on(zero.x + 500), PAPER);
  // One mark, undone as one.
  await page.keyboard.press("Control+z");
  await sees(page, on(zero.x + 300), PAPER);
});

test("two fingers turn the ruler as a real one; it is there after a reload, and in a capture", async ({ browser }) => {
  const context = await browser.newContext({ hasTouch: true, viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  await startNow(page, server.base);
  await page.keyboard.press("r");
  const { scale, left, top } = await scaleOf(page);
  const middle = { x: left + 960 * scale, y: top + (540 + 54) * scale };
  const session = await context.newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number[][]} points */
  const touch = (type, ...points) =>
    session.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
  /** Where fingers are that lie 100 from the middle, turned by an angle. @param {number} degrees */
  const turned = (degrees) => {
    const [s, c] = [Math.sin((degrees * Math.PI) / 180), Math.cos((degrees * Math.PI) / 180)];
    return [
      [middle.x - 100 * c, middle.y - 100 * s],
      [middle.x + 100 * c, middle.y + 100 * s],
    ];
  };
  await touch("touchStart", turned(0)[0]);
  await touch("touchStart", ...turned(0));
  for (let degrees = -5; degrees >= -44; degrees -= 3) await touch("touchMove", ...turned(degrees));
  // Nearly 45 degrees is 45.
  await touch("touchMove", ...turned(-44));
  await touch("touchEnd");
  await expect(page.getByRole("spinbutton", { name: "Degrees above the horizontal, as a number" })).toHaveValue("45");
  const above = { x: middle.x + 150, y: middle.y - 150 };
  await seesOther(page, above, PAPER);
  await page.reload();
  await page.locator("body.ready").waitFor();
  await seesOther(page, above, PAPER);
  const file = await capture(page, { x: above.x - 60, y: above.y - 60 }, { x: above.x + 60, y: above.y + 60 });
  const { width, height } = decode(file);
  expect(apart(pixel(file, width >> 1, (height >> 1) + 20), PAPER)).toBeGreaterThan(4);
  // By number, at the keyboard.
  await page.locator("#row-ruler").click();
  const field = page.getByRole("spinbutton", { name: "Degrees above the horizontal, as a number" });
  await field.fill("90");
  await field.press("Enter");
  await sees(page, above, PAPER);
});

test("a scale is taken from a line; readings have their uncertainty, and stay on the picture when they are left", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.keyboard.press("m");
  const reads = page.locator("#measure-reads");
  // No scale from two points that are nearly one, nor from nothing.
  await page.mouse.click(300, 300);
  await page.mouse.click(302, 300);
  await page.locator("#scale-length").fill("2");
  await page.locator("#scale-unit").fill("nautical miles");
  await page.locator("#scale-take").click();
  await expect(page.locator("#says")).toContainText("Draw over a longer part");
  await page.locator("#measure-anew").click();
  await page.mouse.click(300, 300);
  await page.mouse.click(700, 300);
  await page.locator("#scale-length").fill("0");
  await page.locator("#scale-take").click();
  await expect(page.locator("#says")).toContainText("A length is a number above 0");
  await page.locator("#scale-length").fill("2");
  await page.locator("#scale-take").click();
  await expect(reads).toHaveText(/^2\.000\d? ± 0\.00\d+ M$/);
  await expect(page.locator("#says")).toBeHidden();
  // A right angle, and a triangle of 3, 4 and 5 hundred pixels: 2.5 miles round and 1.5 square miles.
  await page.locator("#measure-anew").click();
  await page.mouse.click(300, 200);
  await page.mouse.click(300, 500);
  await page.mouse.click(700, 500);
  await expect(reads).toHaveText(/^3\.50\d+ ± 0\.00\d+ M · (90\.0\d|89\.9\d) ± 0\.\d+°$/);
  await page.mouse.click(302, 203);
  await expect(reads).toHaveText(/^1\.50\d* ± 0\.0\d+ M² · 6\.00\d* ± 0\.0\d+ M$/);
  await seesOther(ines, await seenAt(page, ines, 500, 500), PAPER);
  await page.locator("#measure-leave").click();
  await expect(reads).toHaveText("Tap two places or more");
  await page.keyboard.press("Escape");
  // Its line is a mark now, on every screen, and undone with what was read, as one.
  await sees(page, { x: 500, y: 500 }, INK);
  await sees(ines, await seenAt(page, ines, 500, 500), INK);
  await page.keyboard.press("Control+z");
  await sees(page, { x: 500, y: 500 }, PAPER);
  // At the border of the picture it is whole, too.
  await page.keyboard.press("m");
  for (const [x, y] of [
    [1040, 560],
    [1220, 620],
    [1230, 20],
  ])
    await page.mouse.click(x, y);
  await page.locator("#measure-leave").click();
  await page.keyboard.press("Escape");
  await page.keyboard.press("s");
  await page.keyboard.press("Control+a");
  const chosen = await page.locator("#selection").boundingBox();
  const glass = await page.locator("#glass").boundingBox();
  if (!chosen || !glass) throw new Error("nothing is left");
  expect(chosen.x + chosen.width).toBeLessThan(glass.x + glass.width + 8);
  expect(chosen.y).toBeGreaterThan(glass.y - 8);
  await page.keyboard.press("Delete");
  // Shapes are measured in it, too.
  await page.keyboard.press("h");
  await page.mouse.move(300, 300);
  await page.mouse.down();
  for (const at of straight({ x: 300, y: 300 }, { x: 500, y: 300 }, 5)) await page.mouse.move(at.x, at.y);
  await expect(page.locator(".read-out")).toHaveText(/^1\.00\d* M · 0°$/);
  await page.mouse.up();
});

test("four corners of a known rectangle make lengths on its plane right, in spite of perspective", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("m");
  const reads = page.locator("#measure-reads");
  const corners = [
    [400, 250],
    [800, 250],
    [900, 500],
    [300, 500],
  ];
  const long = page.getByRole("spinbutton", { name: "How long that is in the world" });
  const wide = page.getByRole("spinbutton", { name: "How wide it is in the world" });
  /** @param {number[]} order */
  async function tap(...order) {
    for (const n of order) await page.mouse.click(corners[n][0], corners[n][1]);
  }
  // Crossed corners go round nothing.
  await tap(0, 2, 1, 3);
  await long.fill("297");
  await wide.fill("210");
  await page.locator("#scale-unit").fill("millimetres");
  await page.getByRole("button", { name: "Set plane" }).click();
  await expect(page.locator("#says")).toContainText("Tap the corners one after another round the rectangle");
  await page.locator("#measure-anew").click();
  await tap(0, 1, 2, 3);
  await page.getByRole("button", { name: "Set plane" }).click();
  // Three sides, without the fourth: 297 and 210 and 297.
  await expect(reads).toHaveText(/^80[34]\.\d ± \d\.\d mm$/);
  await page.locator("#measure-anew").click();
  // Across it, from corner to corner: Pythagoras has 363.74.
  await tap(0, 2);
  await expect(reads).toHaveText(/^36[34]\.\d+ ± \d\.\d+ mm$/);
  // A corner of it is a right angle, whatever it looks like.
  await page.locator("#measure-anew").click();
  await tap(3, 0, 1);
  await expect(reads).toHaveText(/ · (90\.\d+|89\.\d+) ± 0\.\d+°$/);
});

test("a protractor reads an angle and a bearing by its arm, and a pen draws along that", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("p");
  const { scale, left, top } = await scaleOf(page);
  const centre = { x: left + 960 * scale, y: top + (540 + 190) * scale };
  const out = (380 + 70) * scale;
  const at = (/** @type {number} */ degrees, r = out) => ({
    x: centre.x + r * Math.cos((degrees * Math.PI) / 180),
    y: centre.y - r * Math.sin((degrees * Math.PI) / 180),
  });
  await drag(page, straight(at(45), at(60)));
  const angle = page.getByRole("spinbutton", { name: "What the arm reads, as a number" });
  await expect(angle).toHaveValue("60");
  await page.locator("#protractor-bearing").click();
  await expect(angle).toHaveValue("30");
  const north = page.getByRole("spinbutton", { name: "Where the north is" });
  await north.fill("10");
  await north.press("Enter");
  await expect(angle).toHaveValue("20");
  await angle.fill("350");
  await angle.press("Enter");
  // 350 from a north that is turned by 10: straight up.
  await page.keyboard.press("d");
  const [from, to] = [at(90, 40), at(90, 150)];
  await drag(
    page,
    straight(from, to, 12).map((p, i) => ({ x: p.x + 4 * Math.sin(2 * i), y: p.y })),
  );
  await page.keyboard.press("Escape");
  await sees(page, at(90, 100), INK);
  await sees(page, { x: centre.x + 8, y: at(90, 100).y }, PAPER);
});

test("compasses carry a distance, and a pen is led round their circle", async ({ page, browser }) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.keyboard.press("o");
  const { scale, left, top } = await scaleOf(page);
  const needle = { x: left + 960 * scale, y: top + (540 + 130) * scale };
  const knob = (/** @type {number} */ radius) => ({ x: needle.x + (radius + 74) * scale, y: needle.y });
  await drag(page, straight(knob(260), knob(300)));
  await expect(page.getByRole("spinbutton", { name: "How far they are opened, as a number" })).toHaveValue(
    /^(299|300|301)/,
  );
  const radius = page.getByRole("spinbutton", { name: "How far they are opened, as a number" });
  await radius.fill("240");
  await radius.press("Enter");
  // Carried to another place, they stay as they are opened.
  const there = { x: needle.x - 150, y: needle.y - 120 };
  await drag(page, straight(needle, there));
  await expect(radius).toHaveValue("240");
  // Half a circle, by a hand that trembles.
  const at = (/** @type {number} */ degrees, /** @type {number} */ off = 0) => ({
    x: there.x + (240 * scale + off) * Math.cos((degrees * Math.PI) / 180),
    y: there.y + (240 * scale + off) * Math.sin((degrees * Math.PI) / 180),
  });
  await drag(
    page,
    Array.from({ length: 61 }, (_, i) => at(60 + 3 * i, 5 * Math.sin(i))),
  );
  await page.keyboard.press("Escape");
  for (const degrees of [75, 120, 180, 225]) {
    await sees(page, at(degrees), INK);
    const { x, y } = at(degrees);
    await sees(ines, await seenAt(page, ines, x, y), INK);
    await sees(page, at(degrees, 8), PAPER);
    await sees(page, at(degrees, -8), PAPER);
  }
  await sees(page, at(300), PAPER);
});
