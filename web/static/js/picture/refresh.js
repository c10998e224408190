// @ts-check
// What is shown anew, once a frame. Nobody else refreshes anything: whoever has done something says so.

/** @import { Frame, Glass } from "../../glass/glass.js" */

export class Refresh {
  /** @param {Glass} glass @param {(frame: Frame) => void} show what a page does in a frame */
  constructor(glass, show) {
    this.glass = glass;
    this.show = show;
    this.waits = false;
    /** @type {number | undefined} */
    this.timer = undefined;
  }

  /** Something may be out of date: it is looked at with the next frame, however often this is called. */
  soon() {
    if (this.waits) return;
    this.waits = true;
    requestAnimationFrame((now) => this.frame(now));
  }

  /** @param {number} now */
  frame(now) {
    this.waits = false;
    clearTimeout(this.timer);
    const frame = this.glass.frame(Math.max(now, performance.now()));
    this.show(frame);
    if (frame.wait === 0) this.soon();
    else if (frame.wait > 0) this.timer = window.setTimeout(() => this.soon(), frame.wait);
  }
}
