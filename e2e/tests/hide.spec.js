// @ts-check
// Hidden parts of what is on stage: the presenter sees them faintly, and nobody else, on whatever way they could get out.

import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { Server } from "../server.js";
import {
  add,
  apart,
  capture,
  colour,
  decode,
  drag,
  follow,
  pixel,
  places,
  seenAt,
  sees,
  startNow,
  straight,
} from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start();
});
test.afterEach(async () => {
  await server.stop();
});

const COVER = [59, 70, 81];
const SECRET = [255, 0, 200];

/** A picture with something secret from (400, 300) to (800, 500). @param {import("@playwright/test").Browser} browser */
async function secret(browser) {
  const page = await browser.newPage({ viewport: { width: 1600, height: 900 } });
  await page.setContent(`<body style="margin:0;background:#ffe9b0"><div
    style="position:absolute;left:400px;top:300px;width:400px;height:200px;background:rgb(${SECRET})">`);
  const buffer = await page.screenshot();
  await page.close();
  return { name: "Page.png", mimeType: "image/png", buffer };
}

test("a hidden part is seen by the presenter alone, and goes along with the picture", async ({ page, browser }) => {
  const lesson = await startNow(page, server.base);
  await page.locator("#picture-file").setInputFiles(await secret(browser));
  const at = await places(page);
  await sees(page, at(600, 400), SECRET);
  const ines = await follow(browser, page, "Ines");
  const theirs = (/** @type {number} */ x, /** @type {number} */ y) => seenAt(page, ines, at(x, y).x, at(x, y).y);
  await sees(ines, await theirs(600, 400), SECRET);
  // While it is set they keep what they saw, also of what is drawn and undone meanwhile.
  await page.keyboard.press("Shift+U");
  await expect(page.locator("#hide-says")).toContainText("Drag over");
  await expect(ines.locator("#paused")).toBeVisible();
  await drag(page, straight(at(380, 280), at(700, 480)));
  await expect(page.locator("#hide-says")).toHaveText("One part is hidden");
  await drag(page, straight(at(700, 480), at(820, 520)));
  await sees(ines, await theirs(790, 480), SECRET);
  await page.locator("#hide-done").click();
  await expect(ines.locator("#paused")).toBeHidden();
  await sees(ines, await theirs(600, 400), COVER);
  await sees(ines, await theirs(790, 480), COVER);
  // The presenter sees what is beneath, faintly.
  const faint = await colour(page, at(600, 400).x, at(600, 400).y);
  expect(apart(faint, SECRET)).toBeGreaterThan(60);
  expect(apart(faint, COVER)).toBeGreaterThan(25);

  // The file that they get has nothing of it, and the whole one they do not get.
  const shown = ines.locator("#beneath img");
  await expect(shown).toHaveAttribute("src", /cover=/);
  const src = await shown.evaluate((image) => /** @type {HTMLImageElement} */ (image).src);
  const file = Buffer.from(await (await ines.request.get(src)).body());
  expect(apart(pixel(file, 410, 310), COVER)).toBeLessThan(6);
  const { data } = decode(file);
  const apartFrom = (/** @type {number} */ i) => apart([data[i], data[i + 1], data[i + 2]], SECRET);
  expect(Array.from({ length: data.length / 4 }, (_, i) => i * 4).filter((i) => apartFrom(i) < 60)).toEqual([]);
  expect((await ines.request.get(src.split("?")[0])).status()).toBe(404);
  // Nor has a capture, whole or in part, and on the bench neither.
  const taken = await capture(page, at(10, 10), at(1590, 890));
  expect(apart(pixel(taken, 590, 390), COVER)).toBeLessThan(6);
  const card = await page.request.get(`${server.base}/lessons/${lesson}/captures`);
  const id = (await card.text()).match(/captures\/(\d+)\/bench/)?.[1];
  const whole = await page.request.get(`${server.base}/lessons/${lesson}/captures/${id}/bench/whole.png`);
  const pixels = decode(Buffer.from(await whole.body()));
  const [px, py] = [Math.round(pixels.width * 0.375), Math.round(pixels.height * (400 / 900))];
  expect(
    apart([...pixels.data.subarray((py * pixels.width + px) * 4, (py * pixels.width + px) * 4 + 3)], COVER),
  ).toBeLessThan(6);

  // As lines over a picture it would have what is beneath: it is the picture.
  const sent = await page.request.get(`${server.base}/lessons/${lesson}/captures/${id}/send?format=svg`);
  const embedded = [...(await sent.text()).matchAll(/base64,([^"]*)"/g)].map(([, data]) => Buffer.from(data, "base64"));
  expect(embedded).toHaveLength(1);
  expect(apart(pixel(embedded[0], 590, 390), COVER)).toBeLessThan(6);

  // It moves with the picture, and is there after a reload.
  await page.keyboard.press("Escape");
  await page.keyboard.down("Space");
  await page.mouse.move(at(600, 400).x, at(600, 400).y);
  await page.mouse.wheel(0, -400);
  await page.keyboard.up("Space");
  await expect(page.locator("#whole")).toBeVisible();
  await sees(ines, await theirs(600, 400), COVER);
  await sees(ines, await theirs(390, 400), COVER);
  await page.reload();
  await expect(page.locator("#row-hide")).toBeVisible();
  // Esc puts away what is in use, and shows nothing that is hidden.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await expect(page.locator("#row-hide")).toBeVisible();
  await page.locator("#row-hide").click();
  await page.locator("#hide-show").click();
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await sees(ines, await theirs(600, 400), SECRET);
});

test("without a mouse: a part is hidden by the crosshair, and by a finger; its cross shows it", async ({ browser }) => {
  const context = await browser.newContext({ hasTouch: true, viewport: { width: 1280, height: 852 } });
  const page = await context.newPage();
  await startNow(page, server.base);
  await page.locator("#picture-file").setInputFiles(await secret(browser));
  const at = await places(page);
  await sees(page, at(600, 400), SECRET);
  await page.keyboard.press("Shift+U");
  for (const key of ["ArrowLeft", "Enter", "ArrowLeft", "ArrowLeft", "ArrowUp", "ArrowUp", "ArrowUp", "Enter"])
    await page.keyboard.press(key);
  await expect(page.locator("#hide-says")).toHaveText("One part is hidden");
  const client = await context.newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {{ x: number, y: number }[]} touchPoints */
  const touch = (type, touchPoints) => client.send("Input.dispatchTouchEvent", { type, touchPoints });
  await touch("touchStart", [at(100, 100)]);
  for (const p of straight(at(100, 100), at(300, 250))) await touch("touchMove", [p]);
  await touch("touchEnd", []);
  await expect(page.locator("#hide-says")).toHaveText("2 parts are hidden");
  await page.touchscreen.tap(at(300, 100).x, at(300, 100).y);
  await expect(page.locator("#hide-says")).toHaveText("One part is hidden");
  // Taking another tool is being done with it.
  await page.keyboard.press("d");
  await expect(page.locator("#hide-set")).toBeHidden();
  await expect(page.locator("#people")).toHaveAttribute("title", /Who is here/);
});

test("of a camera what is hidden leaves the presenter's page in no picture", async ({ page, browser }) => {
  const lesson = await startNow(page, server.base);
  await add(page, "bench");
  await page.locator(".pane-call button").click();
  const ines = await follow(browser, page, "Ines");
  const old = await follow(browser, page, "Tomasz", {
    before: () => {
      delete (/** @type {any} */ (window).VideoDecoder);
    },
  });
  /** How far what has been sent is from one colour, where it is farthest, within 30 % round its middle; or about.
   * @param {Page} who @param {number} from @param {number} to */
  const sent = (who, from, to) =>
    who.locator("#beneath canvas").evaluate(
      (canvas, { from, to, cover }) => {
        const { width, height } = /** @type {HTMLCanvasElement} */ (canvas);
        const copy = new OffscreenCanvas(width, height).getContext("2d");
        copy?.drawImage(/** @type {HTMLCanvasElement} */ (canvas), 0, 0);
        const [x, w, y, h] = [width * from, width * (to - from), height * from, height * (to - from)];
        const part = copy?.getImageData(x, y, w, h).data ?? new Uint8ClampedArray();
        return part.reduce((far, v, i) => (i % 4 === 3 ? far : Math.max(far, Math.abs(v - cover[i % 4]))), 0);
      },
      { from, to, cover: COVER },
    );
  for (const who of [ines, old]) await expect.poll(() => sent(who, 0.4, 0.6)).toBeGreaterThan(40);
  const at = await places(page);
  await page.keyboard.press("Shift+U");
  await drag(page, straight(at(560, 315), at(1040, 585)));
  await page.keyboard.press("Shift+U");
  for (const who of [ines, old]) {
    await expect.poll(() => sent(who, 0.4, 0.6)).toBeLessThan(12);
    await expect.poll(() => sent(who, 0.1, 0.3)).toBeGreaterThan(40);
  }
  // A capture of it, and all that the server keeps then.
  await page.keyboard.press("v");
  await expect(page.locator(".proof img")).toBeVisible();
  await page.goto(`${server.base}/lessons/${lesson}/captures`);
  await expect(page.locator(".capture")).toHaveCount(1);
  const media = join(server.data, "media");
  const files = readdirSync(media, { recursive: true, withFileTypes: true }).filter((f) => f.isFile());
  const pictures = files
    .map((f) => readFileSync(join(f.parentPath, f.name)))
    .filter((f) => f.subarray(1, 4).equals(Buffer.from("PNG")));
  expect(pictures.length).toBeGreaterThan(2);
  for (const picture of pictures) {
    const { width, height } = decode(picture);
    for (const [x, y] of [
      [0.5, 0.5],
      [0.42, 0.42],
      [0.57, 0.45],
    ])
      expect(apart(pixel(picture, Math.round(width * x), Math.round(height * y)), COVER)).toBeLessThan(6);
  }
  // Frozen, the whole of it is the presenter's, who goes on seeing it; participants get it without.
  await page.goto(`${server.base}/lessons/${lesson}/stage`);
  await page.locator("body.ready").waitFor();
  await page.locator(".pane-call button").click();
  await expect.poll(() => sent(ines, 0.1, 0.3)).toBeGreaterThan(40);
  await page.keyboard.press("f");
  await expect(page.locator("body.frozen")).toBeVisible();
  const still = ines.locator("#beneath img");
  await expect(still).toBeVisible();
  const address = new URL((await still.getAttribute("src")) ?? "", server.base);
  const theirs = await (await ines.request.get(address.href)).body();
  const { width, height } = decode(theirs);
  expect(apart(pixel(theirs, width / 2, height / 2), COVER)).toBeLessThan(6);
  address.search = "";
  expect((await ines.request.get(address.href)).status()).toBe(404);
});
