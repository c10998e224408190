// @ts-check
// A lesson is shown again from its log: compared with what was on stage, and handed out.

import AxeBuilder from "@axe-core/playwright";
import { COARSE, HEARING, lasts, record, stop } from "../film.js";
import { Server } from "../server.js";
import { add, colour, decode, drag, follow, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: HEARING });

/** @typedef {ReturnType<typeof decode>} Picture */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

/** By so much two pictures differ that are not of the same: less than a line of ink. */
const LEAST = 0.0008;

/** Another board comes on stage. @param {import("@playwright/test").Page} page @param {number} lesson */
async function board(page, lesson) {
  const headers = { origin: server.base };
  await page.request.post(`${server.base}/lessons/${lesson}/boards`, { form: { ruling: "ruled" }, headers });
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
}

/**
 * The share of pixels of either of two pictures of the same size that the other one has not, nor beside it: a layout may lie
 * by a part of a pixel elsewhere.
 * @param {Picture} a @param {Picture} b
 */
function differs(a, b) {
  expect([a.width, a.height]).toEqual([b.width, b.height]);
  const { width, height } = a;
  const lacks = (/** @type {Picture} */ one, /** @type {Picture} */ other) => {
    let count = 0;
    for (let y = 1; y < height - 1; y++) {
      for (let x = 1; x < width - 1; x++) {
        const i = (y * width + x) * 4;
        const near = (/** @type {number} */ j) =>
          [0, 1, 2].every((c) => Math.abs(one.data[i + c] - other.data[j + c]) < 60);
        const around = [0, 1, -1, width, -width, width + 1, width - 1, -width + 1, -width - 1];
        if (!around.some((step) => near(i + step * 4))) count++;
      }
    }
    return count;
  };
  return Math.max(lacks(a, b), lacks(b, a)) / (width * height);
}

test("it shows at twenty moments what was on stage, is played, sought, searched, and goes to the moment of a mark", async ({
  page,
  browser,
}) => {
  const lesson = await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 900, height: 700 } });
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  const on = (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: box.x + x * box.width,
    y: box.y + y * box.height,
  });
  /** What participants saw, and when. @type {{ when: number, png: Picture }[]} */
  const seen = [{ when: await page.evaluate(() => Date.now()), png: await inPicture(phone) }];
  const look = async () => {
    // What was done has come to the participant, and is drawn there.
    let png = seen[seen.length - 1].png;
    await expect
      .poll(async () => differs(seen[seen.length - 1].png, (png = await inPicture(phone))))
      .toBeGreaterThan(LEAST);
    await expect.poll(async () => differs(png, (png = await inPicture(phone)))).toBe(0);
    seen.push({ when: await page.evaluate(() => Date.now()), png });
  };
  for (let n = 0; n < 9; n++) {
    await drag(page, straight(on(0.15, 0.1 + n * 0.08), on(0.55, 0.12 + n * 0.08), 6));
    await look();
  }
  await board(page, lesson);
  await look();
  for (let n = 0; n < 8; n++) {
    await drag(page, straight(on(0.1 + n * 0.08, 0.2), on(0.12 + n * 0.08, 0.8), 6));
    await look();
  }
  await page.keyboard.press("Control+z");
  await look();
  // What is drawn while the lesson is paused is not seen.
  await page.evaluate(() => /** @type {HTMLElement} */ (document.getElementById("pause")).click());
  await expect(phone.locator("#paused")).toBeVisible();
  await drag(page, straight(on(0.1, 0.5), on(0.9, 0.5), 6));
  seen.push({ when: await page.evaluate(() => Date.now()), png: seen[seen.length - 1].png });

  // As large as it was seen.
  await page.setViewportSize({ width: 900, height: 700 });
  await page.goto(`${server.base}/lessons/${lesson}/replay`);
  await page.locator("#mount.ready").waitFor();
  for (const [n, { when, png }] of seen.entries()) {
    await page.evaluate((at) => {
      location.hash = `#at=${at}`;
    }, when);
    await page.reload();
    await page.locator("#mount.ready").waitFor();
    await expect.poll(async () => differs(await inPicture(page), png), `moment ${n}`).toBeLessThan(LEAST / 2);
  }
  expect(seen.length).toBeGreaterThanOrEqual(20);

  // Chapters, words, and the moment of a mark.
  await expect(page.locator("#chapters .chapter")).toHaveCount(2);
  await page.locator("#words").fill("boa");
  await expect(page.locator("#found .chapter").first()).toContainText("Board");
  await page.locator("#chapters .chapter").nth(1).click();
  await expect(page.locator("#pause")).toBeVisible();
  await page.locator("#pause").click();
  await expect(page.locator("#chapters .chapter").nth(1)).toHaveAttribute("aria-current", "true");
  const far = Number(await page.locator("#at").getAttribute("max"));
  await page.locator("#at").fill(`${far}`);
  const last = await place(page, 0.11 + 0.08 * 3, 0.5);
  await page.mouse.click(last.x, last.y);
  await page.locator("#pause").click();
  expect(Number(await page.locator("#at").inputValue())).toBeLessThan(far - 2);
  // Played at four times the speed, it comes to its end, and gaps are skipped.
  await page.locator("#speed").selectOption("4");
  await page.locator("#skip").check();
  expect(Number(await page.locator("#at").getAttribute("max"))).toBeLessThanOrEqual(far);
  await page.locator("#at").fill("0");
  await page.locator("#play").click();
  await expect(page.locator("#play")).toBeVisible();
  expect(Number(await page.locator("#at").inputValue())).toBeGreaterThan(5);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
});

