// @ts-check
// Places on the picture with which a question was answered.

import { el, place } from "../page.js";

/**
 * Shows them where the picture lies.
 * @param {[number, number, number, number]} area left, top, width and height of the picture, in CSS pixels
 * @param {boolean} shown
 */
export function showPlaces(area, shown) {
  const all = /** @type {HTMLElement | null} */ (document.querySelector("#asked .asked"))?.dataset.places ?? "";
  const places = shown ? all.split(",").filter(Boolean) : [];
  const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
  // A line of no length is a dot, as wide as the line whatever the picture's shape.
  path.setAttribute("d", places.map((at) => `M${at}h0`).join(""));
  el("asked-places").replaceChildren(path);
  place(el("asked-places"), area);
}
