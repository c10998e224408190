// @ts-check
// What a presenter does, as a test does it: real input, and pixels read from the screen.

import { readFileSync } from "node:fs";
import { expect } from "@playwright/test";
import { PNG } from "pngjs";

/** @import { Page, Browser } from "@playwright/test" */

/** @typedef {{ x: number, y: number }} Point */

/** Starts a lesson from the home page, in one click. @param {Page} page @param {string} base */
export async function startNow(page, base) {
  await page.goto(base);
  await page.getByRole("button", { name: "Start now" }).click();
  await ready(page);
  return Number(page.url().match(/lessons\/(\d+)/)?.[1]);
}

/** @param {Page} page */
export async function ready(page) {
  await page.locator("body.ready").waitFor();
  await page.locator("#backdrop-name", { hasNotText: "…" }).waitFor();
}

/** Esc twice, so shortly that all aids are put away, however slow the page is. @param {Page} page */
export const allAway = ({ keyboard }) => Promise.all([keyboard.press("Escape"), keyboard.press("Escape")]);

/** @param {Page} page @param {Point[]} points */
export async function drag(page, points) {
  await page.mouse.move(points[0].x, points[0].y);
  await page.mouse.down();
  for (const p of points.slice(1)) await page.mouse.move(p.x, p.y);
  await page.mouse.up();
}

/** @param {Point} from @param {Point} to @param {number} [steps] */
export function straight(from, to, steps = 20) {
  return Array.from({ length: steps + 1 }, (_, i) => ({
    x: from.x + ((to.x - from.x) * i) / steps,
    y: from.y + ((to.y - from.y) * i) / steps,
  }));
}

/**
 * The colour that a person sees at a place of the page, as [r, g, b].
 * @param {Page} page @param {number} x @param {number} y
 */
export async function colour(page, x, y) {
  const clip = { x: Math.round(x), y: Math.round(y), width: 1, height: 1 };
  return pixel(await page.screenshot({ clip, scale: "css" }), 0, 0);
}

/** How large the box is to be captured, in pixels. @param {Page} page */
export const boxSize = async (page) =>
  `${await page.locator("#box-width").inputValue()} × ${await page.locator("#box-height").inputValue()}`;

/** How far two colours are apart in the channel that differs most. @param {number[]} a @param {number[]} b */
export const apart = (a, b) => Math.max(...a.map((v, i) => Math.abs(v - b[i])));

/** A person sees a colour at a place, sooner or later. @param {Page} page @param {Point} at @param {number[]} wanted */
export const sees = (page, at, wanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), wanted), `${at.x}, ${at.y}`).toBeLessThan(12);

/** Where places of a picture of 1600 pixels across are that fills the stage. @param {Page} page */
export async function places(page) {
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no glass");
  return (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: glass.x + (x * glass.width) / 1600,
    y: glass.y + (y * glass.width) / 1600,
  });
}

/** A pixel of a PNG file. @param {Buffer} file @param {number} x @param {number} y */
export function pixel(file, x, y) {
  const { width, data } = decode(file);
  return [...data.subarray((y * width + x) * 4, (y * width + x) * 4 + 3)];
}

/** @param {Buffer} file @returns {{ width: number, height: number, data: Buffer }} */
export const decode = (file) => PNG.sync.read(file);

/**
 * How many pixels of a picture are nearer than `by` to a colour. A picture has millions, so none of them is copied.
 * @param {{ data: Buffer }} picture @param {number[]} colour @param {number} by
 */
export function alike({ data }, [r, g, b], by) {
  let number = 0;
  for (let i = 0; i < data.length; i += 4) {
    const off = Math.max(Math.abs(data[i] - r), Math.abs(data[i + 1] - g), Math.abs(data[i + 2] - b));
    if (off < by) number++;
  }
  return number;
}

/**
 * A picture that is painted in a page, as its browser writes it.
 * @template T
 * @param {Page} page @param {{ width: number, height: number }} size
 * @param {(context: OffscreenCanvasRenderingContext2D, given: T) => void} paint knows nothing but what it is given
 * @param {T} given @param {"image/png" | "image/jpeg"} [type]
 */