/** Where a place of the picture is on a page. @param {import("@playwright/test").Page} page @param {number} x @param {number} y */
async function place(page, x, y) {
  const area = await page.evaluate(() => {
    const [width, height] = [16, 9];
    const {
      left,
      top,
      width: w,
      height: h,
    } = /** @type {HTMLElement} */ (document.getElementById("mount")).getBoundingClientRect();
    const by = Math.min(w / width, h / height);
    return {
      left: left + (w - width * by) / 2,
      top: top + (h - height * by) / 2,
      width: width * by,
      height: height * by,
    };
  });
  return { x: area.left + x * area.width, y: area.top + y * area.height };
}

/** What is seen of the picture on the replay's page. @param {import("@playwright/test").Page} page */
async function inPicture(page) {
  const [a, b] = [await place(page, 0, 0), await place(page, 1, 1)];
  return decode(await page.screenshot({ clip: { x: a.x, y: a.y, width: b.x - a.x, height: b.y - a.y }, scale: "css" }));
}

/** How dark it is at the most about a place of the picture. @param {import("@playwright/test").Page} page @param {number} x @param {number} y */
async function darkest(page, x, y) {
  const at = await place(page, x, y);
  const clip = { x: Math.round(at.x), y: Math.round(at.y) - 4, width: 1, height: 9 };
  const { data } = decode(await page.screenshot({ clip, scale: "css" }));
  return Math.min(...data.filter((_, i) => i % 4 === 0));
}

test("participants have of it what was handed out, with the sound of its recording in step", async ({
  page,
  browser,
}) => {
  const lesson = await startNow(page, server.base);
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  const on = (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: box.x + x * box.width,
    y: box.y + y * box.height,
  });
  await record(page, { codec: "vp9", ...COARSE });
  await lasts(page, 2);
  await drag(page, straight(on(0.2, 0.3), on(0.6, 0.3)));
  await lasts(page, 5);
  await board(page, lesson);
  await drag(page, straight(on(0.2, 0.6), on(0.6, 0.6)));
  await lasts(page, 8);
  await stop(page);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await page.goto(`${server.base}/lessons/${lesson}/replay`);
  await page.locator("#mount.ready").waitFor();
  await page.locator("#hand-out summary").click();
  await page.locator("[data-chapter]").nth(1).uncheck();
  await page.getByLabel("With the sound of recordings").check();
  await page.locator("#hand-out").getByRole("button", { name: "Hand out" }).click();

  const [replay] = await Promise.all([
    phone.context().waitForEvent("page"),
    phone.locator("#files-and-links a").click(),
  ]);
  await replay.locator("#mount.ready").waitFor();
  await expect(replay.locator("#chapters .chapter")).toHaveCount(1);
  const seconds = Number(await replay.locator("#at").getAttribute("max"));
  await replay.locator("#play").click();
  // It is heard, and the film is where the lesson is.
  await expect
    .poll(() => replay.locator("#film").evaluate((v) => /** @type {HTMLVideoElement} */ (v).currentTime))
    .toBeGreaterThan(4.2);
  // To the end of what was handed out.
  await expect(replay.locator("#play")).toBeVisible();
  await expect.poll(() => darkest(replay, 0.4, 0.3)).toBeLessThan(90);
  // The second board was not handed out, nor was anything else of it.
  await replay.locator("#at").fill(`${seconds}`);
  expect(await darkest(replay, 0.4, 0.6)).toBeGreaterThan(150);
  const lived = await replay.request.get(`${replay.url()}/lived`);
  const all = await page.request.get(`${server.base}/lessons/${lesson}/replay/lived`);
  expect((await lived.body()).length).toBeLessThan((await all.body()).length);
  expect((await new AxeBuilder({ page: replay }).analyze()).violations).toEqual([]);
});

test("what streamed is shown as a capture kept it, and the capture leads to how it came", async ({ page }) => {
  const lesson = await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  await expect(page.locator(".pane:not(.away) video")).toBeVisible();
  // Chromium's camera shows green.
  const isGreen = async (/** @type {import("@playwright/test").Page} */ on, /** @type {string} */ id) => {
    const box = await on.locator(id).boundingBox();
    if (!box) throw new Error("no picture");
    const [r, g, b] = await colour(on, box.x + box.width * 0.5, box.y + box.height * 0.85);
    return g - Math.max(r, b) > 40;
  };
  await expect.poll(() => isGreen(page, "#picture")).toBe(true);
  await page.keyboard.press("v");
  await expect(page.locator(".proof img")).toBeVisible();
  await page.goto(`${server.base}/lessons/${lesson}/captures`);
  await page.locator(".capture .large, .capture img").first().click();
  await page.getByRole("link", { name: "How it came" }).click();
  await page.locator("#mount.ready").waitFor();
  await expect.poll(() => isGreen(page, "#picture")).toBe(true);
  // At the moment at which it was taken, which is a chapter of its own.
  await expect(page.locator("#chapters .chapter").last()).toHaveAttribute("aria-current", "true");
  await expect(page.locator("#moved")).toBeHidden();
});
