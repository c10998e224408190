// @ts-check
// What a recording depends on: microphone, camera, what is heard on stage, codecs, the window, the room that the server has.

import { execFileSync } from "node:child_process";
import { at, COARSE, cameraOf, file, HEARING, lasts, loudest, newest, probe, record, shown, stop } from "../film.js";
import { Server } from "../server.js";
import { drag, ready, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: HEARING });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("a lead-in, a camera that another program has, a microphone that goes and comes back, another window: it goes on, and says so", async ({
  page,
}) => {
  // What browsers answer where a device is plugged out, or another program has it.
  await page.addInitScript(() => {
    const media = navigator.mediaDevices;
    const open = media.getUserMedia.bind(media);
    let plugged = true;
    /** @type {MediaStreamTrack[]} */
    let tracks = [];
    media.getUserMedia = async (wanted) => {
      if (wanted?.video) throw new DOMException("Could not start video source", "NotReadableError");
      if (!plugged) throw new DOMException("Requested device not found", "NotFoundError");
      const stream = await open(wanted);
      tracks = stream.getTracks();
      return stream;
    };
    const plug = (/** @type {boolean} */ is) => {
      plugged = is;
      for (const track of is ? [] : tracks) {
        track.stop();
        track.dispatchEvent(new Event("ended"));
      }
      media.dispatchEvent(new Event("devicechange"));
    };
    Object.assign(window, { plug });
  });
  const plug = (/** @type {boolean} */ is) => page.evaluate((is) => /** @type {any} */ (window).plug(is), is);
  const says = page.locator("#says");
  await startNow(page, server.base);

  // Nothing is recorded before it has been counted down, and nothing where that was stopped.
  const choices = { lead: "3", camera: await cameraOf(page), ...COARSE };
  await record(page, choices, false);
  await expect(page.locator("#lead-in")).toHaveText("3");
  await expect(page.locator("#lead-in")).toHaveText("2");
  await page.keyboard.press("Escape");
  await expect(page.locator("#lead-in")).toBeHidden();
  await expect(page.locator("#record")).not.toHaveClass(/goes/);
  await record(page, choices, false);
  await expect(page.locator("#lead-in")).toHaveText("1");
  await expect(page.locator("#record")).not.toHaveClass(/goes/);
  await expect(page.locator("#record")).toHaveClass(/goes/);
  await expect(page.locator("#lead-in")).toBeHidden();
  await expect(says).toContainText("camera");
  await lasts(page, 2);

  await plug(false);
  await expect(says).toContainText("The microphone is gone: the recording goes on without it.");
  const gone = await recorded(page);
  await lasts(page, gone + 5);
  // Read before it is back: a busy machine says late that it is.
  const without = await recorded(page);
  await plug(true);
  await expect(says).toContainText("The microphone is back.");
  const back = await recorded(page);
  await lasts(page, back + 3);

  // Another window, while it stands still; then it goes on where it was, of the size that it had.
  await page.locator("#record").click();
  await page.locator("#record-halt").click();
  await page.setViewportSize({ width: 1000, height: 900 });
  await page.locator("#record-halt").click();
  await page.keyboard.press("Escape");
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  const y = box.y + box.height / 2;
  await drag(page, straight({ x: box.x + box.width * 0.2, y }, { x: box.x + box.width * 0.6, y }));
  const drawn = await recorded(page);
  await lasts(page, drawn + 3);

  const film = await file(page, await stop(page), "film.mp4");
  const { picture, seconds } = probe(film);
  expect([picture.width, picture.height]).toEqual([854, 480]);
  expect(Math.max(...at(shown(film, seconds - 1.3), 0.4, 0.5))).toBeLessThan(60);
  // Chromium's microphone beeps once a second.
  expect(loudest(film, [0, gone])).toBeGreaterThan(-30);
  // Times are whole seconds, and what was on its way still comes.
  expect(loudest(film, [gone + 2, without])).toBeLessThan(-60);
  expect(loudest(film, [back, seconds])).toBeGreaterThan(-30);
});

