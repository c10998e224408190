// @ts-check
// What the wall costs while three hundred draw, and what it takes to lay all of theirs over one another.

import { spawn } from "node:child_process";
import { createInterface } from "node:readline";
import { root } from "./server.js";

/** How long it is looked at, in milliseconds. */
const TAKES = 10_000;

/** @param {{ browser: import("@playwright/test").Browser, runs: (name: string) => boolean, row: (name: string, value: number, unit: string, note: string) => void }} bench */
export async function benchWall({ browser, runs, row }) {
  if (!runs("wall.300") && !runs("together.300")) return;
  const class300 = spawn(
    "cargo",
    ["bench", "--quiet", "--package", "bozzetto", "--bench", "numbers", "--", "wall.held"],
    {
      cwd: root,
      stdio: ["pipe", "pipe", "inherit"],
    },
  );
  const said = await new Promise((/** @type {(line: string) => void} */ heard) =>
    createInterface(class300.stdout).on("line", (line) => line.startsWith("{") && heard(line)),
  );
  const { wall } = JSON.parse(said);
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await page.addInitScript(() => {
    const seen = { frames: 0, longest: 0 };
    Object.assign(window, { seen });
    new PerformanceObserver((all) => {
      for (const { duration } of all.getEntries()) seen.longest = Math.max(seen.longest, duration);
    }).observe({ type: "longtask" });
    const next = () => {
      seen.frames += 1;
      requestAnimationFrame(next);
    };
    requestAnimationFrame(next);
  });
  await page.goto(wall);
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("Network.enable");
  await cdp.send("Performance.enable");
  const metric = async (/** @type {string} */ name) =>
    (await cdp.send("Performance.getMetrics")).metrics.find((m) => m.name === name)?.value ?? 0;
  await page.waitForFunction(() => document.querySelectorAll("#wall > li").length === 300, null, { timeout: 60_000 });
  // What it takes to have all of them the first time is over.
  await page.waitForTimeout(5000);
  let [bytes, unpacked] = [0, 0];
  cdp.on("Network.dataReceived", ({ encodedDataLength, dataLength }) => {
    bytes += encodedDataLength;
    unpacked += dataLength;
  });
  const frames = () =>
    page.evaluate(() => {
      const { seen } = /** @type {any} */ (window);
      const now = { ...seen };
      seen.longest = 0;
      return now;
    });
  const before = (await frames()).frames;
  const script = await metric("ScriptDuration");
  await page.waitForTimeout(TAKES);
  const spent = (await metric("ScriptDuration")) - script;
  const after = await frames();
  const many = after.frames - before;
  row(
    "wall.300",
    (spent * 1000) / many,
    "ms",
    `script a frame, over ${many} frames in 10 s, while 300 draw; aim 4; longest task ${after.longest.toFixed(0)} ms`,
  );
  row(
    "wall.300.bytes",
    bytes / (TAKES / 1000) / 1000,
    "kB/s",
    `received; all draw alike, so it packs well: ${(unpacked / TAKES).toFixed(0)} kB/s unpacked`,
  );
  const times = await page.evaluate(async () => {
    const address = [...document.scripts].map((s) => s.src).find((src) => src.includes("js/wall.js")) ?? "";
    const module = await import(new URL("../glass/wall.js", address).href);
    await module.default();
    const { answers } = await (await fetch(`${location.pathname}/now`)).json();
    const all = answers.map((/** @type {{ answer: number }} */ a) => a.answer);
    const { width, height } = /** @type {HTMLElement} */ (document.getElementById("wall-room")).dataset;
    const wall = new module.Wall(Number(width), Number(height));
    const drawn = await fetch(`${location.pathname}/drawn`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(all.map((/** @type {number} */ answer) => [answer, -1])),
    });
    wall.take(new Uint8Array(await drawn.arrayBuffer()));
    const timed = (/** @type {() => unknown} */ deed) => {
      const begun = performance.now();
      deed();
      return performance.now() - begun;
    };
    const w = Number(width) / 4;
    const h = Number(height) / 4;
    const area = Float64Array.from([w, h, 3 * w, h, 3 * w, 3 * h, w, 3 * h]);
    return {
      laid: timed(() => wall.count_only(Float64Array.from(all))),
      density: timed(() => wall.density()),
      count: timed(() => {
        wall.choose(area, 0, undefined);
        wall.count();
      }),
      again: timed(() => wall.count()),
      apart: timed(() => wall.apart()),
    };
  });
  const { laid, density, count, again, apart } = times;
  const note = `density ${density.toFixed(0)} ms, counting an area ${count.toFixed(0)} ms and once more ${again.toFixed(0)} ms, who is apart ${apart.toFixed(0)} ms; laid over one another before, once: ${laid.toFixed(0)} ms; aim 100`;
  row("together.300", density + count, "ms", note);
  await page.context().close();
  class300.stdin.end();
}
