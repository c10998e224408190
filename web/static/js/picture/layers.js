// @ts-check
// The picture area: the backdrop, four layers of marks, what lies over them, and what is pointed with; only
// what changed is painted again.

import { canvas } from "../page.js";
import { Lens } from "./lens.js";
import { print } from "./printer.js";

/** @import { Glass, InitOutput } from "../../glass/glass.js" */

const NAMES = ["highlighter", "wet-highlighter", "ink", "wet-ink", "laid", "aids-above"];
/** Layers that go to the screen without waiting for the rest of the page. */
const AT_ONCE = ["wet-ink", "aids-above"];
/** Layers that are hidden while they show nothing: those that mix make the browser mix the whole picture anew. */
const SELDOM = ["highlighter", "wet-highlighter", "laid", "aids-above"];
const GLASS_WIDTH = 1920;

export class Layers {
  /**
   * @param {Glass} glass
   * @param {InitOutput} wasm
   * @param {HTMLElement} picture
   * @param {string} placed where placed pictures are found
   * @param {import("./beneath.js").Beneath} beneath
   * @param {{ soon: () => void }} refresh
   * @param {boolean} [cut] whether of a placed picture only the part that is seen is to be had
   */
  constructor(glass, wasm, picture, placed, beneath, refresh, cut = false) {
    this.refresh = refresh;
    this.cut = cut;
    this.beneath = beneath;
    this.placed = placed;
    /** Placed pictures that are here or on their way. @type {Map<string, HTMLImageElement>} */
    this.images = new Map();
    this.glass = glass;
    this.wasm = wasm;
    this.picture = picture;
    this.backdrop = context("backdrop", false);
    // A layer that mixes cannot go to the screen at once: it has to be mixed with what is beneath.
    this.contexts = NAMES.map((name) => context(name, AT_ONCE.includes(name)));
    /** Device pixels to a glass unit, and where the glass begins on the canvas. */
    this.scale = 1;
    this.origin = { x: 0, y: 0 };
    /** Counts what is painted: another number, another picture. */
    this.painted = 0;
    this.lens = new Lens({ glass, wasm, layers: this, beneath, canvas: canvas("lens") });
  }

  /**
   * Lays the picture area out: `width` by `height` CSS pixels, in which the glass is `glassWidth`
   * wide and has its corner at `x`, `y`.
   * @param {{ width: number, height: number, glassWidth?: number, x?: number, y?: number }} place
   */
  lay({ width, height, glassWidth = width, x = 0, y = 0 }) {
    const ratio = window.devicePixelRatio;
    this.ratio = ratio;
    this.css = { x, y };
    this.scale = (glassWidth * ratio) / GLASS_WIDTH;
    this.origin = { x: x * ratio, y: y * ratio };
    this.picture.style.width = `${width}px`;
    this.picture.style.height = `${height}px`;
    for (const { canvas } of [this.backdrop, ...this.contexts]) {
      const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
      if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    }
    for (const number of NAMES.keys()) this.hideClear(number);
    this.glass.set_width(glassWidth);
    this.placeBackdrop();
    // A canvas that got another size is empty: nobody is to see that.
    this.draw();
  }

  placeBackdrop() {
    if (!this.css) return;
    const context = this.backdrop;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, context.canvas.width, context.canvas.height);
    this.toGlass(context);
    this.glass.paint_backdrop();
    print(context, this.glass, this.wasm);
    this.painted++;
    this.lens.touch();
    this.beneath.lie(this.scale / (this.ratio ?? 1), this.css.x, this.css.y);
  }

  /** @param {CanvasRenderingContext2D} context */
  toGlass(context) {
    context.setTransform(this.scale, 0, 0, this.scale, this.origin.x, this.origin.y);
  }

  /**
   * A placed picture, with where its first pixel lies in the whole one and how many pixels it has to
   * one of that; `null` while it is on its way.
   * @param {string} name
   * @param {number[]} part the part that is seen: x0, y0, x1, y1
   * @returns {import("./printer.js").Placed | null}
   */
  find = (name, [x0, y0, x1, y1]) => {
    const [l, t, r, b] = [Math.floor(x0 + 0.01), Math.floor(y0 + 0.01), Math.ceil(x1 - 0.01), Math.ceil(y1 - 0.01)];
    const source = this.cut ? `${this.placed}/${name}?l=${l}&t=${t}&r=${r}&b=${b}` : `${this.placed}/${name}`;
    let image = this.images.get(source);
    if (!image) {
      image = new Image();
      image.addEventListener("load", () => {
        this.glass.invalidate();
        this.refresh.soon();
      });
      image.src = source;
      this.images.set(source, image);
    }
    if (!image.complete || image.naturalWidth === 0) return null;
    return this.cut ? { image, x: l, y: t, fine: image.naturalWidth / (r - l) } : { image, x: 0, y: 0, fine: 1 };
  };

  /** Paints what is out of date on every layer. */
  draw() {
    for (let number = 0; number < NAMES.length; number++) this.drawLayer(number);
    this.lens.draw();
  }

  /** @param {number} number */
  drawLayer(number) {
    const { glass, wasm } = this;
    const context = this.contexts[number];
    const damage = glass.damage(number);
    if (damage.length === 4) {
      const { x, y } = this.origin;
      // Whole device pixels, so that what is cleared and what is painted meet without a seam.
      const x0 = Math.floor(damage[0] * this.scale + x);
      const y0 = Math.floor(damage[1] * this.scale + y);
      const x1 = Math.ceil(damage[2] * this.scale + x);
      const y1 = Math.ceil(damage[3] * this.scale + y);
      context.save();
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.clearRect(x0, y0, x1 - x0, y1 - y0);
      context.beginPath();
      context.rect(x0, y0, x1 - x0, y1 - y0);
      context.clip();
      const back = (/** @type {number} */ v, /** @type {number} */ o) => (v - o) / this.scale;
      glass.paint(number, back(x0, x), back(y0, y), back(x1, x), back(y1, y));
      this.toGlass(context);
      print(context, glass, wasm, this.find);
      context.restore();
    }
    const added = glass.paint_added(number);
    if (added) {
      this.toGlass(context);
      print(context, glass, wasm, this.find);
    }
    if (!added && damage.length !== 4) return;
    this.hideClear(number);
    this.painted++;
    this.lens.touch(number);
  }

  /** @param {number} number */
  hideClear(number) {
    if (!SELDOM.includes(NAMES[number])) return;
    this.contexts[number].canvas.style.visibility = this.glass.is_clear(number) ? "hidden" : "";
  }
}

/**
 * @param {string} id
 * @param {boolean} desynchronized
 */
function context(id, desynchronized) {
  const context = canvas(id).getContext("2d", { desynchronized });
  if (!context) throw new Error("this browser cannot draw");
  return context;
}
