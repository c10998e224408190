// @ts-check
// Places on the picture with which a question was answered.

import { el, place } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

/**
 * Shows them where they are seen now, on the picture that lies there.
 * @param {Glass} glass
 * @param {[number, number, number, number]} area left, top, width and height of the picture, in CSS pixels
 * @param {boolean} shown
 */
export function showPlaces(glass, area, shown) {
  const all = /** @type {HTMLElement | null} */ (document.querySelector("#asked .asked"))?.dataset.places ?? "";
  const path = el("asked-places").firstElementChild;
  // A line of no length is a dot, as wide as the line whatever the picture's shape.
  const spots = glass.spots(Float64Array.from(shown ? all.split(/[ ,]/).filter(Boolean) : [], Number));
  let d = "";
  for (let n = 0; n < spots.length; n += 2) d += `M${spots[n]} ${spots[n + 1]}h0`;
  if (path?.getAttribute("d") !== d) path?.setAttribute("d", d);
  place(el("asked-places"), area);
}
