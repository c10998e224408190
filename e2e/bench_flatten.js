// @ts-check
// Whether the corners of a sheet are found in photographs that the browser renders: perspective, uneven light, noise,
// clutter on the table. Where the corners are is known from the rendering itself.

/** @import { Browser, Page } from "@playwright/test" */

const PHOTOGRAPHS = 72;
/** So many more show no sheet. */
const BARE = 18;
const [WIDTH, HEIGHT] = [1440, 1080];
/** The longer side of a sheet to its shorter one. */
const A4 = 297 / 210;
/** Tables: plain, wooden, dark, woven; and what lies on them. */
const TABLES = [
  "#6d5a45",
  "repeating-linear-gradient(93deg, #8a6a48 0 7px, #7f6041 7px 19px, #93724e 19px 26px)",
  "#22272c",
  "repeating-conic-gradient(#5c6a72 0 25%, #66757e 0 50%) 0 0 / 22px 22px",
  "#8f9aa0",
];
const SHEETS = ["#f6f4ee", "#ffffff", "#f1ead6", "#e9f0f4"];

/** @param {number} seed */
function random(seed) {
  let state = seed * 2654435761 + 1;
  return (/** @type {number} */ low, /** @type {number} */ high) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return low + ((high - low) * state) / 2 ** 32;
  };
}

/** A photograph of a sheet on a table. @param {number} n */
function photograph(n) {
  const r = random(n + 11);
  const portrait = n % 3 !== 0;
  const long = r(620, 760);
  const [w, h] = portrait ? [long / A4, long] : [long, long / A4];
  const turns = `rotateX(${r(-34, 34)}deg) rotateY(${r(-30, 30)}deg) rotateZ(${r(-22, 22)}deg)`;
  const words = "the light on Punta Brace shows white over the fairway and red inshore; keep it well open ".repeat(14);
  const rows = Array.from({ length: 5 }, () => "<tr><td>Corda</td><td>12 m</td><td>Fl G 3s</td></tr>").join("");
  const inside = [
    `<h2>Notice ${n}</h2><p>${words}</p>`,
    `<p>${words.slice(0, 400)}</p><table>${rows}</table><p>${words.slice(0, 300)}</p>`,
    `<div class="figure"></div><p>${words.slice(0, 500)}</p>`,
    `<svg viewBox="0 0 100 60"><path d="M5 50C30 5 60 58 95 12" /><circle cx="30" cy="30" r="14" /><path d="M60 20h28v22h-28z"/></svg>`,
  ][n % 4];
  const things = Array.from({ length: Math.floor(r(2, 6)) }, (_, i) => {
    const pen = i % 2 === 0;
    const [width, height] = pen ? [r(180, 320), r(12, 22)] : [r(90, 200), r(90, 200)];
    // Round the edges of the picture, where they may lie under the sheet or beside it.
    const [x, y] = [r(0, 1) < 0.5 ? r(-60, 120) : r(1180, 1380), r(0, HEIGHT - 120)];
    const colour = `hsl(${r(0, 360)} ${r(10, 60)}% ${r(20, 70)}%)`;
    return `<i style="left:${x}px;top:${y}px;width:${width}px;height:${height}px;background:${colour};
      border-radius:${i % 3 ? 4 : 100}px;transform:rotate(${r(0, 180)}deg)"></i>`;
  }).join("");
  return `<!doctype html><style>
    body { margin: 0; }
    main { width: ${WIDTH}px; height: ${HEIGHT}px; overflow: hidden; background: ${TABLES[n % TABLES.length]};
      perspective: ${r(1300, 2600)}px; font: 15px/1.5 serif; position: relative; }
    i { position: absolute; box-shadow: 0 4px 10px rgb(0 0 0 / 0.3); }
    .sheet { position: absolute; left: ${WIDTH / 2 - w / 2 + r(-90, 90)}px; top: ${HEIGHT / 2 - h / 2 + r(-50, 50)}px; width: ${w}px;
      height: ${h}px; box-sizing: border-box; padding: 40px; overflow: hidden; background: ${SHEETS[n % SHEETS.length]};
      transform: ${turns}; ${n % 2 ? "box-shadow: 0 3px 16px rgb(0 0 0 / 0.35);" : ""} }
    .corner { position: absolute; width: 0; height: 0; }
    table { border-collapse: collapse; } td { border: 1px solid #444; padding: 4px 18px; }
    .figure { height: 220px; background: linear-gradient(${r(0, 180)}deg, #2f6f8f, #d0a050); }
    svg { width: 100%; fill: none; stroke: #234; stroke-width: 1; }
    .light { position: absolute; inset: 0; mix-blend-mode: multiply;
      background: radial-gradient(circle at ${r(0, 100)}% ${r(0, 100)}%, #fff 0, rgb(${Math.round(r(90, 170))} ${Math.round(r(85, 165))} ${Math.round(r(80, 160))}) 110%); }
  </style><main>${things}<div class="sheet"${n < PHOTOGRAPHS ? "" : " hidden"}>${inside}
    <b class="corner" style="left:0;top:0"></b><b class="corner" style="right:0;top:0"></b>
    <b class="corner" style="right:0;bottom:0"></b><b class="corner" style="left:0;bottom:0"></b></div><div class="light"></div></main>`;
}

