// @ts-check
// A shared tab: real capture, frozen, captured and followed; what happens when it ends.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, apart, capture, colour, decode, drag, follow, pixel, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({
  launchOptions: { executablePath, args: [...args, "--auto-select-tab-capture-source-by-title=Slides of the evening"] },
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

/** A tab to be shared, all of one colour. @param {import("@playwright/test").BrowserContext} context @param {string} background */
async function openSlides(context, background) {
  const slides = await context.newPage();
  await slides.setViewportSize({ width: 1600, height: 900 });
  await slides.goto(`${server.base}/practice`);
  await slides.evaluate((background) => {
    document.title = "Slides of the evening";
    const all = document.createElement("div");
    all.id = "a";
    Object.assign(all.style, { position: "fixed", inset: "0", background });
    document.body.replaceChildren(all);
  }, background);
  // The browser chooses by the title that it knows, which it hears of a moment later.
  const browser = await context.browser()?.newBrowserCDPSession();
  await expect
    .poll(async () =>
      (await browser?.send("Target.getTargets"))?.targetInfos.some((t) => t.title === "Slides of the evening"),
    )
    .toBe(true);
  return slides;
}

test("a shared tab is shown, marked, frozen, captured at its own resolution and followed; ending it is said", async ({
  page,
  context,
  browser,
}) => {
  // Four pages of real capture and decoding on two cores take their time.
  test.setTimeout(240_000);
  const slides = await openSlides(context, "#5f7a6a");
  await page.bringToFront();
  await startNow(page, server.base);
  await add(page, "share");
  await expect(page.locator(".pane-call")).toContainText("Nothing is being shared");
  await page.locator(".pane-call button").click();
  const video = page.locator(".pane:not(.away) video");
  await expect(video).toBeVisible();
  await expect.poll(async () => apart(await colour(page, 640, 300), [95, 122, 106])).toBeLessThan(12);
  const phone = await follow(browser, page, "Ines");
  const there = await seenAt(page, phone, 640, 300);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), [95, 122, 106])).toBeLessThan(14);
  // What changes there, changes with the followers.
  await slides.evaluate(() => {
    /** @type {HTMLElement} */ (document.getElementById("a")).style.background = "#8a6f9c";
  });
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), [138, 111, 156])).toBeLessThan(14);
  // Who comes late sees it too, though nothing moves any more.
  const late = await follow(browser, page, "Sefa");
  await expect.poll(async () => apart(await colour(late, there.x, there.y), [138, 111, 156])).toBeLessThan(14);

  // Standing still for longer than a stopped one would be given, it is not taken for stopped.
  const live = phone.locator(".pane canvas");
  const first = Number(await live.getAttribute("data-taken"));
  await expect
    .poll(async () => Number(await live.getAttribute("data-taken")) - first, { timeout: 30_000 })
    .toBeGreaterThan(8000);
  await expect(phone.locator("#stopped")).toBeHidden();

  // Marks lie on top, sharp, and are not in the stream.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 200 }, { x: 900, y: 200 }));
  const marked = await seenAt(page, phone, 600, 200);
  await expect.poll(async () => apart(await colour(phone, marked.x, marked.y), VERMILION)).toBeLessThan(8);

  // Frozen, it stays for everybody while it goes on beneath; let go, it is where it is by now.
  const before = await colour(page, 640, 400);
  await page.keyboard.press("f");
  await expect(page.locator("body.frozen")).toBeVisible();
  await slides.evaluate(() => {
    /** @type {HTMLElement} */ (document.getElementById("a")).style.background = "#ffffff";
  });
  const box = await page.locator("#glass").boundingBox();
  if (!box) throw new Error("no stage");
  const shot = await capture(page, { x: box.x + 100, y: box.y + 300 }, { x: box.x + 300, y: box.y + 400 });
  expect(apart(await colour(page, 640, 400), before)).toBeLessThan(2);
  expect(apart(await colour(phone, there.x, there.y), [138, 111, 156])).toBeLessThan(14);
  const { width, height } = decode(shot);
  const native = await video.evaluate((v) => /** @type {HTMLVideoElement} */ (v).videoWidth);
  expect(Math.abs(width - (200 * native) / box.width)).toBeLessThanOrEqual(2);
  expect(apart(pixel(shot, Math.floor(width / 2), Math.floor(height / 2)), before)).toBeLessThan(3);
  await page.keyboard.press("f");
  await expect.poll(async () => apart(await colour(page, 640, 400), [255, 255, 255])).toBeLessThan(6);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), [255, 255, 255])).toBeLessThan(14);

  // The tab is closed: said, and its last picture stays.
  await slides.close();
  await expect(page.locator("#says")).toContainText("Sharing has ended");
  expect(apart(await colour(page, 640, 400), [255, 255, 255])).toBeLessThan(6);
  // Shared again, it goes on where it is.
  await openSlides(context, "#c7b446");
  await page.bringToFront();
  await page.getByRole("button", { name: "Share another…" }).click();
  await expect.poll(async () => apart(await colour(page, 640, 400), [199, 180, 70])).toBeLessThan(12);
  await expect(page.locator("body.frozen")).toBeHidden();
});