/** How long it is by now, in whole seconds. @param {import("@playwright/test").Page} page */
async function recorded(page) {
  const [m, s] = ((await page.locator("#record-word").textContent()) ?? "").split(":").map(Number);
  return m * 60 + s;
}

test("it goes on while nobody sees the tab", async ({ page }) => {
  // What browsers do to a tab that is not seen; this one always sees all of them.
  await page.addInitScript(() => {
    let hidden = false;
    const frame = requestAnimationFrame.bind(window);
    window.requestAnimationFrame = (then) => frame((now) => hidden || then(now));
    window.requestIdleCallback = (then) => frame(() => hidden || then({ didTimeout: false, timeRemaining: () => 10 }));
    const hide = () => {
      hidden = true;
      Object.defineProperty(document, "hidden", { get: () => hidden });
      document.dispatchEvent(new Event("visibilitychange"));
    };
    Object.assign(window, { hide });
  });
  await startNow(page, server.base);
  await record(page, { what: "camera", camera: await cameraOf(page), shown: "moving", ...COARSE });
  await lasts(page, 1);
  await page.evaluate(() => /** @type {any} */ (window).hide());
  const hidden = await recorded(page);
  await lasts(page, hidden + 5);
  const film = await file(page, await stop(page), "film.mp4");
  // Chromium's camera shows another picture each time.
  const pictures = [2, 3, 4].map((after) => shown(film, hidden + after).data.toString("base64"));
  expect(new Set(pictures).size).toBe(3);
  expect(Number(probe(film).picture.nb_read_packets)).toBeGreaterThan(5 * (hidden + 4));
});

test("a film on stage is heard in it, without a microphone; a codec that the browser has not is none to choose", async ({
  page,
}) => {
  await page.addInitScript(() => {
    const asked = VideoEncoder.isConfigSupported.bind(VideoEncoder);
    VideoEncoder.isConfigSupported = async (config) =>
      config.codec.startsWith("avc1") ? { supported: false, config } : asked(config);
  });
  await startNow(page, server.base);
  const path = test.info().outputPath("Fog signal.webm");
  // Longer than a busy machine takes until it is recorded.
  const made = ["-f", "lavfi", "-i", "testsrc=size=160x120:rate=4", "-f", "lavfi", "-i", "sine=frequency=440"];
  execFileSync("ffmpeg", ["-v", "error", ...made, "-t", "120", "-c:v", "libvpx", "-c:a", "libopus", path]);
  await page.locator("#order").click();
  await page.locator("#picture-file").setInputFiles(path);
  await expect(page.locator("#beneath video")).toHaveCount(1);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Play", exact: true }).click();
  await page.locator("#record").click();
  await expect(page.locator("#record-codec option")).toHaveText(["VP9, in WebM or MP4", "AV1, in WebM or MP4"]);
  await page.locator("#record").click();
  await record(page, { microphone: "none", shown: "moving", ...COARSE });
  await lasts(page, 4);
  const film = await file(page, await stop(page), "film.webm");
  expect(probe(film).picture.codec_name).toBe("vp9");
  expect(loudest(film, [1, 3])).toBeGreaterThan(-30);
});

test("it ends when the server can keep no more, and what it has is kept", async ({ page }) => {
  const own = await Server.start();
  try {
    await startNow(page, own.base);
    const address = page.url();
    // As much is used now as is known after the server was started anew.
    const room = async (/** @type {number} */ quota) => {
      own.more = ["--quota", `${quota / 1e9}`];
      await own.kill();
      await own.again();
      await page.goto(address);
      await ready(page);
      return Number(await (await page.request.get(`${address.replace("stage", "recordings")}/room`)).text());
    };
    const [much, little] = [200e6, 0.5e6];
    await room(much - (await room(much)) + little);
    await record(page, { sound: "200", ...COARSE });
    // Known beforehand, or said by the server when a piece came: what else it writes takes room as well.
    await expect(page.locator("#record-done")).toContainText(/[Tt]he server.s disk.*It is kept/, {
      timeout: 60_000,
    });
    const film = probe(await file(page, await newest(page), "film.mp4"));
    expect(film.seconds).toBeGreaterThan(1);
  } finally {
    await own.stop();
  }
});
