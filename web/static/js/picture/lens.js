// @ts-check
// The magnifier's lens: what lies beneath it, or elsewhere, painted larger from what it is made of.

import { drawable } from "./beneath.js";
import { print } from "./printer.js";
import { put } from "./underlay.js";

/** @import { Glass, InitOutput, Lens as Seen } from "../../glass/glass.js" */
/** @import { Layers } from "./layers.js" */
/** @import { Beneath, Shown } from "./beneath.js" */

/** The layers of marks that mix with what is beneath, and those that lie on top, with instruments and clocks. */
const MIXED = [0, 1];
const ABOVE = [2, 3, 4];
/** How long a lens rests before a finer picture of a page is fetched, in milliseconds. */
const RESTS = 120;

/** @typedef {{ context: OffscreenCanvasRenderingContext2D, layers: number[], stale: boolean, clear: boolean }} Sheet */
/** A finer picture of a page: for how the page lies, and where in that. @typedef {{ image: HTMLImageElement, page: string, lies: number[] }} Finer */

export class Lens {
  /** @param {{ glass: Glass, wasm: InitOutput, layers: Layers, beneath: Beneath, canvas: HTMLCanvasElement }} picture */
  constructor({ glass, wasm, layers, beneath, canvas }) {
    this.glass = glass;
    this.wasm = wasm;
    this.layers = layers;
    this.beneath = beneath;
    const context = canvas.getContext("2d");
    if (!context) throw new Error("this browser cannot draw");
    this.context = context;
    this.sheets = [sheet(MIXED), sheet(ABOVE)];
    /** What was painted last. */
    this.painted = "";
    this.stale = true;
    /** @type {Map<string, Finer>} */
    this.finer = new Map();
    /** Videos that will say when they have another picture. @type {WeakSet<HTMLVideoElement>} */
    this.awaited = new WeakSet();
    this.waits = false;
  }

  /** A layer shows something else, or all do. @param {number} [layer] */
  touch(layer) {
    for (const one of this.sheets) if (layer === undefined || one.layers.includes(layer)) one.stale = this.stale = true;
    if (layer !== undefined || !this.painted) return;
    clearTimeout(this.rests);
    this.rests = window.setTimeout(() => this.fetch(), RESTS);
  }

  /** Paints it, if it is there and out of date. */
  draw() {
    const { canvas } = this.context;
    const lens = this.glass.lens();
    canvas.hidden = !lens;
    if (!lens) {
      this.painted = "";
      return;
    }
    const { scale, origin } = this.layers;
    const now = JSON.stringify([lens, scale, origin]);
    if (now !== this.painted) {
      this.painted = now;
      this.place(lens);
      this.touch();
    }
    const shown = this.beneath.shown().filter(({ room }) => meets(room, lens.part));
    if (this.stale) this.paint(lens, shown);
    this.stale = false;
    for (const { element } of shown) this.follow(element);
  }

  /** Another picture of what moves is painted when it is there. @param {Element} element */
  follow(element) {
    if (element instanceof HTMLVideoElement) {
      if (this.awaited.has(element)) return;
      this.awaited.add(element);
      element.requestVideoFrameCallback(() => {
        this.awaited.delete(element);
        this.stale = true;
        this.draw();
      });
    } else if (element instanceof HTMLCanvasElement && !this.waits) {
      this.waits = true;
      requestAnimationFrame(() => {
        this.waits = false;
        this.stale = true;
        this.draw();
      });
    }
  }

  /** Where the canvas lies, in whole device pixels of the picture. @param {Seen} lens */
  place({ bounds }) {
    const { scale, origin, ratio = 1, backdrop } = this.layers;
    const { width, height } = backdrop.canvas;
    const within = (/** @type {number} */ v, /** @type {number} */ most) => Math.max(0, Math.min(v, most));
    const x0 = within(Math.floor(bounds[0] * scale + origin.x), width);
    const y0 = within(Math.floor(bounds[1] * scale + origin.y), height);
    const x1 = within(Math.ceil(bounds[2] * scale + origin.x), width);
    const y1 = within(Math.ceil(bounds[3] * scale + origin.y), height);
    this.at = { x: x0, y: y0 };
    const [w, h] = [Math.max(1, x1 - x0), Math.max(1, y1 - y0)];
    for (const { canvas } of [this.context, ...this.sheets.map((s) => s.context)])
      if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    const { style } = this.context.canvas;
    style.left = `${x0 / ratio}px`;
    style.top = `${y0 / ratio}px`;
    style.width = `${w / ratio}px`;
    style.height = `${h / ratio}px`;
  }

