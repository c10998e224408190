// @ts-check
// The cover: what lies beneath it is seen by nobody but the presenter, on whatever way it could get out.

import { join } from "node:path";
import { judged, linesFound, printed } from "../pages_of_lines.js";
import { root, Server } from "../server.js";
import {
  add,
  apart,
  capture,
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

/** @import { Browser, Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const COVER = [59, 70, 81];
/** Lines of the page that is put on stage. */
const LINES = [
  "What the chart says",
  "1  The light is white",
  "2  It turns red inshore",
  "3  Keep south of it",
  "4  Anchor here",
];

/**
 * A page of text on a coloured ground, as a picture, and where each line is.
 * @param {Browser} browser
 */
async function pageOfText(browser) {
  const page = await browser.newPage({ viewport: { width: 1600, height: 900 } });
  const lines = LINES.map((words) => `<div><span>${words}</span></div>`).join("");
  await page.setContent(`<body style="margin:0;padding:60px;font:64px/150px sans-serif;background:#ffe9b0">${lines}`);
  const rects = await page.locator("span").evaluateAll((all) => all.map((one) => one.getBoundingClientRect().toJSON()));
  const file = await page.screenshot();
  await page.close();
  return { file, rects };
}
const GROUND = [255, 233, 176];

test("line by line it uncovers what nobody could get before, on no way", async ({ page, browser }) => {
  const { file, rects } = await pageOfText(browser);
  const lesson = await startNow(page, server.base);
  await page.locator("#picture-file").setInputFiles({ name: "Page.png", mimeType: "image/png", buffer: file });
  const at = await places(page);
  await sees(page, at(20, 20), GROUND);
  // A mark beneath, and then all is covered.
  await page.keyboard.press("1");
  await drag(page, straight(at(900, rects[3].y + 60), at(1400, rects[3].y + 60)));
  await page.keyboard.press("u");
  await expect(page.locator("#cover-says")).toHaveText("5 of 5 lines covered");
  await sees(page, at(800, 500), COVER);

  // Whoever comes gets neither the picture nor the mark.
  const ines = await follow(browser, page, "Ines");
  const seen = async (/** @type {number} */ x, /** @type {number} */ y) => {
    const p = at(x, y);
    return seenAt(page, ines, p.x, p.y);
  };
  await sees(ines, await seen(800, 500), COVER);
  const id = await ines.locator("#beneath [data-backdrop]").getAttribute("data-backdrop");
  const address = `${server.base}/follow/${lesson}/backdrops/${id}/picture`;
  expect((await ines.request.get(address)).status()).toBe(404);
  const cut = async () => {
    const src = await ines.locator("#beneath img").getAttribute("src");
    return Buffer.from(await (await ines.request.get(`${server.base}${src}`)).body());
  };
  /** The last row of the picture in which something else than the cover is to be seen. @param {Buffer} picture */
  const open = (picture) => {
    const { width, height, data } = decode(picture);
    const isOpen = (/** @type {number} */ y) =>
      apart([...data.subarray((y * width + 30) * 4, (y * width + 30) * 4 + 3)], COVER) > 6;
    return Array.from({ length: height }, (_, y) => y).findLastIndex(isOpen);
  };
  expect(open(await cut())).toBe(-1);
  // Uncovered where the next line begins, and not before.
  for (const n of [0, 1, 2]) {
    await page.keyboard.press("u");
    await expect(page.locator("#cover-says")).toHaveText(`${4 - n} of 5 lines covered`);
    await sees(ines, await seen(20, rects[n].y + 10), GROUND);
    const shown = open(await cut());
    expect(shown).toBeGreaterThan(rects[n].bottom - 75);
    expect(shown).toBeLessThan(rects[n + 1].top + 75);
  }
  // The mark beneath is nowhere on their page until it is uncovered; what is drawn beside the cover comes at once.
  await drag(page, straight(at(1200, 100), at(1400, 100)));
  await sees(ines, await seen(1300, 100), [0, 0, 0]);
  await sees(ines, await seen(1150, rects[3].y + 60), COVER);
  // It is in no capture, and on the stage after a reload.
  const taken = await capture(page, at(10, 10), at(1590, 890));
  expect(apart(pixel(taken, 1140, Math.round(rects[3].y + 50)), COVER)).toBeLessThan(6);
  await page.reload();
  await sees(page, at(800, rects[3].y + 60), COVER);
  await sees(page, at(20, rects[1].y), GROUND);
  await page.keyboard.press("u");
  await sees(ines, await seen(1150, rects[3].y + 60), [0, 0, 0]);
  await page.keyboard.press("u");
  await expect(page.locator("#row-cover")).toBeHidden();
  await sees(ines, await seen(20, 850), GROUND);
  await expect.poll(async () => (await ines.request.get(address)).status()).toBe(200);
});

test("an edge is pulled by any tool; a film is covered whole for those who follow", async ({ page, browser }) => {
  const { file } = await pageOfText(browser);
  await startNow(page, server.base);
  await page.locator("#picture-file").setInputFiles({ name: "Page.png", mimeType: "image/png", buffer: file });
  const at = await places(page);
  await sees(page, at(20, 20), GROUND);
  const ines = await follow(browser, page, "Ines");
  await page.keyboard.press("u");
  // With a pen, from the right and from below; nothing is drawn.
  await drag(page, straight(at(1580, 400), at(1000, 400)));
  await sees(page, at(1200, 400), GROUND);
  await drag(page, straight(at(500, 890), at(500, 600)));
  await sees(page, at(500, 700), GROUND);
  await sees(page, at(500, 400), COVER);
  const p = at(1200, 400);
  await sees(ines, await seenAt(page, ines, p.x, p.y), GROUND);
  expect(await page.locator("#undo").isDisabled()).toBe(true);
  // Pulled off it is put away.
  await drag(page, straight(at(995, 300), at(2, 300)));
  await expect(page.locator("#row-cover")).toBeHidden();
  await sees(page, at(500, 400), GROUND);

  // A film is played by each browser itself: nobody gets it while some of it is covered.
  await page.locator("#picture-file").setInputFiles(join(root, "demo/Vessel at the buoys.webm"));
  const film = ines.locator("#beneath video");
  await expect(film).toBeVisible();
  const address = await film.evaluate((v) => /** @type {HTMLVideoElement} */ (v).src);
  await page.keyboard.press("u");
  await expect(page.locator("#cover-says")).toHaveText("Participants see nothing of the film");
  await drag(page, straight(at(500, 880), at(500, 300)));
  await expect(film).toHaveCount(0);
  await sees(ines, await seenAt(page, ines, 640, 600), COVER);
  expect((await ines.request.get(address)).status()).toBe(404);
  await page.keyboard.press("Escape");
  await expect(film).toBeVisible();
});

test("of a camera only what is not covered is sent", async ({ page, browser }) => {
  await startNow(page, server.base);
  await add(page, "bench");
  await page.locator(".pane-call button").click();
  const ines = await follow(browser, page, "Ines");
  const old = await follow(browser, page, "Tomasz", {
    before: () => {
      delete (/** @type {any} */ (window).VideoDecoder);
    },
  });
  /** How far a row of what has been sent is from the cover, where it is farthest. @param {Page} who @param {number} y */
  const sent = (who, y) =>
    who.locator("#beneath canvas").evaluate(
      (canvas, { y, cover }) => {
        const { width, height } = /** @type {HTMLCanvasElement} */ (canvas);
        const copy = new OffscreenCanvas(width, height).getContext("2d");
        copy?.drawImage(/** @type {HTMLCanvasElement} */ (canvas), 0, 0);
        const row = copy?.getImageData(0, height * y, width, 1).data ?? [];
        return Math.max(...[...row].map((v, i) => (i % 4 === 3 ? 0 : Math.abs(v - cover[i % 4]))));
      },
      { y, cover: COVER },
    );
  for (const who of [ines, old]) await expect.poll(() => sent(who, 0.75)).toBeGreaterThan(40);
  await page.keyboard.press("u");
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no glass");
  const middle = { x: glass.x + glass.width / 2, y: glass.y + glass.height / 2 };
  await drag(page, straight({ x: middle.x, y: glass.y + 5 }, middle));
  for (const who of [ines, old]) {
    await expect.poll(() => sent(who, 0.75)).toBeLessThan(12);
    await expect.poll(() => sent(who, 0.25)).toBeGreaterThan(40);
  }
  // Held, the picture is a file: without what is covered, too.
  await page.keyboard.press("f");
  const held = ines.locator("#beneath img");
  await expect(held).toBeVisible();
  const src = await held.evaluate((image) => /** @type {HTMLImageElement} */ (image).src);
  const file = decode(await (await ines.request.get(src)).body());
  const row = (/** @type {number} */ y) => {
    const from = Math.round(y * file.height) * file.width * 4;
    const row = [...file.data.subarray(from, from + file.width * 4)];
    return Math.max(...row.map((v, i) => (i % 4 === 3 ? 0 : Math.abs(v - COVER[i % 4]))));
  };
  expect(row(0.75)).toBeLessThan(6);
  expect(row(0.25)).toBeGreaterThan(40);
  expect((await ines.request.get(src.split("?")[0])).status()).toBe(404);
});

test("on pages of text and tables every line is found, and none is cut through", async ({ page, browser }) => {
  const paper = await browser.newPage({ viewport: { width: 1920, height: 1080 } });
  await startNow(page, server.base);
  // Three of text and three tables; the bench has forty.
  for (const n of [1, 2, 5, 7, 13, 17]) {
    const print = await printed(paper, n);
    const { lines, found, cut } = judged(print, (await linesFound(page, print.png)).bands);
    expect({ n, missed: lines - found, cut }).toEqual({ n, missed: 0, cut: 0 });
  }
  await paper.close();
});
