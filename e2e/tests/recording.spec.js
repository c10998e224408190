// @ts-check
// Recording a lesson, with the microphone and the camera that Chromium simulates; films are read by ffmpeg.

import { execFileSync } from "node:child_process";
import { statSync } from "node:fs";
import {
  at,
  COARSE,
  cameraOf,
  file,
  HEARING,
  keys,
  lasts,
  loudest,
  newest,
  probe,
  record,
  shown,
  stop,
} from "../film.js";
import { Server } from "../server.js";
import { apart, drag, ready, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: HEARING });

/** The last picture of a film may be shown for so long, in seconds. */
const STANDS = 1.3;

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

for (const [codec, size, kinds] of /** @type {const} */ ([
  ["h264", [1920, 1080], ["film.mp4"]],
  ["vp9", [854, 480], ["film.mp4", "film.webm"]],
  ["av1", [854, 480], ["film.mp4", "film.webm"]],
])) {
  test(`what is drawn and said is in the film, in ${codec}: files that others read`, async ({ page }) => {
    await startNow(page, server.base);
    await record(page, { codec, ...(size[1] === 480 ? COARSE : {}) });
    await lasts(page, 1);
    const box = await page.locator("#picture").boundingBox();
    if (!box) throw new Error("no picture");
    const on = (/** @type {number} */ x, /** @type {number} */ y) => ({
      x: box.x + x * box.width,
      y: box.y + y * box.height,
    });
    await drag(page, straight(on(0.2, 0.5), on(0.6, 0.5)));
    await lasts(page, 6);
    const address = await stop(page);
    for (const kind of kinds) {
      const path = await file(page, address, kind);
      const said = probe(path);
      expect(said.picture.codec_name).toBe(codec);
      expect([said.picture.width, said.picture.height]).toEqual(size);
      expect(said.sound.codec_name).toBe("opus");
      expect(said.seconds).toBeGreaterThan(5.5);
      // A key frame at the beginning, and each five seconds.
      const all = keys(path);
      expect(all[0]).toBeLessThan(0.1);
      expect(all.length).toBeGreaterThanOrEqual(2);
      // Chromium's microphone beeps once a second.
      expect(loudest(path)).toBeGreaterThan(-30);
      // Before the mark there is paper, and after it ink.
      expect(apart(at(shown(path, 0.2), 0.4, 0.5), [252, 251, 246])).toBeLessThan(16);
      const after = shown(path, said.seconds - STANDS);
      expect(Math.max(...at(after, 0.4, 0.5))).toBeLessThan(60);
      expect(apart(at(after, 0.4, 0.7), [252, 251, 246])).toBeLessThan(16);
    }
    // The page plays it, and begins anywhere.
    await page.goto(address);
    const film = page.locator("#film");
    const seek = () =>
      film.evaluate(async (video) => {
        const v = /** @type {HTMLVideoElement} */ (video);
        v.currentTime = 5;
        await new Promise((done) => v.addEventListener("seeked", done, { once: true }));
        return [v.duration > 5.5, v.currentTime, v.videoWidth];
      });
    await expect.poll(() => film.evaluate((v) => /** @type {HTMLVideoElement} */ (v).readyState)).toBeGreaterThan(0);
    expect(await seek()).toEqual([true, 5, size[0]]);
  });
}

