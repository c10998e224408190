// @ts-check
// Figures of moving backdrops: from a pixel that changes on the presenter's pane to the follower's
// canvas, and what a pen costs over a film.

import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";
import { args, executablePath } from "./browser.js";
import { root, Server } from "./server.js";
import { follow, startNow } from "./stage.js";

/** A page that shows the time of day in black and white fields: 14 bits of milliseconds / 2. */
const CLOCK = `<!doctype html><title>Clock</title><body style="margin:0;background:#808080"><canvas id="c" width="1280" height="720" style="width:100vw;height:100vh;display:block"></canvas>
<script>const c=document.getElementById("c").getContext("2d");
(function draw(){const t=Math.floor(Date.now()/2)&16383;c.fillStyle="#808080";c.fillRect(0,0,1280,720);
for(let i=0;i<14;i++){c.fillStyle=(t>>i)&1?"#fff":"#000";c.fillRect(20+i*88,300,80,120);}
requestAnimationFrame(draw)})();</script>`;

/**
 * @param {{ runs: (name: string) => boolean, percentile: (values: number[], p: number) => number,
 *   row: (name: string, value: number, unit: string, note: string, baseline?: number | null) => void }} bench
 */
export async function benchStreams({ runs, percentile, row }) {
  if (runs("screen.sent")) await benchScreenSent({ percentile, row });
  if (!runs("stream.latency")) return;
  const server = await Server.start({ binary: "target/release/bozzetto" });
  const browser = await chromium.launch({ executablePath, args: [...args, "--auto-accept-this-tab-capture"] });
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 852 } })).newPage();
  // How long each frame is in the encoder, and in the decoder.
  await page.addInitScript(() => {
    const times = /** @type {number[]} */ ([]);
    Object.assign(window, { encodeTimes: times });
    const Native = window.VideoEncoder;
    const begun = new Map();
    window.VideoEncoder = /** @type {any} */ (
      class extends Native {
        /** @param {any} init */
        constructor(init) {
          super({
            ...init,
            output: (/** @type {any} */ chunk, /** @type {any} */ more) => {
              times.push(performance.now() - (begun.get(chunk.timestamp) ?? performance.now()));
              begun.delete(chunk.timestamp);
              init.output(chunk, more);
            },
          });
        }
        /** @param {any} frame @param {any} options */
        encode(frame, options) {
          begun.set(frame.timestamp, performance.now());
          super.encode(frame, options);
        }
      }
    );
  });
  await startNow(page, server.base);
  const file = join(mkdtempSync(join(tmpdir(), "bench-")), "Clock.html");
  writeFileSync(file, CLOCK);
  await page.locator("#picture-file").setInputFiles([file]);
  await page.locator("iframe").waitFor();
  const phone = await follow(browser, page, "Bench");
  await phone.setViewportSize({ width: 1320, height: 900 });
  await page.locator("#tab-allow").click();
  await phone.locator(".pane canvas").waitFor();
  const found = await read(phone);
  const encode = await page.evaluate(() => /** @type {any} */ (window).encodeTimes);
  const e = percentile(encode, 0.5);
  const a = percentile(found.after, 0.5);
  const note = `a changing pixel of a page to the follower's canvas, 1280 x 720 on loopback, ${found.times.length} frames in 12 s, everything on this machine's two cores; medians: encoder ${e.toFixed(0)} ms, server, line, decoder and drawing ${(a - e).toFixed(0)} ms, the rest is the browser's capture of the tab; aim: median under 150`;
  row("stream.latency.median", percentile(found.times, 0.5), "ms", note);
  row("stream.latency.p95", percentile(found.times, 0.95), "ms", note);
  await browser.close();
  await server.stop();
}

/**
 * Reads the clock in what comes of the stream: how old each frame is in milliseconds, and how long ago it was taken.
 * @param {import("@playwright/test").Page} watcher
 */
async function read(watcher) {
  await watcher.waitForTimeout(3000);
  return watcher.evaluate(async () => {
    const canvas = /** @type {HTMLCanvasElement} */ (document.querySelector(".pane canvas"));
    const small = new OffscreenCanvas(canvas.width, 1).getContext("2d", { willReadFrequently: true });
    const times = [];
    const after = [];
    let last = "";
    const until = performance.now() + 12000;
    while (performance.now() < until && small) {
      await new Promise((done) => requestAnimationFrame(done));
      if (canvas.dataset.taken === last) continue;
      last = canvas.dataset.taken ?? "";
      const now = Date.now();
      small.drawImage(canvas, 0, Math.round(canvas.height / 2), canvas.width, 1, 0, 0, canvas.width, 1);
      const { data } = small.getImageData(0, 0, canvas.width, 1);
      let t = 0;
      for (let i = 0; i < 14; i++) if (data[Math.round(((60 + i * 88) / 1280) * canvas.width) * 4] > 128) t |= 1 << i;
      times.push((((now >> 1) - t) & 16383) * 2);
      after.push(now - Number(last));
    }
    return { times, after };
  });
}

/** A participant's screen, from its pixels to the presenter's. @param {Pick<Parameters<typeof benchStreams>[0], "percentile" | "row">} bench */
async function benchScreenSent({ percentile, row }) {
  const server = await Server.start({ binary: "target/release/bozzetto" });
  const title = "--auto-select-tab-capture-source-by-title=Clock";
  const browser = await chromium.launch({ executablePath, args: [...args, title] });
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 852 } })).newPage();
  await startNow(page, server.base);
  const lender = await follow(browser, page, "Bench");
  const clock = await lender.context().newPage();
  await clock.setViewportSize({ width: 1280, height: 720 });
  await clock.setContent(CLOCK);
  await lender.bringToFront();
  await lender.getByRole("button", { name: "Show my screen…" }).click();
  await page.locator("#sent-up").filter({ hasText: "1 sent" }).waitFor();
  await page.locator("#people").click();
  await page.locator("#sent").getByRole("button", { name: "With the name" }).click();
  await page.keyboard.press("Escape");
  await page.locator(".pane canvas").waitFor();
  const { times } = await read(page);
  const note = `from a participant's tab to the stage, 1280 x 720 on loopback, ${times.length} frames in 12 s, everything on this machine's two cores; aim 200`;
  row("screen.sent.median", percentile(times, 0.5), "ms", note);
  await browser.close();
  await server.stop();
}

/** The film that a pen is measured over. */
export const FILM = join(root, "demo/Vessel at the buoys.webm");
