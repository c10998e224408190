// @ts-check
// Figures of ink in WebAssembly: from samples to outlines, erasing and selecting among many strokes.

import { readFileSync } from "node:fs";
import { join } from "node:path";
import { root } from "./server.js";

const FILES = {
  "/glass.js": [join(root, "web/static/glass/glass.js"), "text/javascript"],
  "/glass_bg.wasm": [join(root, "web/static/glass/glass_bg.wasm"), "application/wasm"],
  "/freehand.js": [join(root, "e2e/node_modules/perfect-freehand/dist/esm/index.mjs"), "text/javascript"],
};

/**
 * @param {{ browser: import("@playwright/test").Browser, runs: (name: string) => boolean,
 *   row: (name: string, value: number, unit: string, note: string, baseline?: number | null) => void }} bench
 */
export async function benchInk({ browser, runs, row }) {
  const page = await browser.newPage();
  await page.route("http://bench.localhost/**", (route) => {
    const file = /** @type {Record<string, string[]>} */ (FILES)[new URL(route.request().url()).pathname];
    if (!file) return route.fulfill({ contentType: "text/html", body: "<!doctype html><title>Bench</title>" });
    return route.fulfill({ contentType: file[1], body: readFileSync(file[0]) });
  });
  await page.goto("http://bench.localhost/");

  if (runs("ink.outline")) {
    const found = await page.evaluate(async () => {
      const [glass, freehand] = await Promise.all([
        import(/** @type {any} */ ("/glass.js")),
        import(/** @type {any} */ ("/freehand.js")),
      ]);
      await glass.default();
      // Strokes as a hand makes them: loops that wander, 240 samples each.
      const strokes = Array.from({ length: 60 }, (_, s) =>
        Array.from({ length: 240 }, (_, i) => {
          const t = i / 240;
          return [
            200 + 900 * t + 40 * Math.cos(t * 40 + s),
            300 + 60 * Math.sin(t * 33 + s) + 20 * Math.sin(t * 80),
            0.5 + 0.3 * Math.sin(t * 9),
            i * 8,
          ];
        }),
      );
      const flat = strokes.map((s) => Float64Array.from(s.flat()));
      const plain = strokes.map((s) => s.map(([x, y, p]) => [x, y, p]));
      /** @param {() => void} run */
      const rate = (run) => {
        for (let i = 0; i < 3; i++) run();
        const rates = [];
        for (let i = 0; i < 9; i++) {
          const begun = performance.now();
          let n = 0;
          while (performance.now() - begun < 200) {
            run();
            n++;
          }
          rates.push((n * 60 * 240) / ((performance.now() - begun) / 1000));
        }
        return rates.sort((a, b) => a - b)[4];
      };
      return {
        fitted: rate(() => flat.forEach((s) => glass.outline_steps(s, 8, true))),
        wet: rate(() => flat.forEach((s) => glass.outline_steps(s, 8, false))),
        other: rate(() =>
          plain.forEach((s) => freehand.getStroke(s, { size: 8, simulatePressure: false, last: true })),
        ),
      };
    });
    const note =
      "60 strokes of 240 samples, from raw samples to the finished outline; baseline perfect-freehand 1.2.2 in the same page";
    row(
      "ink.outline.fitted",
      found.fitted,
      "samples/s",
      `${note}; with fitting; aim: a ratio of at least 1`,
      found.other,
    );
    row("ink.outline.wet", found.wet, "samples/s", `${note}; without fitting; aim: a ratio of at least 3`, found.other);
  }

  if (runs("erase.10k") || runs("select.10k")) {
    const found = await page.evaluate(async () => {
      const module = await import(/** @type {any} */ ("/glass.js"));
      await module.default();
      const glass = new module.Glass(1, undefined);
      glass.set_width(1280);
      const none = new Float64Array();
      const hand = { touching: false, swatch: 0, figure: 0, filled: false, dash: 0, sign: 0, locked: false };
      /**
       * A mouse goes down, along and up; gives how long each event took, in milliseconds.
       * @param {string} tool @param {number[][]} way
       */
      const along = (tool, way) => {
        glass.hold({ ...hand, tool });
        const places = way.map((at) => Float64Array.from(at));
        glass.pointer_down(1, 0, 0, places[0]);
        /** @param {() => void} run */
        const took = (run) => {
          const begun = performance.now();
          run();
          return performance.now() - begun;
        };
        const times = places.slice(1).map((at) => took(() => glass.pointer_moved(1, 0, 0, at, none)));
        return [...times, took(() => glass.pointer_up(1, 0, 0, places[places.length - 1]))];
      };
      for (let n = 0; n < 10000; n++) {
        const [x, y] = [(n * 37) % 1180, (n * 91) % 680];
        const at = (/** @type {number} */ k) => [x + k * 4, y + Math.sin(k / 2) * 14, 0.5, n * 1000 + k * 8];
        along(
          "pen",
          Array.from({ length: 24 }, (_, k) => at(k)),
        );
      }
      /** @param {number[]} times */
      const p95 = (times) => times.sort((a, b) => a - b)[Math.floor(times.length * 0.95)];
      const lasso = [];
      const round = Array.from({ length: 121 }, (_, i) => [
        640 - 240 * Math.cos(i / 19),
        300 + 200 * Math.sin(i / 19),
        0.5,
        2e7 + i * 8,
      ]);
      for (let n = 0; n < 5; n++) {
        lasso.push(...along("select", round));
        glass.clear_selection();
      }
      const longest = Math.max(...lasso);
      const erase = [];
      for (let sweep = 0; sweep < 5; sweep++) {
        const y = 100 + sweep * 120;
        erase.push(
          ...along(
            "erase",
            Array.from({ length: 121 }, (_, i) => [40 + i * 10, y, 0.5, 3e7 + i * 8]),
          ),
        );
      }
      return { erase: p95(erase), worst: Math.max(...erase), select: p95(lasso), longest };
    });
    row(
      "erase.10k.p95",
      found.erase,
      "ms",
      `a sweep across 10000 strokes, per event of 10 CSS pixels; slowest ${found.worst.toFixed(1)}; aim: under 4`,
    );
    row(
      "select.10k.p95",
      found.select,
      "ms",
      `a lasso among 10000 strokes, per event; letting it go took at most ${found.longest.toFixed(1)}; aim: under 4`,
    );
  }
  await page.close();
}
