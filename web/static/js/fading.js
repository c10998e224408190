// @ts-check
// Keeps fading ink as faint as it is at each moment.

/** @import { Glass } from "../glass/glass.js" */
/** @import { Layers } from "./layers.js" */

/**
 * @param {Glass} glass
 * @param {Layers} layers
 * @returns {() => void} to be called whenever ink may have come or gone: however often, it is looked
 *   at once a frame
 */
export function fadingInk(glass, layers) {
  /** @type {number | undefined} */
  let timer;
  let waits = false;
  function soon() {
    clearTimeout(timer);
    if (waits) return;
    waits = true;
    requestAnimationFrame(look);
  }
  function look() {
    waits = false;
    const wait = glass.fade();
    layers.draw();
    if (wait === 0) soon();
    else if (wait > 0) timer = window.setTimeout(soon, wait);
  }
  return soon;
}
