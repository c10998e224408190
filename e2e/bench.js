// @ts-check
// Figures of the browser: what a stage costs to load, and what a pen costs while it draws.

import { chromium } from "@playwright/test";
import { benchAids } from "./bench_aids.js";
import { benchCapture } from "./bench_capture.js";
import { benchFlatten } from "./bench_flatten.js";
import { benchInk } from "./bench_ink.js";
import { benchMeasure } from "./bench_measure.js";
import { benchRecording } from "./bench_recording.js";
import { benchStreams, FILM } from "./bench_streams.js";
import { benchWall } from "./bench_wall.js";
import { args, executablePath } from "./browser.js";
import { judged, linesFound, printed } from "./pages_of_lines.js";
import { Server } from "./server.js";

const wanted = process.argv.slice(2);
/** @param {string} name */
const runs = (name) => wanted.length === 0 || wanted.some((w) => name.startsWith(w) || w.startsWith(name));

/** @param {string} name @param {number} value @param {string} unit @param {string} note @param {number | null} [baseline] */
function row(name, value, unit, note, baseline = null) {
  console.log(JSON.stringify({ name, value, unit, baseline, ratio: baseline && value / baseline, note }));
}

/** @param {number[]} values @param {number} p */
const percentile = (values, p) => values.sort((a, b) => a - b)[Math.round((values.length - 1) * p)];

const server = await Server.start({ binary: "target/release/bozzetto", demo: true });
const browser = await chromium.launch({ executablePath, args });
const stage = `${server.base}/lessons/1/stage`;

/**
 * Script time of each frame in which a pen or a key did something: its events, and what is drawn then.
 * @param {import("@playwright/test").Page} page
 */
async function timePens(page) {
  await page.addInitScript(() => {
    const times = /** @type {number[]} */ ([]);
    const waits = /** @type {number[]} */ ([]);
    Object.assign(window, { penTimes: times, penWaits: waits });
    let work = 0;
    let drawn = false;
    /** @param {() => void} run */
    const timed = (run) => {
      const begun = performance.now();
      run();
      work += performance.now() - begun;
    };
    const listen = EventTarget.prototype.addEventListener;
    EventTarget.prototype.addEventListener = function (type, listener, options) {
      const measured = type === "pointermove" || type === "input";
      if (!measured || typeof listener !== "function") return listen.call(this, type, listener, options);
      /** @param {Event} e */
      const heard = (e) => {
        waits.push(performance.now() - e.timeStamp);
        drawn ||= type === "input" || /** @type {PointerEvent} */ (e).buttons > 0;
        timed(() => listener.call(this, e));
      };
      return listen.call(this, type, heard, options);
    };
    const frame = window.requestAnimationFrame;
    window.requestAnimationFrame = (show) =>
      frame((now) => {
        timed(() => show(now));
        if (drawn) times.push(work);
        [work, drawn] = [0, false];
      });
  });
}

if (runs("stage.load")) {
  const times = [];
  let bytes = 0;
  let later = 0;
  let detail = "";
  for (let i = 0; i < 7; i++) {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    const page = await context.newPage();
    const cdp = await context.newCDPSession(page);
    await cdp.send("Network.enable");
    let sum = 0;
    let idle = 0;
    /** @type {Map<string, string>} */
    const addresses = new Map();
    cdp.on("Network.requestWillBeSent", (e) => {
      addresses.set(e.requestId, e.request.url);
    });
    // The module that lays out text is fetched when the stage is ready and idle.
    cdp.on("Network.loadingFinished", (e) => {
      if (/glass\/text/.test(addresses.get(e.requestId) ?? "")) idle += e.encodedDataLength;
      else sum += e.encodedDataLength;
    });
    await page.goto(stage);
    await page.locator("body.ready").waitFor();
    await page.waitForLoadState("networkidle");
    times.push(await page.evaluate(() => performance.getEntriesByName("ready-to-draw")[0].startTime));
    bytes = sum;
    later = idle;
    const parts = await page.evaluate(() =>
      performance
        .getEntriesByType("resource")
        .map((r) => [r.name.split("/").pop(), /** @type {PerformanceResourceTiming} */ (r).transferSize]),
    );
    detail = parts
      .sort((a, b) => Number(b[1]) - Number(a[1]))
      .slice(0, 4)
      .map(([n, s]) => `${n} ${Math.round(Number(s) / 1024)} KB`)
      .join(", ");
    await context.close();
  }
  row(
    "stage.load.bytes",
    bytes / 1024,
    "KB",
    `over the wire, backdrop picture included; largest: ${detail}; aim: under 400`,
  );
  row(
    "stage.load.idle",
    later / 1024,
    "KB",
    "fetched afterwards, when the stage is idle: the module that lays out text, with its font",
  );
  row("stage.load.ms", percentile(times, 0.5), "ms", "median of 7, empty cache, from navigation to ready to draw");
}

