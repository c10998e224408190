// @ts-check
// What a capture is cut from, as pixels: for the edges in it, and for the loupe.

import { el } from "../page.js";
import { paintUnderlay } from "../picture/underlay.js";
import { Loupe } from "./loupe.js";

/** @import { Cutter } from "../../glass/cut.js" */
/** @import { Glass, InitOutput } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Layers } from "../picture/layers.js" */
/** @import { Corner } from "./loupe.js" */

const GLASS_WIDTH = 1920;
/** How wide the picture is looked at, in pixels, at the most. */
const WIDEST = 1920;
export class Sight {
  /**
   * @param {{ glass: Glass, wasm: InitOutput, beneath: Beneath, layers: Layers, cutter: () => Cutter | null,
   *   size: () => { width: number, height: number } }} stage
   */
  constructor({ glass, wasm, beneath, layers, cutter, size }) {
    this.stage = { glass, wasm, beneath };
    this.layers = layers;
    this.cutter = cutter;
    this.size = size;
    this.loupe = new Loupe(getComputedStyle(el("picture")).backgroundColor);
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
    this.cutter()?.look_for_edges(new Uint8Array(data.buffer), w, h);
  }

  close() {
    this.underlay = null;
    this.loupe.show(null, [], this.size());
  }

  /** @param {Corner | null} at which corner of the box the loupe shows */
  showLoupe(at) {
    const pictures = this.underlay ? [this.underlay, ...this.layers.contexts.map((c) => c.canvas)] : [];
    this.loupe.show(at, pictures, this.size());
  }
}