test("it is paused, moments are marked, it is binned and had again; it can be cut, and chapters are named", async ({
  page,
}) => {
  await startNow(page, server.base);
  await record(page, { shown: "moving", microphone: "none", ...COARSE });
  await lasts(page, 1);
  await page.locator("#record").click();
  await page.locator("#record-halt").click();
  await expect(page.locator("#record-word")).toHaveText("Paused");
  // What is drawn meanwhile is not seen before it goes on.
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  await drag(page, straight({ x: box.x + 40, y: box.y + 60 }, { x: box.x + 300, y: box.y + 60 }));
  const stood = await page.locator("#record-time").textContent();
  const [m, s] = (stood ?? "").split(":").map(Number.parseFloat);
  await page.locator("#record").click();
  await page.locator("#record-halt").click();
  await expect(page.locator("#record-time")).not.toHaveText(stood ?? "");
  await page.locator("#record-moment").click();
  await expect(page.locator("#says")).toHaveText("Moment 1 is marked.");
  await lasts(page, m * 60 + s + 6);
  await page.locator("#record-bin").click();
  await expect(page.locator("#record-bin")).toHaveText("Bin it, really");
  await page.locator("#record-bin").click();
  await expect(page.locator("#record-done")).toContainText("It is in the bin, for a day.");
  await page.getByRole("button", { name: "Have it again" }).click();
  await expect(page.locator("#record-done")).toContainText("It is back.");
  const address = await newest(page);
  const path = await file(page, address, "film.mp4");
  const { seconds } = probe(path);
  expect(seconds).toBeGreaterThan(6.5);
  const line = (/** @type {number} */ when) => at(shown(path, when), (170 - 0) / box.width, 60 / box.height);
  expect(Math.max(...line(seconds - STANDS))).toBeLessThan(60);
  expect(Math.max(...line(0.5))).toBeGreaterThan(200);

  await page.goto(address);
  await expect(page.locator(".chapter")).toHaveText([/0:00\s+Board/, /Moment 1/]);
  await page.getByLabel("Rename Moment 1").click();
  const field = page.locator('[name="name"]').nth(1);
  await field.fill("Low water 潮");
  await field.press("Enter");
  await expect(page.locator(".chapter").nth(1)).toContainText("Low water 潮");
  // It went on with a key frame, so what is left after this is whole.
  const to = m * 60 + s + 1;
  await page.getByText("Cut", { exact: true }).click();
  await page.locator("#to").fill(`${to}`);
  await page.getByRole("button", { name: "Take this out" }).click();
  await expect(page.getByRole("button", { name: "Whole again" })).toBeVisible();
  const cut = await file(page, address, "film.mp4");
  expect(probe(cut).seconds).toBeLessThan(seconds - to + 0.1);
  expect(keys(cut)[0]).toBeLessThan(0.1);
});

test("it ends at its limit and says so, by length and by size", async ({ page }) => {
  await startNow(page, server.base);
  await record(page, { minutes: "0.05", ...COARSE });
  await expect(page.locator("#record-done")).toContainText("The recording has reached its length");
  const short = probe(await file(page, await newest(page), "film.mp4"));
  expect(short.seconds).toBeGreaterThan(2.9);
  expect(short.seconds).toBeLessThan(3.1);
  await record(page, { minutes: "", mb: "0.05", sound: "200", ...COARSE });
  await expect(page.locator("#record-done")).toContainText("The recording has reached its size");
  const path = await file(page, await newest(page), "film.mp4");
  expect(statSync(path).size).toBeLessThanOrEqual(50_000);
});

test("what a killed server and a closed page leave plays, and is gone on with from another page", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  await record(page, { codec: "h264", ...COARSE });
  await lasts(page, 3);
  await server.kill();
  await server.run(new URL(server.base).host);
  await lasts(page, 7);
  const lesson = page.url();
  // Another tab is told while this one records. Its browser encodes somewhat otherwise.
  const other = await (await browser.newContext()).newPage();
  await other.addInitScript(() => {
    window.VideoEncoder = class extends VideoEncoder {
      /** @param {VideoEncoderConfig} config */
      configure(config) {
        super.configure({ ...config, codec: config.codec.replace(/^avc1\.4d/, "avc1.64") });
      }
    };
  });
  await other.goto(lesson);
  await ready(other);
  await other.locator("#record").click();
  await expect(other.locator("#record-broken")).toHaveText("This lesson is being recorded in another tab.");
  await expect(other.locator("#record-again")).toBeHidden();
  const recorded = (await page.locator("#record-word").textContent()) ?? "";
  await page.close();
  const address = await newest(other);
  const left = probe(await file(other, address, "film.mp4"));
  const [m, s] = recorded.split(":").map(Number);
  expect(left.seconds).toBeGreaterThan(m * 60 + s - 4);
  // After a while nobody records it any more, and this tab may.
  await expect(other.locator("#record-broken")).toContainText("was broken off");
  await other.locator("#record-again").click();
  await expect(other.locator("#record")).toHaveClass(/goes/);
  await lasts(other, left.seconds + 3);
  expect(await stop(other)).toBe(address);
  const path = await file(other, address, "film.mp4");
  expect(probe(path).seconds).toBeGreaterThan(left.seconds + 2.5);
  // It is decoded through to its end, without a fault: how both encoded is in it.
  // Frames keep their own times: counted in whole frames of its usual pace, two that came close would be one.
  const decoded = 'ffmpeg -v error -i "$1" -enc_time_base:v -1 -f null - 2>&1';
  const faults = execFileSync("sh", ["-c", decoded, "sh", path], { encoding: "utf8" });
  expect(faults).toBe("");
  await other.goto(address);
  const film = other.locator("#film");
  const plays = () =>
    film.evaluate(async (video, at) => {
      const v = /** @type {HTMLVideoElement} */ (video);
      v.currentTime = at;
      await new Promise((done) => v.addEventListener("seeked", done, { once: true }));
      await v.play();
      await new Promise((done) => v.addEventListener("ended", done, { once: true }));
      return v.error;
    }, left.seconds - 1);
  await expect.poll(() => film.evaluate((v) => /** @type {HTMLVideoElement} */ (v).readyState)).toBeGreaterThan(0);
  expect(await plays()).toBe(null);
});

