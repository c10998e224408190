// @ts-check
// Pages of text and tables that a browser lays out, with where each of their lines has ink: by them it is known
// how many lines core finds.

import { decode } from "./stage.js";

/** @import { Browser, Page } from "@playwright/test" */

/** @typedef {{ png: Buffer, lines: number[][] }} Printed a picture, and of each line the first row with ink and the last */

const FONTS = [
  "Liberation Sans",
  "Liberation Serif",
  "DejaVu Sans",
  "DejaVu Serif",
  "DejaVu Sans Mono",
  "Liberation Sans Narrow",
];
const WORDS = {
  en: "the light on Punta Brace shows white over the fairway and red inshore keep it well open of Isola Corda until both buoys pass abeam then jig quickly".split(
    " ",
  ),
  el: "ο φάρος δείχνει λευκό πάνω από το κανάλι και κόκκινο προς την ξηρά".split(" "),
  ru: "маяк показывает белый огонь над фарватером и красный у берега".split(" "),
  fr: "le phare à secteurs blanc sur l’entrée évitez l’île déjà près du môle où s’élève ça".split(" "),
};
const GROUNDS = [
  ["#ffffff", "#000000"],
  ["#fbfaf5", "#1a2027"],
  ["#1c2b24", "#f3f0e9"],
  ["#ffe9b0", "#333333"],
];

/** Numbers that look random and are the same each time. @param {number} seed */
function random(seed) {
  let state = seed * 2654435761;
  return () => {
    state = (Math.imul(state ^ (state >>> 15), 2246822519) + 1) >>> 0;
    return ((state ^ (state >>> 13)) >>> 0) / 2 ** 32;
  };
}

/**
 * The page of a number: paragraphs or a table, in some script, font, size and spacing.
 * @param {number} n @param {(line: number) => string} colour of a line, when each is to be told from the next
 */
function pageOf(n, colour) {
  const next = random(n + 1);
  const of = (/** @type {any[]} */ all) => all[Math.floor(next() * all.length)];
  const words = of(Object.values(WORDS));
  const [size, spacing] = [Math.round(15 + next() * 25), 1.25 + next() * 0.6];
  const [ground, ink] = of(GROUNDS);
  const font = of(FONTS);
  const table = n % 3 === 2;
  let line = 0;
  const say = (/** @type {number} */ count) => Array.from({ length: count }, () => of(words)).join(" ");
  const rows = [];
  const high = 1080 - 120;
  const each = table ? size * spacing + 18 : size * spacing;
  for (let y = 0; y + each < high; y += each) {
    if (!table && next() < 0.12) {
      rows.push(`<div style="height:${each}px"></div>`);
      continue;
    }
    const style = `color:${colour(line++) || ink}`;
    const long = Math.floor((1500 / size) * (0.3 + next() * 0.9) * 0.32) + 1;
    rows.push(
      table
        ? `<tr style="${style}"><td>${line}</td><td>${say(2)}</td><td>${say(3)}</td><td>${Math.floor(next() * 1000)}</td></tr>`
        : `<div style="${style};height:${each}px">${say(long)}</div>`,
    );
  }
  const border = n % 2 ? "1px solid #888" : "none";
  const css = `body{margin:0;padding:60px;background:${ground};font:${size}px/${spacing} '${font}'}
    div,tr{white-space:nowrap} table{border-collapse:collapse} td{border:${border};padding:8px 18px;line-height:${spacing}}`;
  return {
    html: `<style>${css}</style><body>${table ? `<table>${rows.join("")}</table>` : rows.join("")}`,
    lines: line,
  };
}

/**
 * Prints the page of a number. Where each line has ink is read from a second print, in which lines are red and
 * blue in turn.
 * @param {Page} page of 1920 by 1080 pixels
 * @param {number} n
 * @returns {Promise<Printed>}
 */
export async function printed(page, n) {
  const { html, lines } = pageOf(n, () => "");
  await page.setContent(html);
  const png = await page.screenshot();
  const inks = ["#ff0000", "#0000ff"];
  await page.setContent(
    pageOf(n, (line) => inks[line % 2])
      .html.replace(/background:#\w+/, "background:#fff")
      .replace("solid #888", "solid #fff"),
  );
  const boxes = await page
    .locator("[style*=color]")
    .evaluateAll((all) => all.map((one) => one.getBoundingClientRect().toJSON()));
  const { width, data } = decode(await page.screenshot());
  const has = (/** @type {number} */ y, /** @type {number} */ channel) => {
    for (let x = 0; x < width; x++) {
      const [r, g, b] = [0, 1, 2].map((c) => data[(y * width + x) * 4 + c]);
      if (g < 120 && (channel === 0 ? r - b : b - r) > 90) return true;
    }
    return false;
  };
  const found = Array.from({ length: lines }, (_, line) => {
    const { top, bottom } = boxes[line];
    const rows = [];
    for (let y = Math.max(0, Math.floor(top - 12)); y < Math.min(1080, bottom + 12); y++)
      if (has(y, line % 2)) rows.push(y);
    return [rows[0], rows[rows.length - 1]];
  });
  return { png, lines: found.filter(([from]) => from !== undefined) };
}

/**
 * How many lines core finds on a page, how many it does not, and how many a cover would cut through.
 * @param {Printed} page
 * @param {number[]} bands what was found: from the first row of each to where it ends
 */
export function judged({ lines }, bands) {
  const found = bands.flatMap((from, i) => (i % 2 ? [] : [[from, bands[i + 1]]]));
  const middle = (/** @type {number[]} */ [from, to]) => (from + to) / 2;
  const ofBand = (/** @type {number[]} */ [from, to]) =>
    lines.filter((line) => middle(line) >= from && middle(line) < to);
  const alone = found.filter((band) => ofBand(band).length === 1);
  const stops = found.slice(1).map(([from], i) => (found[i][1] + from) / 2);
  const cut = lines.filter(([from, to]) => stops.some((y) => y > from + 1 && y < to));
  return { lines: lines.length, found: new Set(alone.flatMap(ofBand)).size, cut: cut.length };
}

/**
 * What core finds on a picture, and how long it takes, in milliseconds.
 * @param {Page} stage @param {Buffer} png
 */
export async function linesFound(stage, png) {
  const module = await stage.locator('link[href$="glass/glass.js"]').getAttribute("href");
  return stage.evaluate(
    async ([address, png]) => {
      const { lines_found } = await import(address);
      const bitmap = await createImageBitmap(new Blob([Uint8Array.from(atob(png), (c) => c.charCodeAt(0))]));
      const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext("2d", { willReadFrequently: true });
      if (!context) throw new Error("no canvas");
      context.drawImage(bitmap, 0, 0);
      const { data, width, height } = context.getImageData(0, 0, bitmap.width, bitmap.height);
      const pixels = new Uint8Array(data.buffer);
      const begun = performance.now();
      const bands = lines_found(pixels, width, height);
      return { bands: /** @type {number[]} */ ([...bands]), ms: performance.now() - begun };
    },
    /** @type {[string, string]} */ ([module, png.toString("base64")]),
  );
}
