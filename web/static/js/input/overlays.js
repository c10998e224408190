// @ts-check
// What is shown over the glass while something is being done: erasers, lassos, what a shape measures.

import { el, place } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

const SVG = "http://www.w3.org/2000/svg";

/**
 * Brings a host to so many children.
 * @template {Element} T
 * @param {Element} host @param {number} count @param {() => T} make @returns {T[]}
 */
function children(host, count, make) {
  while (host.children.length > count) host.lastElementChild?.remove();
  while (host.children.length < count) host.append(make());
  return /** @type {T[]} */ ([...host.children]);
}

/** @param {string} tag @param {string} name */
function element(tag, name) {
  const made = document.createElement(tag);
  made.className = name;
  return made;
}

/**
 * @param {{ glass: Glass, area: () => { left: number, top: number } }} stage
 * @returns {() => void} shows what there is now
 */
export function prepareOverlays({ glass, area }) {
  const [erasers, lassos, readOuts] = ["erasers", "lassos", "read-outs"].map(el);
  return () => {
    const { left, top } = area();
    const now = glass.overlays();
    const size = now.radius * 2;
    children(erasers, now.erasers.length, () => element("div", "eraser")).forEach((ring, i) => {
      const [x, y] = now.erasers[i];
      place(ring, [x + left, y + top, size, size]);
    });
    children(lassos, now.lassos.length, () => document.createElementNS(SVG, "polyline")).forEach((line, i) =>
      line.setAttribute("points", now.lassos[i].join(" ")),
    );
    children(readOuts, now.readOuts.length, () => element("output", "read-out")).forEach((out, i) => {
      const { at, words } = now.readOuts[i];
      out.textContent = words;
      Object.assign(out.style, { left: `${at[0] + left + 18}px`, top: `${at[1] + top - 34}px` });
    });
  };
}
