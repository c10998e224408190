// @ts-check
// How often the truth lies within what is said of a reading: on drawn charts, with a pointer that knows pixels only.

import { startNow } from "./stage.js";

/** @import { Browser, Page } from "@playwright/test" */

/** @typedef {[number, number]} Place */

const [WIDE, HIGH] = [1600, 900];
/** How many readings of each kind. */
const READINGS = 60;

/** Numbers that look random and are the same each time (Mulberry32). @param {number} seed */
function random(seed) {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** @param {Place[]} places @returns {number} */
const length = (places) =>
  places.slice(1).reduce((sum, p, i) => sum + Math.hypot(p[0] - places[i][0], p[1] - places[i][1]), 0);
/** In degrees, at the second of three. @param {Place[]} places */
function angle([a, at, b]) {
  const ways = [a, b].map((p) => Math.atan2(p[1] - at[1], p[0] - at[0]));
  const apart = Math.abs(ways[0] - ways[1]);
  return (Math.min(apart, 2 * Math.PI - apart) * 180) / Math.PI;
}
/** @param {Place[]} places */
const area = (places) =>
  Math.abs(
    places.reduce((sum, p, i) => {
      const next = places[(i + 1) % places.length];
      return sum + p[0] * next[1] - next[0] * p[1];
    }, 0),
  ) / 2;

/**
 * A chart whose width is 8 nautical miles, seen from above; and a table of 400 by 225 mm, seen at an angle.
 * `seen` is where a place lies in the picture, `corners` what is said to be known.
 * @type {{ name: string, units: [number, number], unit: string, seen: (p: Place) => Place }[]}
 */
const CHARTS = [
  { name: "plain", units: [8, 4.5], unit: "nautical miles", seen: ([x, y]) => [(x / 8) * WIDE, (y / 4.5) * HIGH] },
  {
    name: "tilted",
    units: [400, 225],
    unit: "millimetres",
    // A projective map: the farther edge is two thirds as long as the nearer one.
    seen: ([x, y]) => {
      const [u, v] = [x / 400 - 0.5, y / 225];
      const w = 1.5 - 0.5 * v;
      return [WIDE / 2 + (u * 1400) / w, 40 + (v * 800) / w];
    },
  },
];

/**
 * @param {{ browser: Browser, base: string, runs: (name: string) => boolean,
 *   row: (name: string, value: number, unit: string, note: string) => void }} bench
 */
export async function benchMeasure({ browser, base, runs, row }) {
  if (!runs("measure.error")) return;
  for (const chart of CHARTS) {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const { within, all, largest } = await measured(page, base, chart);
    const note = `${within} of ${all} readings (lengths, angles, areas) have the truth within what is said; largest uncertainty of a length of a third of the stage: ${(largest * 100).toFixed(2)} %; aims: 95 %, 1 %`;
    row(`measure.error.${chart.name}`, (100 * within) / all, "%", note);
    await page.close();
  }
}

/** @param {Page} page @param {string} base @param {typeof CHARTS[number]} chart */
async function measured(page, base, { units, unit, seen }) {
  const next = random(units[0]);
  const places = Array.from({ length: 400 }, () => /** @type {Place} */ (units.map((v) => v * (0.04 + 0.92 * next()))));
  const dots = places.map((p) => seen(p)).map(([x, y]) => `<circle cx="${x}" cy="${y}" r="2"/>`);
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDE}" height="${HIGH}">${dots.join("")}</svg>`;
  await startNow(page, base);
  await page
    .locator("#picture-file")
    .setInputFiles({ name: "Chart.svg", mimeType: "image/svg+xml", buffer: Buffer.from(svg) });
  await page.locator("#beneath img").waitFor();
  await page.keyboard.press("m");
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no glass");
  /** Taps the pixel in which a place lies. @param {Place} place */
  const tap = (place) => {
    const [x, y] = seen(place);
    return page.mouse.click(
      Math.round(glass.x + (x / WIDE) * glass.width),
      Math.round(glass.y + (y / WIDE) * glass.width),
    );
  };
  const reads = page.locator("#measure-reads");
  await page.locator("#scale-unit").fill(unit);
  await page.locator("#scale-length").fill(`${units[0]}`);
  if (unit === "millimetres") {
    for (const corner of [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ])
      await tap(/** @type {Place} */ (units.map((v, i) => v * corner[i])));
    await page.locator("#scale-width").fill(`${units[1]}`);
  }
  await page.locator("#scale-take").click();
  await page.locator("#measure-anew").click({ force: true });
  let [within, all, largest] = [0, 0, 0];
  /** @param {string} said @param {number} truth */
  const judge = (said, truth) => {
    const [, value, off] = said.match(/([\d.]+) ± ([\d.]+)/) ?? [];
    all += 1;
    if (Math.abs(Number(value) - truth) <= Number(off)) within += 1;
    return Number(off) / truth;
  };
  for (let n = 0; n < READINGS; n++) {
    const of = Array.from({ length: 4 }, () => places[Math.floor(next() * places.length)]);
    const middle = [0, 1].map((i) => of.reduce((sum, p) => sum + p[i], 0) / 4);
    // Round their middle, so that no side crosses another.
    of.sort((a, b) => Math.atan2(a[1] - middle[1], a[0] - middle[0]) - Math.atan2(b[1] - middle[1], b[0] - middle[0]));
    const far = of.every((p, i) => Math.hypot(...seen(p).map((v, k) => v - seen(of[(i + 1) % 4])[k])) > 60);
    if (!far) continue;
    await tap(of[0]);
    await tap(of[1]);
    await page.waitForFunction(() => /^[\d.]+ ±/.test(document.getElementById("measure-reads")?.textContent ?? ""));
    const relative = judge((await reads.textContent()) ?? "", length(of.slice(0, 2)));
    const [a, b] = of.map((p) => seen(p));
    const pixels = Math.hypot(a[0] - b[0], a[1] - b[1]);
    if (pixels > WIDE / 3) largest = Math.max(largest, relative);
    await tap(of[2]);
    await page.waitForFunction(() => (document.getElementById("measure-reads")?.textContent ?? "").includes("°"));
    judge(((await reads.textContent()) ?? "").split("·")[1], angle(of));
    await tap(of[3]);
    await tap(of[0]);
    await page.waitForFunction(() => (document.getElementById("measure-reads")?.textContent ?? "").includes("²"));
    judge((await reads.textContent()) ?? "", area(of));
    await page.locator("#measure-anew").click();
  }
  return { within, all, largest };
}
