// @ts-check
// The capture box: drawn, adjusted and taken. Where its edges may go is core's to say.

import { el } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

export class CaptureBox {
  /**
   * @param {{ glass: Glass, size: () => { left: number, top: number, width: number, height: number },
   *   take: (request: string) => void, opened: (open: boolean) => void }} options
   */
  constructor({ glass, size, take, opened }) {
    this.glass = glass;
    this.size = size;
    this.take = take;
    this.opened = opened;
    this.sheet = el("box-sheet");
    this.box = el("box");
    /** In CSS pixels of the picture area. @type {Float64Array | null} */
    this.area = null;
    /** @type {{ id: number, x: number, y: number, grip: string, from: Float64Array } | null} */
    this.drag = null;
    this.sheet.addEventListener("pointerdown", (e) => this.down(e));
    this.sheet.addEventListener("pointermove", (e) => this.move(e));
    this.sheet.addEventListener("pointerup", (e) => this.up(e));
    this.sheet.addEventListener("pointercancel", (e) => this.up(e));
    el("box-take").addEventListener("click", () => this.finish());
    el("box-leave").addEventListener("click", () => this.close());
  }

  get isOpen() {
    return !this.sheet.hidden;
  }

  open() {
    const { left, top, width, height } = this.size();
    Object.assign(this.sheet.style, { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` });
    this.area = null;
    this.sheet.hidden = false;
    this.show();
    this.opened(true);
  }

  close() {
    if (!this.isOpen) return;
    this.sheet.hidden = true;
    this.area = null;
    this.opened(false);
  }

  finish() {
    if (!this.area) return;
    const request = this.glass.box_request(this.area, devicePixelRatio);
    this.close();
    this.take(request);
  }

  /**
   * Keys while the box is open; `true` when the key meant something.
   * @param {KeyboardEvent} e
   */
  key(e) {
    if (e.key === "Escape") this.close();
    else if (e.key === "Enter") {
      if (document.activeElement === el("box-leave")) return false;
      if (this.area) this.finish();
      else return false;
    } else if (e.key.startsWith("Arrow")) this.nudge(e);
    else return false;
    return true;
  }

  /**
   * Arrow keys move the box; with Alt its right and lower edges. Without a box they make one.
   * @param {KeyboardEvent} e
   */
  nudge(e) {
    const area = this.area ?? new Float64Array();
    this.area = this.glass.nudge_box(area, devicePixelRatio, e.key, e.shiftKey, e.altKey);
    this.show();
  }

  /** @param {PointerEvent} e */
  down(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    if (target.closest("#box-bar") || e.button !== 0) return;
    e.preventDefault();
    this.sheet.setPointerCapture(e.pointerId);
    const { left, top } = this.sheet.getBoundingClientRect();
    const grip = target.dataset.grip ?? (target === this.box ? "inside" : "new");
    const [x, y] = [e.clientX - left, e.clientY - top];
    const from = grip === "new" || !this.area ? new Float64Array([x, y, x, y]) : this.area;
    this.drag = { id: e.pointerId, x: e.clientX, y: e.clientY, grip, from };
  }

  /** @param {PointerEvent} e */
  move(e) {
    if (this.drag?.id !== e.pointerId) return;
    const { grip, from, x, y } = this.drag;
    const [dx, dy] = [e.clientX - x, e.clientY - y];
    if (grip === "new" && !this.area && Math.hypot(dx, dy) < 4) return;
    this.area = this.glass.adjust_box(from, grip === "new" ? "se" : grip, dx, dy);
    this.show();
  }

  /** @param {PointerEvent} e */
  up(e) {
    if (this.drag?.id !== e.pointerId) return;
    this.drag = null;
    this.show();
    if (this.area) el("box-take").focus({ preventScroll: true });
  }

  show() {
    const { area, box } = this;
    box.hidden = area === null;
    el("box-take").hidden = area === null;
    this.sheet.classList.toggle("has-box", area !== null);
    if (!area) {
      el("box-size").textContent = "Drag a box on the picture";
      return;
    }
    const [x0, y0, x1, y1] = area;
    Object.assign(box.style, { left: `${x0}px`, top: `${y0}px`, width: `${x1 - x0}px`, height: `${y1 - y0}px` });
    const [w, h] = this.glass.box_pixels(area, devicePixelRatio);
    el("box-size").textContent = `${thousands(w)} × ${thousands(h)} px`;
    // The bar keeps out of a box that reaches down to it.
    const bar = el("box-bar");
    const low = y1 > this.size().height - 80 && y0 > 80;
    bar.style.bottom = low ? "auto" : "10px";
    bar.style.top = low ? "10px" : "auto";
  }
}

/** @param {number} n */
export function thousands(n) {
  return n < 1000 ? `${n}` : `${Math.floor(n / 1000)}\u2009${String(n % 1000).padStart(3, "0")}`;
}
