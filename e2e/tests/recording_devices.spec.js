// @ts-check
// What comes and goes while a lesson is recorded: microphone, camera, the window's size.

import { at, COARSE, cameraOf, file, HEARING, lasts, loudest, probe, record, shown, stop } from "../film.js";
import { Server } from "../server.js";
import { drag, startNow, straight } from "../stage.js";
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
  expect(loudest(film, [gone + 1, back - 1])).toBeLessThan(-60);
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
