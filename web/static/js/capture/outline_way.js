// @ts-check
// An outline: a line drawn round something by hand. It is closed for whoever draws it, and can be drawn again.

import { el, input } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

const HINT = "Draw round what is to be taken";

export class OutlineWay {
  /** @param {{ glass: Glass, changed: () => void }} capture */
  constructor({ glass, changed }) {
    this.glass = glass;
    this.changed = changed;
    this.hint = HINT;
    this.svg = el("outline");
    /** x and y of each place. @type {number[]} */
    this.places = [];
    this.draws = false;
    this.ready = false;
    input("outline-soft").addEventListener("change", () => this.show());
  }

  get soft() {
    return input("outline-soft").checked;
  }

  open() {
    this.hint = HINT;
    this.places = [];
    this.show();
  }

  close() {
    this.places = [];
    this.draws = false;
    this.show();
  }

  requests() {
    return [this.glass.outline_request(new Float64Array(this.places), this.soft, devicePixelRatio)];
  }

  /** @param {KeyboardEvent} _e */
  key(_e) {
    return false;
  }

  /** @param {PointerEvent} _e @param {number} x @param {number} y */
  down(_e, x, y) {
    this.draws = true;
    this.hint = HINT;
    this.places = [x, y];
    this.show();
  }

  /** @param {PointerEvent} e @param {number} x @param {number} y */
  move(e, x, y) {
    if (!this.draws) return;
    const [left, top] = [e.clientX - x, e.clientY - y];
    const all = e.getCoalescedEvents?.() ?? [];
    for (const one of all.length > 0 ? all : [e]) this.places.push(one.clientX - left, one.clientY - top);
    this.show();
  }

  /** @param {PointerEvent} e */
  up(e) {
    this.draws = false;
    const { encloses } = this.glass.outline(new Float64Array(this.places), this.soft);
    if (e.type !== "pointerup" || !encloses) this.places = [];
    if (e.type === "pointerup" && !encloses) this.hint = "That line encloses nothing: draw it round something";
    this.show();
    if (this.ready) el("capture-take").focus({ preventScroll: true });
    return false;
  }

  show() {
    const { path, encloses } = this.glass.outline(new Float64Array(this.places), this.soft);
    this.ready = encloses && !this.draws;
    this.svg.toggleAttribute("hidden", path === "");
    this.svg.classList.toggle("soft", this.soft);
    for (const one of this.svg.querySelectorAll("path.line")) one.setAttribute("d", path);
    // All but what is inside is dimmed.
    this.svg.querySelector("path.outside")?.setAttribute("d", `M-9 -9H9999V9999H-9Z ${path}`);
    const [x, y] = this.places;
    const [lastX, lastY] = this.places.slice(-2);
    const closing = this.draws && encloses ? `M${lastX} ${lastY}L${x} ${y}` : "";
    this.svg.querySelector("path.closing")?.setAttribute("d", closing);
    this.changed();
  }
}