export async function painted(page, { width, height }, paint, given, type = "image/png") {
  /** @type {string} */
  const url = await page.evaluate(`(async () => {
    const canvas = new OffscreenCanvas(${width}, ${height});
    (${paint})(canvas.getContext("2d"), ${JSON.stringify(given)});
    const reader = new FileReader();
    reader.readAsDataURL(await canvas.convertToBlob({ type: "${type}" }));
    await new Promise((done) => (reader.onload = done));
    return reader.result;
  })()`);
  return Buffer.from(url.slice(url.indexOf(",") + 1), "base64");
}

/** Puts something of the running order's panel on stage. @param {Page} page @param {string} what */
export async function add(page, what) {
  await page.locator("#order").click();
  await page.locator(`[data-source="${what}"]`).click();
  await page.locator("#order-panel").waitFor({ state: "hidden" });
}

/** Takes the box between two corners and gives the file. @param {Page} page @param {Point} a @param {Point} b */
export async function capture(page, a, b) {
  await page.keyboard.press("c");
  // Exactly there, whatever edges are near.
  await page.keyboard.down("Alt");
  await drag(page, straight(a, b, 4));
  await page.keyboard.up("Alt");
  await page.keyboard.press("Enter");
  const proof = page.locator(".proof").first();
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    proof.getByRole("link", { name: "Download" }).click(),
  ]);
  await page.keyboard.press("Escape");
  // Whoever looks at the stage next sees it without the flash.
  await page.locator("#flash").evaluate((flash) => Promise.all(flash.getAnimations().map((a) => a.finished)));
  return readFileSync(await download.path());
}

/**
 * A browser that joins: `before` runs in its page before anything else, `cookies` it has already, a clock that is `held` can
 * be.
 * @param {Browser} browser @param {Page} stage @param {string} name
 * @param {{ before?: () => void, held?: boolean, ignoreHTTPSErrors?: boolean,
 *   viewport?: { width: number, height: number }, hasTouch?: boolean,
 *   cookies?: Parameters<import("@playwright/test").BrowserContext["addCookies"]>[0] }} [more]
 */
export async function follow(
  browser,
  stage,
  name,
  { before, held, ignoreHTTPSErrors, viewport = { width: 1280, height: 900 }, hasTouch, cookies = [] } = {},
) {
  const code = (await stage.locator(".join-code").textContent()) ?? "";
  const context = await browser.newContext({ viewport, hasTouch, ignoreHTTPSErrors });
  await context.addCookies(cookies);
  const page = await context.newPage();
  if (before) await page.addInitScript(before);
  if (held) await page.clock.install();
  await page.goto(`${new URL(stage.url()).origin}/join`);
  await page.getByLabel("Code").fill(code.toLowerCase());
  await page.getByLabel("Your name").fill(name);
  await page.getByRole("button", { name: "Join" }).click();
  await page.waitForURL(/follow/);
  await page.locator("#line").waitFor({ state: "hidden" });
  return page;
}

/** Where a place of the stage's picture is on a follower's page.
 * @param {Page} stage @param {Page} page @param {number} x @param {number} y */
export async function seenAt(stage, page, x, y) {
  const glass = await stage.locator("#glass").boundingBox();
  const mount = await page.locator("#mount").boundingBox();
  if (!glass || !mount) throw new Error("nothing to see");
  const width = Math.floor(Math.min(mount.width, (mount.height * 16) / 9));
  const left = mount.x + (mount.width - width) / 2;
  const top = mount.y + (mount.height - (width * 9) / 16) / 2;
  return { x: left + ((x - glass.x) / glass.width) * width, y: top + ((y - glass.y) / glass.width) * width };
}

/** How many changes the page holds that the server has not acknowledged.
 * @param {Page} page @returns {Promise<number>} */
export function unacknowledged(page) {
  return page.evaluate(
    () =>
      new Promise((resolve) => {
        const request = indexedDB.open("bozzetto", 1);
        request.onsuccess = () => {
          const count = request.result.transaction("unacknowledged").objectStore("unacknowledged").count();
          count.onsuccess = () => resolve(count.result);
        };
      }),
  );
}
