// @ts-check
// A box: drawn, or proposed by a tap on a figure; adjusted by its grips, by keys and by number. Where its edges may
// go, and what they snap to, is core's to say.

import { el, input } from "../page.js";

/** @import { Cutter } from "../../glass/cut.js" */
/** @import { Sight } from "./sight.js" */

/** What a finger or a mouse moves by without meaning it, in CSS pixels. */
const STILL = 4;

export class BoxWay {
  /**
   * @param {{ cutter: () => Cutter | null, sight: Pick<Sight, "look" | "showLoupe">, changed: () => void,
   *   asked?: (area: Float64Array) => string, drawn?: () => void }} sheet `asked`: what the server has to know to take
   *   a box; `drawn`: a hand has let go of one
   */
  constructor({ cutter, sight, changed, asked = () => "", drawn = () => {} }) {
    this.cutter = cutter;
    this.sight = sight;
    this.asked = asked;
    this.drawn = drawn;
    this.changed = changed;
    this.hint = "Drag a box, or tap a figure; another tap takes the next larger one";
    this.box = el("box");
    this.lines = el("box-lines");
    /** @type {Float64Array | null} */
    this.area = null;
    /** The box that was taken last. @type {Float64Array | null} */
    this.last = null;
    /** @type {{ x: number, y: number, grip: string, from: Float64Array, moved: boolean } | null} */
    this.drag = null;
    this.late = () => {};
    /** Where was pointed at last. */
    this.at = { x: 0, y: 0 };
    const aspect = /** @type {HTMLSelectElement} */ (el("box-aspect"));
    this.aspect = () => Number(aspect.value);
    aspect.addEventListener("change", () => {
      if (this.area && this.aspect()) this.by((cutter, area) => cutter.shape_box(area, this.aspect()));
    });
    el("box-trim").addEventListener("click", () => this.trim());
    el("box-last").addEventListener("click", () => this.again());
    for (const id of ["box-width", "box-height"]) {
      input(id).addEventListener("change", () => this.resize(id === "box-width"));
      input(id).addEventListener("keydown", ({ key }) => key === "Enter" && input(id).blur());
    }
  }

  get ready() {
    return this.area !== null;
  }

  open() {
    this.area = null;
    this.late = () => {};
    this.sight.look();
    this.show();
  }

  close() {
    this.area = null;
    this.drag = null;
    this.show();
  }

  requests() {
    this.last = this.area;
    return this.area ? [this.asked(this.area)] : [];
  }

  /** @param {Float64Array} area */
  set(area) {
    if (area.length === 4) this.area = area;
    this.show();
    this.changed();
  }

  /** Changes the box as core says, once that has come. @param {(cutter: Cutter, area: Float64Array) => Float64Array} how */
  by(how) {
    const cutter = this.cutter();
    // Without a box there is none yet.
    if (cutter) this.set(how(cutter, this.area ?? new Float64Array()));
    else this.wait(() => this.by(how));
  }

  /** Does something once core has come: a hand need not wait for it. @param {() => void} what */
  wait(what) {
    const before = this.late;
    this.late = () => {
      before();
      what();
    };
  }

  /** Core has come. */
  come() {
    const { late } = this;
    this.late = () => {};
    late();
  }

  /** The box that was taken last. */
  again() {
    if (this.last) this.set(this.last);
  }

  trim() {
    if (this.area) this.by((cutter, area) => cutter.trim_box(area));
  }

  /** @param {boolean} byWidth which of its sides was given */
  resize(byWidth) {
    if (!this.area) return;
    let [width, height] = [input("box-width"), input("box-height")].map((i) => i.valueAsNumber || 1);
    const aspect = this.aspect();
    if (aspect && byWidth) height = width / aspect;
    else if (aspect) width = height * aspect;
    this.by((cutter, area) => cutter.size_box(area, width, height));
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    if (e.key.startsWith("Arrow")) {
      // With Alt, the right and lower edges. Without a box there is one in the middle.
      this.by((cutter, area) => cutter.nudge_box(area, e.key, e.shiftKey, e.altKey));
    } else if (e.altKey || e.ctrlKey || e.metaKey) return false;
    else if (e.key.toLowerCase() === "t") this.trim();
    else if (e.key.toLowerCase() === "p") this.propose();
    else if (e.key === "C") this.again();
    else return false;
    return true;
  }