if (runs("cover.lines")) {
  const [page, paper] = [await browser.newPage(), await browser.newPage({ viewport: { width: 1920, height: 1080 } })];
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  const all = { lines: 0, found: 0, cut: 0 };
  const times = [];
  for (let n = 0; n < 42; n++) {
    const print = await printed(paper, n);
    const { bands, ms } = await linesFound(page, print.png);
    const { lines, found, cut } = judged(print, bands);
    all.lines += lines;
    all.found += found;
    all.cut += cut;
    // The first runs before the module has been compiled to the end.
    if (n > 1) times.push(ms);
  }
  row("cover.lines", percentile(times, 0.5), "ms", "median, row profile of 1920 by 1080 pixels in wasm; aim: 15");
  const note = `${all.found} of ${all.lines} lines on 42 pages of text and tables; ${all.cut} cut through; aim: 98, none`;
  row("cover.lines.found", (100 * all.found) / all.lines, "%", note);
  await page.close();
  await paper.close();
}

if (runs("pen.frame")) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  await timePens(page);
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  const MARKS = 5000;
  // The marks are drawn by the page's own pens, so that the sheet is what it would be.
  for (let n = 0; n < MARKS; n += 100) {
    await page.evaluate(
      async ({ from, count }) => {
        const sheet = /** @type {HTMLElement} */ (document.getElementById("glass"));
        sheet.setPointerCapture = () => {};
        const send = (/** @type {string} */ type, /** @type {number} */ x, /** @type {number} */ y, buttons = 1) =>
          sheet.dispatchEvent(
            new PointerEvent(type, {
              clientX: x,
              clientY: y,
              pointerId: 7,
              pointerType: "mouse",
              button: type === "pointermove" ? -1 : 0,
              buttons,
              bubbles: true,
            }),
          );
        for (let i = from; i < from + count; i++) {
          const [x, y] = [(i * 37) % 1150, (i * 91) % 660];
          send("pointerdown", x, y);
          for (let k = 1; k < 24; k++) send("pointermove", x + k * 4, y + Math.sin(k / 2) * 20);
          send("pointerup", x + 96, y, 0);
        }
        await new Promise((done) => requestAnimationFrame(done));
      },
      { from: n, count: 100 },
    );
  }
  await page.evaluate(() => {
    /** @type {any} */ (window).penTimes.length = 0;
  });
  await page.mouse.move(200, 360);
  await page.mouse.down();
  for (let i = 0; i < 600; i++)
    await page.mouse.move(600 + Math.cos(i / 30) * 400 * (1 - i / 1200), 360 + Math.sin(i / 21) * 280);
  await page.mouse.up();
  const times = await page.evaluate(() => /** @type {any} */ (window).penTimes);
  row(
    "pen.frame.p95",
    percentile(times, 0.95),
    "ms",
    `${times.length} frames of one stroke over ${MARKS} marks, events and drawing; median ${percentile(times, 0.5).toFixed(2)} ms; aim: under 2`,
  );
}

if (runs("pen.frame.video")) {
  const context = await browser.newContext({ viewport: { width: 1920, height: 1212 } });
  const page = await context.newPage();
  await timePens(page);
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  await page.locator("#picture-file").setInputFiles([FILM]);
  await page.locator("#row-video").waitFor();
  await page.getByRole("button", { name: "Again and again" }).click();
  await page.getByRole("button", { name: "Play" }).click();
  await page.waitForFunction(() => (document.querySelector("video")?.currentTime ?? 0) > 0.5);
  await page.mouse.move(200, 360);
  await page.mouse.down();
  for (let i = 0; i < 400; i++)
    await page.mouse.move(900 + Math.cos(i / 30) * 600 * (1 - i / 1200), 500 + Math.sin(i / 21) * 380);
  await page.mouse.up();
  const times = await page.evaluate(() => /** @type {any} */ (window).penTimes);
  row(
    "pen.frame.video.p95",
    percentile(times, 0.95),
    "ms",
    `${times.length} frames of one stroke, events and drawing, while a film plays beneath on a stage 1920 wide; median ${percentile(times, 0.5).toFixed(2)} ms`,
  );
  await context.close();
}

if (runs("text.key")) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 852 } });
  await timePens(page);
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  await page.keyboard.press("t");
  await page.mouse.click(200, 60);
  await page.locator("#typing:not(.unread)").waitFor();
  await page.keyboard.insertText(
    "Keep to the west side of the channel until the sector light turns white. ".repeat(42).slice(0, 3000),
  );
  for (let i = 0; i < 12; i++) await page.locator("#typing-smaller").click();
  await page.evaluate(async () => {
    const field = /** @type {HTMLTextAreaElement} */ (document.getElementById("typing"));
    const frame = () => new Promise((done) => requestAnimationFrame(done));
    await frame();
    /** @type {any} */ (window).penTimes.length = 0;
    for (let i = 0; i < 200; i++) {
      field.setRangeText("x", 1500, 1500, "end");
      field.dispatchEvent(new InputEvent("input"));
      await frame();
      await frame();
    }
  });
  const times = await page.evaluate(() => /** @type {any} */ (window).penTimes);
  row(
    "text.key",
    percentile(times, 0.5),
    "ms",
    `a letter typed in the midst of a text of 3000, until it is drawn; p95 ${percentile(times, 0.95).toFixed(1)} ms; aim: under 16`,
  );
  await page.close();
}

await benchFlatten({ browser, stage, runs, percentile, row });
await benchCapture({ browser, stage, runs, percentile, row });
await benchAids({ browser, base: server.base, runs, percentile, row });
await benchMeasure({ browser, base: server.base, runs, row });
await benchInk({ browser, runs, row });
await benchWall({ browser, runs, row });
await browser.close();
await server.stop();
await benchRecording({ runs, percentile, row, timePens });
await benchStreams({ runs, percentile, row });
