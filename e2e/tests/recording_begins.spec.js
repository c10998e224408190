// @ts-check
// A recording that begins by itself, with the keys that are pressed; one of another tab, with its sound; one of a web page.

import { args, executablePath } from "../browser.js";
import { at, COARSE, file, lasts, loudest, newest, probe, record, shown, stop } from "../film.js";
import { Server } from "../server.js";
import { add, apart, ready, startNow } from "../stage.js";
import { expect, test } from "../test.js";

const TAB = "Sound of the evening";

test.use({
  launchOptions: {
    executablePath,
    args: [...args, "--auto-accept-this-tab-capture", `--auto-select-tab-capture-source-by-title=${TAB}`],
    // What is muted is not heard by whom it is shared with either.
    ignoreDefaultArgs: ["--mute-audio"],
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

test("set before the lesson, it begins with the first press, once; keys that do something are in the film", async ({
  page,
}) => {
  await startNow(page, server.base);
  await page.locator("#record").click();
  await expect(page.locator("#record-says")).toContainText("lines");
  await page.locator("#record-microphone").selectOption("none");
  await page.getByLabel("Show the keys that are pressed").check();
  const kept = page.waitForResponse((r) => r.url().endsWith("/by-itself"));
  await page.getByLabel("When this lesson is opened next").check();
  expect((await kept).status()).toBe(204);
  await page.reload();
  await ready(page);
  await expect(page.locator("#record-word")).toHaveText("Record");
  await page.keyboard.press("d");
  await expect(page.locator("#says")).toHaveText("The lesson is being recorded, as it was set before.");
  await lasts(page, 1);
  // What is written is nobody's business.
  const plate = page.locator("#keys-pressed");
  await page.locator("#record").click();
  await page.locator("#people").click();
  await page.keyboard.press("Escape");
  await expect(plate).toHaveText("Esc");
  const [, s] = ((await page.locator("#record-word").textContent()) ?? "").split(":").map(Number);
  await page.keyboard.press("Shift+A");
  await expect(plate).toHaveText("Shift + A");
  await page.keyboard.press("Shift+A");
  await expect(plate).toHaveText("Shift + A, 2 times");
  const box = await plate.boundingBox();
  const picture = await page.locator("#picture").boundingBox();
  if (!box || !picture) throw new Error("nothing is shown");
  await expect(plate).toBeHidden();
  await lasts(page, s + 5);
  const path = await file(page, await stop(page), "film.mp4");
  const share = /** @type {const} */ ([
    (box.x + 6 - picture.x) / picture.width,
    (box.y + box.height / 2 - picture.y) / picture.height,
  ]);
  const GRAPHITE = [20, 24, 29];
  // The last picture of a film is shown for more than a second.
  const last = probe(path).seconds - 1.5;
  const times = Array.from({ length: Math.ceil((last - s) / 0.5) }, (_, n) => s + n * 0.5);
  expect(Math.min(...times.map((time) => apart(at(shown(path, time), ...share), GRAPHITE)))).toBeLessThan(24);
  expect(apart(at(shown(path, 0.2), ...share), GRAPHITE)).toBeGreaterThan(60);
  // It was for once.
  await page.reload();
  await ready(page);
  await page.locator("#record").click();
  await expect(page.getByLabel("When this lesson is opened next")).not.toBeChecked();
  await expect(page.locator("#record-word")).toHaveText("Record");
});

test("another tab is recorded with its sound, and that ends when it does", async ({ page, context }) => {
  const tab = await context.newPage();
  await tab.goto(`${server.base}/practice`);
  await tab.evaluate((title) => {
    document.title = title;
    const all = document.createElement("div");
    Object.assign(all.style, { position: "fixed", inset: "0", background: "#5f7a6a" });
    document.body.replaceChildren(all);
    all.onclick = () => {
      const context = new AudioContext();
      const tone = new OscillatorNode(context, { frequency: 440 });
      tone.connect(context.destination);
      tone.start();
    };
  }, TAB);
  await tab.mouse.click(100, 100);
  const browser = await context.browser()?.newBrowserCDPSession();
  await expect
    .poll(async () => (await browser?.send("Target.getTargets"))?.targetInfos.some((t) => t.title === TAB))
    .toBe(true);
  await page.bringToFront();
  await startNow(page, server.base);
  // As a backdrop first: it is heard as the film of a lesson is.
  await add(page, "share");
  await page.locator(".pane-call button").click();
  await expect(page.locator(".pane video")).toBeVisible();
  await record(page, { microphone: "none", ...COARSE });
  await lasts(page, 3);
  const beneath = await file(page, await stop(page), "film.mp4");
  expect(apart(at(shown(beneath, 1.5), 0.5, 0.5), [95, 122, 106])).toBeLessThan(16);
  expect(loudest(beneath)).toBeGreaterThan(-30);
  await page.keyboard.press("Escape");
  await page.keyboard.press("PageUp");

  await record(page, { what: "screen", microphone: "none", ...COARSE });
  await lasts(page, 4);
  await tab.close();
  await expect(page.locator("#says")).toContainText("What was being recorded has ended");
  await page.locator("#record").click();
  await expect(page.locator("#record-word")).toHaveText("Record");
  const path = await file(page, await newest(page), "film.mp4");
  expect(probe(path).seconds).toBeGreaterThan(3);
  expect(apart(at(shown(path, 2), 0.5, 0.5), [95, 122, 106])).toBeLessThan(16);
  expect(loudest(path)).toBeGreaterThan(-30);
});

test("what cannot begin says why and leaves no recording; the next press begins one", async ({ page }) => {
  // What browsers answer where the line is lost in that moment.
  await page.addInitScript(() => {
    const load = AudioWorklet.prototype.addModule;
    AudioWorklet.prototype.addModule = () => {
      AudioWorklet.prototype.addModule = load;
      return Promise.reject(new DOMException("Unable to load a worklet's module.", "AbortError"));
    };
  });
  await startNow(page, server.base);
  await record(page, COARSE, false);
  await expect(page.locator("#record-done")).toContainText("The recording could not be started");
  await expect(page.locator("#record-word")).toHaveText("Record");
  const lesson = await page.evaluate(() => document.body.dataset.lesson);
  const list = async () => (await page.request.get(`${server.base}/lessons/${lesson}/recordings`)).text();
  expect(await list()).not.toMatch(/recordings\/\d+"/);
  await page.locator("#record-start").click();
  await lasts(page, 1);
  await stop(page);
  expect(await list()).toMatch(/recordings\/\d+"/);
});

test("a web page is asked for, once, beneath no panel; without it there is an empty area in the film", async ({
  page,
}) => {
  await startNow(page, server.base);
  const buffer = Buffer.from('<!doctype html><title>Sail</title><body style="background:#c03a2b">');
  await page.locator("#picture-file").setInputFiles({ name: "Sail.html", mimeType: "text/html", buffer });
  await expect(page.locator("#backdrop-name")).toHaveText("Sail");
  const choices = { microphone: "none", ...COARSE };
  await record(page, choices, false);
  await expect(page.locator("#tab-why")).toHaveText("It is needed to record the page.");
  await expect(page.locator("#record-panel")).toBeHidden();
  await page.locator("#tab-allow").click();
  await lasts(page, 3);
  const film = await file(page, await stop(page), "film.mp4");
  expect(apart(at(shown(film, 1.5), 0.5, 0.5), [192, 58, 43])).toBeLessThan(16);

  // It comes on stage while something else is recorded.
  await page.keyboard.press("PageUp");
  await expect(page.locator("#backdrop-name")).toHaveText("Board");
  await page.reload();
  await ready(page);
  await record(page, choices);
  await lasts(page, 2);
  await page.locator("#people").click();
  await page.keyboard.press("PageDown");
  await expect(page.locator("#tab-why")).toHaveText("It is needed to record the page.");
  // What the presenter has open stays.
  await expect(page.locator("#people-panel")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.locator("#tab-not-now").click();
  await expect(page.locator("#says")).toHaveText("The web page is an empty area in the film.");
  const [, s] = ((await page.locator("#record-word").textContent()) ?? "").split(":").map(Number);
  await lasts(page, s + 3);
  const without = await file(page, await stop(page), "film.mp4");
  expect(apart(at(shown(without, s + 1.5), 0.5, 0.5), [232, 230, 225])).toBeLessThan(12);
});