  /** @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context @param {Seen} lens @param {boolean} larger */
  toGlass(context, { times, moved }, larger) {
    const { scale, origin } = this.layers;
    const [x, y] = [origin.x - (this.at?.x ?? 0), origin.y - (this.at?.y ?? 0)];
    if (!larger) context.setTransform(scale, 0, 0, scale, x, y);
    else context.setTransform(scale * times, 0, 0, scale * times, scale * moved[0] + x, scale * moved[1] + y);
  }

  /** @param {Seen} lens @param {Shown[]} shown */
  paint(lens, shown) {
    const { context, glass, wasm } = this;
    for (const one of this.sheets) if (one.stale) this.paintSheet(one, lens);
    context.resetTransform();
    context.clearRect(0, 0, context.canvas.width, context.canvas.height);
    context.save();
    this.toGlass(context, lens, false);
    context.beginPath();
    const [w, h] = lens.half;
    if (lens.round) context.ellipse(lens.x, lens.y, w, h, 0, 0, 2 * Math.PI);
    else context.rect(lens.x - w, lens.y - h, 2 * w, 2 * h);
    context.clip();
    context.fillStyle = getComputedStyle(this.layers.picture).backgroundColor;
    context.fill();
    this.toGlass(context, lens, true);
    glass.paint_backdrop();
    print(context, glass, wasm);
    for (const one of shown) this.paintShown(one, lens);
    context.resetTransform();
    for (const { context: own, clear, layers } of this.sheets) {
      if (clear) continue;
      context.globalCompositeOperation = layers === MIXED ? "hard-light" : "source-over";
      context.drawImage(own.canvas, 0, 0);
    }
    context.restore();
    this.toGlass(context, lens, false);
    glass.paint_rim();
    print(context, glass, wasm);
  }

  /** What lies beneath the marks. @param {Shown} shown @param {Seen} lens */
  paintShown({ id, element, lies, room, page }, lens) {
    const { context } = this;
    context.save();
    context.beginPath();
    context.rect(room[0], room[1], room[2] - room[0], room[3] - room[1]);
    context.clip();
    // A film has no time to be drawn better.
    context.imageSmoothingQuality = element instanceof HTMLImageElement ? "high" : "low";
    if (drawable(element)) put(context, element, lies, lens.part);
    const finer = this.finer.get(id);
    if (finer?.page === page && drawable(finer.image)) put(context, finer.image, finer.lies);
    context.restore();
  }

  /** @param {Sheet} sheet @param {Seen} lens */
  paintSheet(sheet, lens) {
    const { context, layers } = sheet;
    context.resetTransform();
    context.clearRect(0, 0, context.canvas.width, context.canvas.height);
    sheet.clear = true;
    for (const layer of layers) {
      this.toGlass(context, lens, true);
      this.glass.paint_in_lens(layer);
      sheet.clear &&= this.glass.items_len() === 0;
      print(context, this.glass, this.wasm, this.layers.find);
    }
    sheet.stale = false;
  }

  /** Pages of documents are fetched as fine as the lens shows them. */
  fetch() {
    const pages = this.beneath.shown().filter(({ kind }) => kind === "document");
    for (const id of this.finer.keys()) if (!pages.some((page) => page.id === id)) this.finer.delete(id);
    for (const { id, lies, page } of pages) {
      const wanted = this.glass.page_parts_in_lens(id, devicePixelRatio);
      const pane = this.beneath.pane(id);
      if (!wanted || !pane) continue;
      const { whole, part } = wanted;
      const src = this.beneath.pageAddress(pane, part ?? { width: whole });
      const had = this.finer.get(id);
      if (had?.image.getAttribute("src") === src && had.page === page) continue;
      const image = new Image();
      image.addEventListener("load", () => {
        this.finer.set(id, { image, page, lies: part?.lies ?? lies });
        this.stale = true;
        this.draw();
      });
      image.src = src;
    }
  }
}

/** @param {number[]} layers @returns {Sheet} */
function sheet(layers) {
  const context = new OffscreenCanvas(1, 1).getContext("2d");
  if (!context) throw new Error("this browser cannot draw");
  return { context, layers, stale: true, clear: true };
}

/** Whether two boxes have something in common. @param {number[]} a @param {number[]} b */
const meets = (a, b) => a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3];
