// @ts-check
// How long a frame takes with aids over a film, against the film alone.

import { ready, startNow } from "./stage.js";

/** @import { Browser, Page } from "@playwright/test" */

/** How often each is measured, in turn, and for how long, in milliseconds. */
const ROUNDS = 6;
const TAKES = 3000;

/**
 * A film of 1920 by 1080 pixels in which everything moves, three seconds long.
 * @param {Page} page
 */
async function film(page) {
  const bytes = await page.evaluate(async () => {
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [1920, 1080];
    const context = canvas.getContext("2d");
    if (!context) throw new Error("no canvas");
    let n = 0;
    const draw = setInterval(() => {
      n += 1;
      for (let i = 0; i < 32; i++) {
        context.fillStyle = `hsl(${(i * 11 + n * 4) % 360} 60% 50%)`;
        context.fillRect((i % 8) * 240, Math.floor(i / 8) * 270, 240, 270);
      }
    }, 33);
    const recorder = new MediaRecorder(canvas.captureStream(30), { mimeType: "video/webm;codecs=vp8" });
    /** @type {Blob[]} */
    const parts = [];
    recorder.ondataavailable = (e) => parts.push(e.data);
    recorder.start();
    await new Promise((done) => setTimeout(done, 3000));
    recorder.stop();
    await new Promise((done) => recorder.addEventListener("stop", done));
    clearInterval(draw);
    return [...new Uint8Array(await new Blob(parts).arrayBuffer())];
  });
  return Buffer.from(bytes);
}

/** From one frame to the next while the pointer moves about, in milliseconds. @param {Page} page */
async function frames(page) {
  const times = page.evaluate(
    (takes) =>
      new Promise((/** @type {(times: number[]) => void} */ done) => {
        /** @type {number[]} */
        const all = [];
        const begun = performance.now();
        let last = begun;
        const next = () => {
          const now = performance.now();
          all.push(now - last);
          last = now;
          if (now - begun < takes) requestAnimationFrame(next);
          else done(all);
        };
        requestAnimationFrame(next);
      }),
    TAKES,
  );
  let goes = true;
  const moves = (async () => {
    for (let i = 0; goes; i++) await page.mouse.move(500 + 200 * Math.cos(i / 9), 300 + 150 * Math.sin(i / 7));
  })();
  const all = await times;
  goes = false;
  await moves;
  return all;
}

/**
 * @param {{ browser: Browser, base: string, runs: (name: string) => boolean,
 *   percentile: (all: number[], share: number) => number,
 *   row: (name: string, value: number, unit: string, about: string) => void }} bench
 */
export async function benchAids({ browser, base, runs, percentile, row }) {
  for (const [name, width, height] of /** @type {[string, number, number][]} */ ([
    ["aids.frame.p95", 1920, 1212],
    ["aids.frame.3840.p95", 3840, 2292],
  ])) {
    if (!runs(name)) continue;
    const context = await browser.newContext({ viewport: { width, height } });
    const page = await context.newPage();
    await startNow(page, base);
    await ready(page);
    await page.locator("#picture-file").setInputFiles({
      name: "Film.webm",
      mimeType: "video/webm",
      buffer: await film(page),
    });
    await page.locator("#row-video").waitFor();
    await page.getByRole("button", { name: "Again and again" }).click();
    await page.getByRole("button", { name: "Play" }).click();
    await page.waitForFunction(() => (document.querySelector("video")?.currentTime ?? 0) > 0.5);
    /** @type {number[][]} */
    const [alone, aided] = [[], []];
    for (let round = 0; round < ROUNDS; round++) {
      alone.push(...(await frames(page)));
      await page.mouse.move(700, 400);
      for (const key of ["w", "g", "a"]) await page.keyboard.press(key);
      aided.push(...(await frames(page)));
      await page.keyboard.press("Escape");
      await page.keyboard.press("Escape");
    }
    const [with95, alone95] = [percentile(aided, 0.95), percentile(alone, 0.95)];
    row(
      name,
      with95 / alone95,
      "×",
      `spotlight, magnifier and ring over a film of 1920 by 1080 on a stage ${width} wide, against the film alone; ` +
        `p95 ${with95.toFixed(1)} ms and ${alone95.toFixed(1)} ms, medians ${percentile(aided, 0.5).toFixed(1)} ms and ` +
        `${percentile(alone, 0.5).toFixed(1)} ms; aim: 1.2`,
    );
    await context.close();
  }
}
