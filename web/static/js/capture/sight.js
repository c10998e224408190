// @ts-check
// What a capture is cut from, as pixels: for the edges in it, and for the loupe.

import { canvas, el } from "../page.js";
import { paintUnderlay } from "../picture/underlay.js";

/** @import { Glass, InitOutput } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Layers } from "../picture/layers.js" */

const GLASS_WIDTH = 1920;
/** How wide the picture is looked at, in pixels, at the most. */
const WIDEST = 1920;
/** How many pixels the loupe shows across, and how large each is, in CSS pixels. */
const SEEN = 15;
const LARGE = 8;
/** How far from the corner the loupe stands, in CSS pixels. */
const ASIDE = 36;

export class Sight {
  /**
   * @param {{ glass: Glass, wasm: InitOutput, beneath: Beneath, layers: Layers,
   *   size: () => { width: number, height: number } }} stage
   */
  constructor({ glass, wasm, beneath, layers, size }) {
    this.stage = { glass, wasm, beneath };
    this.layers = layers;
    this.size = size;
    this.loupe = canvas("loupe");
    this.loupe.width = this.loupe.height = SEEN * LARGE;
    /** What lies beneath the marks. @type {OffscreenCanvas | null} */
    this.underlay = null;
  }

  /** Looks at what is there now. */
  look() {
    const { width, height } = this.size();
    const w = Math.round(Math.min(width * devicePixelRatio, WIDEST));
    const h = Math.round((w * height) / width);
    const underlay = new OffscreenCanvas(w, h);
    const context = underlay.getContext("2d", { willReadFrequently: true });
    if (!context) return;
    context.fillStyle = getComputedStyle(el("picture")).backgroundColor;
    context.fillRect(0, 0, w, h);
    paintUnderlay(context, this.stage, w / GLASS_WIDTH);
    this.underlay = underlay;
    const { data } = context.getImageData(0, 0, w, h);
    this.stage.glass.look_for_edges(new Uint8Array(data.buffer), w, h);
  }

  close() {
    this.underlay = null;
    this.loupe.hidden = true;
    this.stage.glass.forget_edges();
  }

  /**
   * Shows the pixels round a place larger, or puts the loupe away.
   * @param {{ x: number, y: number, right: boolean, low: boolean } | null} at which corner of the box it is
   */
  showLoupe(at) {
    this.loupe.hidden = !at || !this.underlay;
    const context = this.loupe.getContext("2d");
    if (!at || !context || !this.underlay) return;
    const { width, height } = this.size();
    const side = SEEN * LARGE;
    context.imageSmoothingEnabled = false;
    context.fillStyle = getComputedStyle(el("picture")).backgroundColor;
    context.fillRect(0, 0, side, side);
    for (const from of [this.underlay, ...this.layers.contexts.map((c) => c.canvas)]) {
      if (from instanceof HTMLCanvasElement && from.style.visibility === "hidden") continue;
      // Pixels of the screen; the middle one lies just inside the corner.
      const [fine, seen] = [from.width / width, SEEN / devicePixelRatio];
      const [x, y] = [at.x - seen / 2, at.y - seen / 2];
      const mixes = from instanceof HTMLCanvasElement && from.classList.contains("mixes");
      context.globalCompositeOperation = mixes ? "hard-light" : "source-over";
      context.drawImage(from, x * fine, y * fine, seen * fine, seen * fine, 0, 0, side, side);
    }
    context.globalCompositeOperation = "source-over";
    // The box's sides at the corner, light with a dark rim.
    const middle = side / 2;
    for (const [colour, half] of /** @type {const} */ ([
      ["#14181d", 3],
      ["#fff", 1],
    ])) {
      context.fillStyle = colour;
      context.fillRect(middle - half, at.low ? 0 : middle, 2 * half, middle);
      context.fillRect(at.right ? 0 : middle, middle - half, middle, 2 * half);
    }
    const left = at.right ? at.x + ASIDE : at.x - ASIDE - side;
    const top = at.low ? at.y + ASIDE : at.y - ASIDE - side;
    const within = (/** @type {number} */ v, /** @type {number} */ most) => Math.max(0, Math.min(v, most - side));
    this.loupe.style.left = `${within(left, width)}px`;
    this.loupe.style.top = `${within(top, height)}px`;
  }
}
