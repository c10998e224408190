// @ts-check
// What the row shows of the tool that is in hand: the eraser's size, the lines of shapes.

import { el } from "../page.js";

/** @import { Hand } from "../input/hand.js" */
/** @import { Settings } from "../settings.js" */

/** @param {{ hand: Hand, settings: Settings }} stage */
export function prepareInHand({ hand, settings }) {
  const sizes = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-eraser]")]);
  const lines = [...document.querySelectorAll("[data-dash]")];
  for (const key of sizes)
    key.addEventListener("click", () => settings.change((s) => (s.eraser = Number(key.dataset.eraser))));
  lines.forEach((key, i) => key.addEventListener("click", () => hand.take({ dash: i })));
  el("filled").addEventListener("click", () => hand.take({ filled: !hand.held.filled }));

  const showSizes = () => {
    for (const key of sizes) key.setAttribute("aria-pressed", `${settings.now.eraser === Number(key.dataset.eraser)}`);
  };
  settings.changed(showSizes);
  showSizes();
  hand.changed(({ dash, filled }) => {
    el("row-erase").hidden = !hand.holds("erase");
    el("row-line").hidden = !hand.holds("shape");
    lines.forEach((key, i) => key.setAttribute("aria-pressed", `${i === dash}`));
    el("filled").setAttribute("aria-pressed", `${filled}`);
  });
}