  /** The figure that was pointed at, or the next larger one. */
  propose() {
    this.by((cutter, area) => cutter.propose_box(area, this.at.x, this.at.y));
  }

  /** @param {PointerEvent} e @param {number} x @param {number} y */
  down(e, x, y) {
    this.sight.look();
    const target = /** @type {HTMLElement} */ (e.target);
    const grip = target.dataset.grip ?? (target === this.box ? "inside" : "new");
    const from = grip === "new" || !this.area ? new Float64Array([x, y, x, y]) : this.area;
    this.drag = { x, y, grip, from, moved: false };
  }

  /** @param {PointerEvent} e @param {number} x @param {number} y */
  move(e, x, y) {
    this.at = { x, y };
    const cutter = this.cutter();
    if (!this.drag) return;
    if (!cutter) return this.wait(() => this.move(e, x, y));
    const { grip, from, drag } = { ...this.drag, drag: this.drag };
    const [dx, dy] = [x - drag.x, y - drag.y];
    if (!drag.moved && Math.hypot(dx, dy) < STILL) return;
    drag.moved = true;
    const { area, lines } = cutter.pull_box(from, grip, dx, dy, !e.altKey, this.aspect());
    this.area = new Float64Array(area);
    this.show(lines);
    this.changed();
    const right = grip === "new" ? dx >= 0 : grip.includes("e");
    const low = grip === "new" ? dy >= 0 : grip.includes("s");
    const [x0, y0, x1, y1] = this.area;
    // Of a side, the loupe stands where the hand is.
    const across = grip === "new" || /[ew]/.test(grip);
    const down = grip === "new" || /[ns]/.test(grip);
    const corner = { x: across ? (right ? x1 : x0) : x, y: down ? (low ? y1 : y0) : y, right, low };
    this.sight.showLoupe(grip === "inside" ? null : corner);
  }

  /** @param {PointerEvent} e @param {number} x @param {number} y */
  up(e, x, y) {
    if (!this.cutter()) {
      this.wait(() => this.up(e, x, y));
      return false;
    }
    const { drag } = this;
    this.drag = null;
    this.at = { x, y };
    this.sight.showLoupe(null);
    if (drag && !drag.moved && e.type === "pointerup") {
      if (drag.grip === "new") this.area = null;
      if (drag.grip === "new" || drag.grip === "inside") this.propose();
    }
    this.show();
    if (this.area) this.drawn();
    return false;
  }

  /** @param {number[][]} [lines] what its sides lie along */
  show(lines = []) {
    const { area, box } = this;
    box.hidden = area === null;
    el("box-set").hidden = area === null;
    el("box-last").hidden = area !== null || this.last === null;
    this.lines.replaceChildren(
      ...lines.map(([x0, y0, x1, y1]) => {
        const line = document.createElement("i");
        const [w, h] = [Math.max(1, x1 - x0), Math.max(1, y1 - y0)];
        Object.assign(line.style, { left: `${x0}px`, top: `${y0}px`, width: `${w}px`, height: `${h}px` });
        return line;
      }),
    );
    if (!area) return;
    const [x0, y0, x1, y1] = area;
    Object.assign(box.style, { left: `${x0}px`, top: `${y0}px`, width: `${x1 - x0}px`, height: `${y1 - y0}px` });
    const [w, h] = this.cutter()?.box_pixels(area) ?? [0, 0];
    for (const [id, v] of /** @type {const} */ ([
      ["box-width", w],
      ["box-height", h],
    ]))
      if (document.activeElement !== input(id)) input(id).value = `${v}`;
  }
}
