// @ts-check
// One pane, all of the stage, or the whole of a backdrop: lit before it is taken.

import { el, input } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

export class AreaWay {
  /** @param {{ glass: Glass, sheet: HTMLElement, changed: () => void }} capture @param {"pane" | "stage" | "whole"} what */
  constructor({ glass, sheet, changed }, what) {
    this.glass = glass;
    this.sheet = sheet;
    this.changed = changed;
    this.what = what;
    this.ready = true;
    this.hint = "";
    this.lit = el("lit");
    /** @type {Float64Array} */
    this.area = new Float64Array(4);
  }

  open() {
    const { width, height } = this.sheet.getBoundingClientRect();
    this.light(width / 2 - 1, height / 2);
  }

  close() {
    this.lit.hidden = true;
  }

  requests() {
    if (this.what !== "whole") return [this.glass.box_request(this.area, this.what, devicePixelRatio)];
    const all = this.pages > 1 && input("whole-all-pages").checked;
    return this.glass.whole_requests(this.area, all, devicePixelRatio);
  }

  /** How many pages what is lit has. */
  get pages() {
    return this.what === "whole" ? this.glass.pages_at(this.area) : 1;
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    const side = { ArrowLeft: 0, ArrowRight: 1 }[e.key];
    if (this.what === "stage" || side === undefined) return false;
    const { width, height } = this.sheet.getBoundingClientRect();
    this.light(side * (width - 1), height / 2);
    return true;
  }

  /** @param {PointerEvent} _e @param {number} x @param {number} y */
  down(_e, x, y) {
    this.light(x, y);
  }

  /** @param {PointerEvent} _e @param {number} x @param {number} y */
  move(_e, x, y) {
    this.light(x, y);
  }

  /** @param {PointerEvent} _e @param {number} x @param {number} y */
  up(_e, x, y) {
    this.light(x, y);
    return true;
  }

  /** @param {number} x @param {number} y */
  light(x, y) {
    this.area = this.what === "stage" ? this.glass.stage_box() : this.glass.pane_box(x, y);
    const [x0, y0, x1, y1] = this.area;
    Object.assign(this.lit.style, { left: `${x0}px`, top: `${y0}px`, width: `${x1 - x0}px`, height: `${y1 - y0}px` });
    this.lit.hidden = false;
    if (this.what === "whole") {
      el("whole-all").hidden = this.pages < 2;
      el("whole-pages").textContent = `${this.pages}`;
    }
    this.changed();
  }
}