test("what is covered or hidden is in no film; the camera is, in its corner", async ({ page }) => {
  await startNow(page, server.base);
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  const on = (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: box.x + x * box.width,
    y: box.y + y * box.height,
  });
  for (const y of [0.3, 0.6]) await drag(page, straight(on(0.3, y), on(0.6, y)));
  // The lower one is hidden, which the presenter sees through.
  await page.keyboard.press("Shift+U");
  await expect(page.locator("#hide-says")).toContainText("Drag over");
  await drag(page, straight(on(0.2, 0.5), on(0.7, 0.7)));
  await expect(page.locator("#hide-says")).toHaveText("One part is hidden");
  await page.locator("#hide-done").click();
  await page.keyboard.press("d");
  await record(page, { camera: await cameraOf(page), ...COARSE });
  // It is seen on the stage where it is in the film: dragged to the left, and enlarged there by keys.
  const inset = page.locator("#camera-inset");
  await expect(inset).toBeVisible();
  const before = await inset.boundingBox();
  if (!before) throw new Error("no camera");
  const middle = { x: before.x + before.width / 2, y: before.y + before.height / 2 };
  await drag(page, straight(middle, { x: middle.x - box.width / 2, y: middle.y }));
  for (let n = 0; n < 3; n++) await page.keyboard.press("+");
  const after = await inset.boundingBox();
  if (!after) throw new Error("no camera");
  expect(after.x).toBeLessThan(before.x - box.width / 3);
  expect(after.height).toBeGreaterThan(before.height * 1.2);
  const moved = Number.parseFloat(((await page.locator("#record-word").textContent()) ?? "").split(":")[1]);
  await lasts(page, moved + 4);
  const film = shown(await file(page, await stop(page), "film.mp4"), moved + 2.5);
  expect(Math.max(...at(film, 0.45, 0.3))).toBeLessThan(60);
  for (let x = 0.22; x < 0.68; x += 0.02)
    expect(apart(at(film, x, 0.6), at(film, 0.3, 0.52)), `at ${x}`).toBeLessThan(16);
  // Chromium's camera shows green.
  const green = (/** @type {number} */ x, /** @type {number} */ y) => {
    const [r, g, b] = at(film, x, y);
    return g - Math.max(r, b) > 40;
  };
  const share = (/** @type {number} */ x, /** @type {number} */ y) =>
    /** @type {const} */ ([
      (after.x + after.width * x - box.x) / box.width,
      (after.y + after.height * y - box.y) / box.height,
    ]);
  expect(green(...share(0.5, 0.9))).toBe(true);
  expect(green(...share(0.1, 0.9))).toBe(true);
  expect(green((middle.x - box.x) / box.width + 0.1, (middle.y - box.y) / box.height)).toBe(false);
});

test("without a microphone it is recorded without, and that is said", async ({ page }) => {
  await page.addInitScript(() => {
    navigator.mediaDevices.getUserMedia = () => Promise.reject(new DOMException("no", "NotAllowedError"));
  });
  await startNow(page, server.base);
  await page.locator("#record").click();
  await expect(page.locator("#record-says")).toContainText("was not allowed to use the microphone");
  await page.locator("#record").click();
  await record(page, COARSE);
  await lasts(page, 2);
  const said = probe(await file(page, await stop(page), "film.mp4"));
  expect(said.seconds).toBeGreaterThan(1.5);
});
