// @ts-check
// How long a countdown takes, by keys on the screen: for hands that have no keyboard.

import { keyed_length } from "../../glass/glass.js";
import { button, el, input } from "../page.js";
import { closePanels, openPanel } from "../panels/panels.js";

/** More figures than hours, minutes and seconds have are not taken. */
const MOST = 6;

/** @param {{ take: (typed: string) => void }} clock */
export function prepareKeypad({ take }) {
  const field = input("clock-typed");
  let digits = "";
  /** @param {string} now */
  function show(now) {
    digits = now.replace(/^0+/, "").slice(0, MOST);
    el("keypad-says").textContent = keyed_length(digits);
    button("keypad-take").disabled = digits === "";
  }
  // A finger's or a pen's: a mouse has a keyboard beside it.
  field.addEventListener("pointerdown", (e) => {
    if (e.pointerType === "mouse") return;
    e.preventDefault();
    show("");
    openPanel("keypad-panel", field);
  });
  for (const key of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("#keypad-panel [data-digit]")))
    key.addEventListener("click", () => show(digits + key.dataset.digit));
  el("keypad-back").addEventListener("click", () => show(digits.slice(0, -1)));
  el("keypad-take").addEventListener("click", () => {
    closePanels();
    field.blur();
    take(keyed_length(digits));
  });
}
