// @ts-check
// What a capture's box snaps to, and what is proposed, on screens whose figures are known; and how long that takes.

/** @import { Browser, Page } from "@playwright/test" */

const SCREENS = 108;
const [WIDTH, HEIGHT] = [1280, 720];
/** Device pixels to a CSS pixel, as screens have them. */
const FINE = [1, 1.25, 1.5];
/** Paper, face of windows, border, ink, and a colour for heads. */
const THEMES = [
  ["#f4f4f2", "#ffffff", "#c9ced3", "#1c2024", "#dfe5ea"],
  ["#20262c", "#2b333b", "#46515c", "#e6e9ec", "#39444f"],
  ["#efe6d2", "#fbf7ec", "#b9a77d", "#3a2f1a", "#e4d6b4"],
  ["#dce9ec", "#f6fbfc", "#8fb0ba", "#10303a", "#bcd6dd"],
];

/** @param {number} seed */
function random(seed) {
  let state = seed * 2654435761 + 1;
  return (/** @type {number} */ low, /** @type {number} */ high) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return low + ((high - low) * state) / 2 ** 32;
  };
}

/** A screen with two windows, a table and figures; what can be meant has the class `meant`. @param {number} n */
function screen(n) {
  const r = random(n + 1);
  const whole = (/** @type {number} */ low, /** @type {number} */ high) => Math.round(r(low, high));
  const [paper, face, border, ink, head] = THEMES[n % THEMES.length];
  const words = "the light on Punta Brace shows white over the fairway and red inshore keep it well open ".repeat(3);
  const text = (/** @type {number} */ letters) => words.slice(0, letters);
  const window = (/** @type {number} */ left, /** @type {number} */ width) => {
    const [top, height] = [whole(20, 70), whole(420, 620)];
    const figure = `<div class="meant figure" style="height:${whole(90, 170)}px;width:${whole(140, width - 60)}px"></div>`;
    const cell = () => `<td>${text(whole(4, 14))}</td>`;
    const rows = Array.from({ length: whole(3, 5) }, () => `<tr>${cell()}${cell()}${cell()}</tr>`).join("");
    const inside = [figure, `<p>${text(whole(60, 200))}</p>`, `<table class="meant">${rows}</table>`];
    if (n % 2) inside.reverse();
    return `<section class="meant" style="left:${left}px;top:${top}px;width:${width}px;height:${height}px">
      ${n % 3 ? `<h2>${text(20)}</h2>` : ""}${inside.join("")}</section>`;
  };
  const first = whole(420, 560);
  return `<!doctype html><style>
    body { margin: 0; background: ${paper}; color: ${ink}; font: ${whole(13, 17)}px sans-serif; }
    section { position: absolute; overflow: hidden; background: ${face}; border: ${n % 5 ? 1 : 0}px solid ${border};
      border-radius: ${[0, 6, 12][n % 3]}px; box-shadow: ${n % 4 ? "none" : "0 4px 18px rgb(0 0 0 / 0.3)"}; }
    h2 { margin: 0; padding: 8px 14px; font-size: 1.1em; background: ${head}; border-bottom: 1px solid ${border}; }
    p, .figure, table { margin: 14px 20px; }
    .figure { background: ${n % 2 ? `linear-gradient(${whole(0, 180)}deg, #2f6f8f, #d0a050)` : "#3f7f5f"}; }
    table { border-collapse: collapse; border: 1px solid ${ink}; }
    td { padding: 6px 12px; border: ${n % 4 === 1 ? 0 : 1}px solid ${border}; }
  </style>${window(whole(20, 60), first)}${window(first + whole(90, 140), whole(420, 520))}`;
}

/**
 * @param {{ browser: Browser, stage: string, runs: (name: string) => boolean,
 *   percentile: (all: number[], share: number) => number,
 *   row: (name: string, value: number, unit: string, about: string) => void }} bench
 */
export async function benchCapture({ browser, stage, runs, percentile, row }) {
  if (runs("snap") || runs("propose")) await benchSnap({ browser, stage, percentile, row });
  if (!runs("capture.stage")) return;
  const page = await browser.newPage({ viewport: { width: 1920, height: 1080 } });
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  const times = [];
  for (let n = 0; n < 15; n++) {
    times.push(
      await page.evaluate(async () => {
        const begun = performance.now();
        dispatchEvent(new KeyboardEvent("keydown", { key: "v" }));
        dispatchEvent(new KeyboardEvent("keyup", { key: "v" }));
        const shown = () => /** @type {HTMLImageElement | null} */ (document.querySelector("#proofs .proof img"));
        while (!shown()?.complete || !shown()?.naturalWidth) await new Promise((next) => requestAnimationFrame(next));
        const took = performance.now() - begun;
        document.querySelector("#proofs .proof")?.remove();
        return took;
      }),
    );
  }
  row(
    "capture.stage",
    percentile(times, 0.5),
    "ms",
    "median, from the key to the proof's picture, 1920 by 1080; aim: 200",
  );
  await page.close();
}

/** @param {{ browser: Browser, stage: string, percentile: (all: number[], share: number) => number,
 *   row: (name: string, value: number, unit: string, about: string) => void }} bench */
async function benchSnap({ browser, stage, percentile, row }) {
  const page = await browser.newPage();
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  const all = { sides: 0, hit: 0, wrong: 0, meant: 0, proposed: 0 };
  /** @type {number[]} */
  const times = [];
  for (let n = 0; n < SCREENS; n++) {
    const fine = FINE[n % FINE.length];
    const paper = await browser.newPage({ viewport: { width: WIDTH, height: HEIGHT }, deviceScaleFactor: fine });
    await paper.setContent(screen(n));
    const boxes = await paper.locator(".meant").evaluateAll((list) =>
      list.map((one) => {
        const { left, top, right, bottom } = one.getBoundingClientRect();
        const section = one.closest("section")?.getBoundingClientRect();
        // What does not fit into its window is cut by it, and not meant.
        const fits = one.matches("section") || (section && bottom < section.bottom - 2 && right < section.right - 2);
        return fits ? [left, top, right, bottom] : null;
      }),
    );
    const png = (await paper.screenshot()).toString("base64");
    const meant = /** @type {number[][]} */ (boxes.filter((b) => b));
    const seen = await judge(page, png, meant, n);
    for (const key of /** @type {(keyof typeof all)[]} */ (Object.keys(all))) all[key] += seen[key];
    if (n > 1 && fine === 1.5) times.push(seen.ms);
    await paper.close();
  }
  row("snap.find", percentile(times, 0.5), "ms", "median, edges of 1920 by 1080 pixels in wasm; aim: 15");
  const sides = `of ${all.sides} sides drawn within 11 px of a figure's on ${SCREENS} screens`;
  row("snap.hit", (100 * all.hit) / all.sides, "%", `${sides} snap to it, to within a pixel; aim: 97`);
  row("snap.wrong", (100 * all.wrong) / all.sides, "%", `${sides} snap to something else; aim: 1`);
  const note = `${all.proposed} of ${all.meant} figures are the first or the second proposal; aim: 90`;
  row("propose.hit", (100 * all.proposed) / all.meant, "%", note);
  await page.close();
}

/** @param {Page} page @param {string} png @param {number[][]} meant @param {number} seed */
function judge(page, png, meant, seed) {
  return page.evaluate(
    async ({ png, meant, seed, width, height }) => {
      const bytes = Uint8Array.from(atob(png), (c) => c.charCodeAt(0));
      const image = await createImageBitmap(new Blob([bytes]));
      const canvas = new OffscreenCanvas(image.width, image.height);
      const context = canvas.getContext("2d");
      if (!context) throw new Error("no canvas");
      context.drawImage(image, 0, 0);
      const { data } = context.getImageData(0, 0, image.width, image.height);
      const script = document.querySelector('link[rel="modulepreload"][href*="glass.js"]');
      const { Cutter } = await import(/** @type {HTMLLinkElement} */ (script).href.replace("glass.js", "cut.js"));
      const cutter = new Cutter(
        JSON.stringify({
          stage: { width: 1920, height: (1920 * height) / width },
          scale: width / 1920,
          details: [],
          device: 1,
        }),
      );
      const begun = performance.now();
      cutter.look_for_edges(new Uint8Array(data.buffer), image.width, image.height);
      const ms = performance.now() - begun;
      let state = seed + 7;
      const random = () => {
        state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
        return state / 2 ** 32;
      };
      const seen = { ms, sides: 0, hit: 0, wrong: 0, meant: 0, proposed: 0 };
      const near = (/** @type {ArrayLike<number>} */ a, /** @type {number[]} */ b, /** @type {number} */ by) =>
        b.every((v, i) => Math.abs(a[i] - v) <= by);
      const pixel = width / image.width;
      for (const is of meant) {
        const rough = is.map((v) => v + (random() * 2 - 1) * 11);
        const [x, y] = rough;
        const { area } = cutter.pull_box(new Float64Array([x, y, x, y]), "new", rough[2] - x, rough[3] - y, true, 0);
        for (let side = 0; side < 4; side++) {
          seen.sides++;
          if (Math.abs(area[side] - is[side]) <= pixel * 1.05) seen.hit++;
          else if (Math.abs(area[side] - rough[side]) > 0.01) seen.wrong++;
        }
        // A place in it that is in nothing smaller.
        const inside = ([a, b, c, d] = is, px = 0, py = 0) => px > a && px < c && py > b && py < d;
        for (let tries = 0; tries < 40; tries++) {
          const px = is[0] + (0.1 + 0.8 * random()) * (is[2] - is[0]);
          const py = is[1] + (0.1 + 0.8 * random()) * (is[3] - is[1]);
          const smaller = meant.filter((m) => m !== is && m[2] - m[0] < is[2] - is[0] && m[3] - m[1] < is[3] - is[1]);
          if (smaller.some((m) => inside(m, px, py))) continue;
          seen.meant++;
          const first = cutter.propose_box(new Float64Array(), px, py);
          const second = cutter.propose_box(first, px, py);
          if (near(first, is, pixel * 2.05) || (second.length === 4 && near(second, is, pixel * 2.05))) seen.proposed++;
          break;
        }
      }
      cutter.free();
      return seen;
    },
    { png, meant, seed, width: WIDTH, height: HEIGHT },
  );
}
