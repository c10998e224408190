// @ts-check
// Keeps fading ink as faint as it is at each moment.

/** @import { Glass } from "../glass/glass.js" */
/** @import { Layers } from "./layers.js" */

/**
 * @param {Glass} glass
 * @param {Layers} layers
 * @returns {() => void} to be called whenever ink may have come or gone
 */
export function fadingInk(glass, layers) {
  /** @type {number | undefined} */
  let timer;
  let frame = 0;
  function look() {
    clearTimeout(timer);
    cancelAnimationFrame(frame);
    const wait = glass.fade();
    layers.draw();
    if (wait === 0) frame = requestAnimationFrame(look);
    else if (wait > 0) timer = window.setTimeout(look, wait);
  }
  return look;
}
