// @ts-check
// A camera that Chromium simulates: started, set, turned, remembered; stills for who cannot decode.

import { expect, test } from "@playwright/test";
import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, apart, colour, decode, drag, follow, ready, seenAt, startNow, straight } from "../stage.js";

test.use({ launchOptions: { executablePath, args: [...args, "--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream"] } });

/** @type {Server} */
let server;
test.beforeAll(async () => { server = await Server.start(); });
test.afterAll(async () => { await server.stop(); });

const VERMILION = [213, 94, 0];

test("a camera is started, turned, mirrored and set; it comes back as it was; followers who cannot decode get stills", async ({ page, browser }) => {
  await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  const video = page.locator(".pane:not(.away) video");
  await expect(video).toBeVisible();
  const size = () => video.evaluate((v) => [/** @type {HTMLVideoElement} */ (v).videoWidth, /** @type {HTMLVideoElement} */ (v).videoHeight]);
  await expect.poll(async () => (await size())[0]).toBeGreaterThan(600);
  // A participant whose browser has no WebCodecs, as on a plain address of another machine.
  const old = await follow(browser, page, "Tomasz", () => { delete (/** @type {any} */ (window).VideoDecoder); });
  const still = old.locator(".pane canvas");
  await expect(still).toBeVisible();
  const first = await still.getAttribute("data-taken");
  await expect.poll(() => still.getAttribute("data-taken")).not.toBe(first);

  // Marks stay where they are on the picture when the resolution changes.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 400, y: 300 }, { x: 700, y: 300 }));
  await page.locator("#camera-key").click();
  await page.locator("#camera-height").selectOption("480");
  await expect.poll(async () => (await size())[1]).toBe(480);
  // 640 by 480 is narrower than what was there; the mark keeps its share of the width.
  await page.locator("#camera-height").selectOption("720");
  await expect.poll(async () => (await size())[1]).toBe(720);
  await page.keyboard.press("Escape");
  await expect.poll(async () => apart(await colour(page, 550, 300), VERMILION)).toBeLessThan(8);
  await page.locator("#camera-key").click();
  await page.locator("#camera-turn").click();
  const upright = await video.boundingBox();
  expect((upright?.height ?? 0) > (upright?.width ?? 0)).toBe(true);
  await page.locator("#camera-turn").click();
  await page.locator("#camera-turn").click();
  await page.locator("#camera-turn").click();
  await page.locator("#camera-mirror").click();
  await expect(video).toHaveCSS("transform", /matrix\(-1/);
  // It is remembered: started again, it is mirrored as before.
  await page.reload();
  await ready(page);
  await page.locator(".pane-call button").click();
  await expect(page.locator(".pane:not(.away) video")).toHaveCSS("transform", /matrix\(-1/);
});

test("who does not know the codec of a stream gets stills", async ({ page, browser }) => {
  await startNow(page, server.base);
  await add(page, "bench");
  await page.locator(".pane-call button").click();
  const phone = await follow(browser, page, "Noor", () => {
    // A browser that decodes videos, but not this one.
    Object.assign(window, { VideoDecoder: class {
      static async isConfigSupported() { return { supported: false }; }
      constructor(/** @type {any} */ { error }) { this.error = error; this.state = "unconfigured"; }
      configure() { this.error(new Error("an unknown codec")); }
      decode() { throw new Error("not configured"); }
      close() {}
    } });
  });
  const still = phone.locator(".pane canvas");
  await expect(still).toBeVisible();
  const there = await seenAt(page, phone, 100, 60);
  const here = await colour(page, 100, 60);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), here)).toBeLessThan(14);
  const first = await still.getAttribute("data-taken");
  await expect.poll(() => still.getAttribute("data-taken")).not.toBe(first);
});
