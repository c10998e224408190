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

/** What everybody may see of them: their path, of which each is a line of no length, with the picture as its unit. */
export function placesForAll() {
  const places = el("asked-places");
  return places.classList.contains("private") ? "" : (places.firstElementChild?.getAttribute("d") ?? "");
}

/** Paints those that everybody may see as they are on the page. @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context */
export function drawPlaces(context) {
  const path = el("asked-places").firstElementChild;
  const d = placesForAll();
  if (!d || !path) return;
  const { x, y, width, height } = el("asked-places").getBoundingClientRect();
  const dots = new Path2D();
  // A canvas paints nothing for a line of no length.
  dots.addPath(new Path2D(d.replaceAll("h0", "h1e-5")), new DOMMatrix([width, 0, 0, height, x, y]));
  const look = getComputedStyle(path);
  context.save();
  context.globalAlpha = Number(look.strokeOpacity);
  context.strokeStyle = look.stroke;
  context.lineWidth = Number.parseFloat(look.strokeWidth);
  context.lineCap = "round";
  context.stroke(dots);
  context.restore();
}