/** How far each corner that was found is from where it is, in parts of the longer side; `null` when none were found.
 * @param {Page} page @param {string} png @param {number[][]} truth @param {number} seed */
function judge(page, png, truth, seed) {
  return page.evaluate(
    async ({ png, truth, seed }) => {
      const bytes = Uint8Array.from(atob(png), (c) => c.charCodeAt(0));
      const image = await createImageBitmap(new Blob([bytes]));
      const canvas = new OffscreenCanvas(image.width, image.height);
      const context = canvas.getContext("2d");
      if (!context) throw new Error("no canvas");
      // A lens is never quite sharp.
      context.filter = `blur(${0.4 + (seed % 3) * 0.4}px)`;
      context.drawImage(image, 0, 0);
      const { data } = context.getImageData(0, 0, image.width, image.height);
      let state = seed + 3;
      const noise = () => {
        state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
        return (state >>> 8) / 2 ** 24 - 0.5;
      };
      const strong = [8, 20, 34][seed % 3];
      for (let i = 0; i < data.length; i++) if (i % 4 < 3) data[i] += strong * (noise() + noise() + noise());
      const script = document.querySelector('link[rel="modulepreload"][href*="glass.js"]');
      const module = await import(/** @type {HTMLLinkElement} */ (script).href.replace("glass.js", "cut.js"));
      await module.default();
      const begun = performance.now();
      const found = module.find_corners(new Uint8Array(data.buffer), image.width, image.height);
      const ms = performance.now() - begun;
      if (found.length === 0) return { ms, off: null };
      const side = Math.max(
        ...truth.map(([x, y], i) => Math.hypot(x - truth[(i + 1) % 4][0], y - truth[(i + 1) % 4][1])),
      );
      const near = (/** @type {number[]} */ [x, y]) =>
        Math.min(...[0, 1, 2, 3].map((i) => Math.hypot(found[2 * i] - x, found[2 * i + 1] - y)));
      return { ms, off: Math.max(...truth.map(near)) / side };
    },
    { png, truth, seed },
  );
}

/**
 * @param {{ browser: Browser, stage: string, runs: (name: string) => boolean,
 *   percentile: (all: number[], share: number) => number,
 *   row: (name: string, value: number, unit: string, note: string) => void }} bench
 */
export async function benchFlatten({ browser, stage, runs, percentile, row }) {
  if (!runs("flatten.error")) return;
  const page = await browser.newPage();
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  const paper = await browser.newPage({ viewport: { width: WIDTH, height: HEIGHT } });
  /** @type {number[]} */
  const off = [];
  /** @type {number[]} */
  const times = [];
  let [refused, wrong] = [0, 0];
  for (let n = 0; n < PHOTOGRAPHS + BARE; n++) {
    await paper.setContent(photograph(n));
    const truth = await paper.locator(".corner").evaluateAll((list) =>
      list.map((one) => {
        const { left, top } = one.getBoundingClientRect();
        return [left, top];
      }),
    );
    const seen = truth.every(([x, y]) => x >= 0 && y >= 0 && x <= WIDTH && y <= HEIGHT);
    if (!seen) throw new Error(`photograph ${n} does not show the whole sheet`);
    const judged = await judge(page, (await paper.screenshot()).toString("base64"), truth, n);
    times.push(judged.ms);
    if (n >= PHOTOGRAPHS) wrong += judged.off === null ? 0 : 1;
    else if (judged.off === null) refused++;
    else off.push(judged.off);
  }
  wrong += off.filter((v) => v > 0.02).length;
  const note = `of the longer side, 95th percentile of ${off.length} photographs; ${refused} refused; of these and ${BARE} of no sheet ${wrong} wrong; aim: 0.5`;
  row("flatten.error", 100 * percentile(off, 0.95), "%", note);
  row("flatten.find", percentile(times, 0.5), "ms", `median, corners in ${WIDTH} by ${HEIGHT} pixels in wasm`);
  await paper.close();
  await page.close();
}
