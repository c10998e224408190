// @ts-check
// A camera that Chromium simulates: started, set, turned, remembered; stills for who cannot decode.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, apart, colour, drag, follow, ready, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({
  launchOptions: {
    executablePath,
    args: [...args, "--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream=device-count=2"],
  },
});

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const VERMILION = [213, 94, 0];

test("a camera is started, turned, mirrored and set; it comes back as it was; followers who cannot decode get stills", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  const video = page.locator(".pane:not(.away) video");
  await expect(video).toBeVisible();
  const size = () =>
    video.evaluate((v) => [
      /** @type {HTMLVideoElement} */ (v).videoWidth,
      /** @type {HTMLVideoElement} */ (v).videoHeight,
    ]);
  await expect.poll(async () => (await size())[0]).toBeGreaterThan(600);
  // A participant whose browser has no WebCodecs, as on a plain address of another machine.
  const old = await follow(browser, page, "Tomasz", {
    before: () => {
      delete (/** @type {any} */ (window).VideoDecoder);
    },
  });
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
  // It fills its upright place, from edge to edge: the simulated camera is green all over.
  const { x, y, width } = /** @type {{ x: number, y: number, width: number }} */ (upright);
  const green = (/** @type {number[]} */ [r, g, b]) => g > r + 40 && g > b + 40;
  await expect.poll(async () => green(await colour(page, x + 6, y + 200))).toBe(true);
  expect(green(await colour(page, x + width - 6, y + 200))).toBe(true);
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

test("a camera that stops is said to those who follow, and that it goes on again", async ({ page, browser }) => {
  await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  const phone = await follow(browser, page, "Leila");
  const live = phone.locator(".pane canvas");
  await expect(live).toBeVisible();
  // While it runs, nobody is told anything, however long.
  const first = Number(await live.getAttribute("data-taken"));
  await expect
    .poll(async () => Number(await live.getAttribute("data-taken")) - first, { timeout: 20_000 })
    .toBeGreaterThan(8000);
  await expect(phone.locator("#stopped")).toBeHidden();
  await page.locator(".pane:not(.away) video").evaluate((v) => {
    const [track] = /** @type {MediaStream} */ (/** @type {HTMLVideoElement} */ (v).srcObject).getTracks();
    track.stop();
    track.dispatchEvent(new Event("ended"));
  });
  await expect(phone.locator("#stopped")).toBeVisible({ timeout: 12_000 });
  await page.locator(".pane-call button").click();
  await expect(phone.locator("#stopped")).toBeHidden();
});

test("what a camera lets be set is set, and remembered for that camera", async ({ page, context, browser }) => {
  // As somebody would who allows the camera and its zoom.
  await page.goto(server.base);
  await context.grantPermissions(["camera"]);
  const cdp = await browser.newBrowserCDPSession();
  // Asked of the page itself: a telephone of an earlier test may still have one of the same address.
  const {
    targetInfo: { browserContextId },
  } = await (await context.newCDPSession(page)).send("Target.getTargetInfo");
  await cdp.send("Browser.setPermission", {
    permission: { name: "camera", panTiltZoom: true },
    setting: "granted",
    browserContextId,
  });
  await startNow(page, server.base);
  await add(page, "camera");
  await page.locator(".pane-call button").click();
  const video = page.locator(".pane:not(.away) video");
  const settings = () =>
    video.evaluate((v) => {
      const stream = /** @type {MediaStream} */ (/** @type {HTMLVideoElement} */ (v).srcObject);
      const { zoom, focusDistance, exposureTime, deviceId } = /** @type {any} */ (
        stream.getVideoTracks()[0].getSettings()
      );
      return { zoom, focusDistance, exposureTime, deviceId };
    });
  await expect(video).toBeVisible();
  await page.locator("#camera-key").click();
  await page.getByRole("slider", { name: "Zoom" }).fill("250");
  await page.getByRole("slider", { name: "Focus" }).focus();
  await page.keyboard.press("ArrowRight");
  await page.getByRole("slider", { name: "Exposure" }).fill("20");
  await expect.poll(settings).toMatchObject({ zoom: 250, focusDistance: 55, exposureTime: 20 });
  await expect(page.locator("#camera-exposure-said")).toHaveText("2 ms");
  const first = (await settings()).deviceId;
  // Another one has settings of its own; it is the one that comes back here.
  await page.getByLabel("Device").selectOption({ index: 1 });
  await expect.poll(settings).toMatchObject({ zoom: 100, focusDistance: 50, exposureTime: 50 });
  const second = (await settings()).deviceId;
  expect(second).not.toBe(first);
  await page.reload();
  await ready(page);
  await page.locator(".pane-call button").click();
  await expect(video).toBeVisible();
  expect((await settings()).deviceId).toBe(second);
  await page.locator("#camera-key").click();
  await page.getByLabel("Device").selectOption({ index: 0 });
  await expect.poll(settings).toEqual({ zoom: 250, focusDistance: 55, exposureTime: 20, deviceId: first });
});

test("who does not know the codec of a stream gets stills", async ({ page, browser }) => {
  await startNow(page, server.base);
  await add(page, "bench");
  await page.locator(".pane-call button").click();
  const phone = await follow(browser, page, "Noor", {
    before: () => {
      // A browser that decodes videos, but not this one.
      Object.assign(window, {
        VideoDecoder: class {
          static async isConfigSupported() {
            return { supported: false };
          }
          constructor(/** @type {any} */ { error }) {
            this.error = error;
            this.state = "unconfigured";
          }
          configure() {
            this.error(new Error("an unknown codec"));
          }
          decode() {
            throw new Error("not configured");
          }
          close() {}
        },
      });
    },
  });
  // The presenter is told of it as soon as it is so.
  await expect(page.locator("#people-list")).toContainText("gets stills");
  const still = phone.locator(".pane canvas");
  await expect(still).toBeVisible();
  const there = await seenAt(page, phone, 100, 60);
  const here = await colour(page, 100, 60);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), here)).toBeLessThan(14);
  const first = await still.getAttribute("data-taken");
  await expect.poll(() => still.getAttribute("data-taken")).not.toBe(first);
});
