// @ts-check
// The panel of shapes and stamps.

import { el, icon } from "../page.js";
import { closePanels, panel } from "../panels/panels.js";
import { print } from "../picture/printer.js";

/** @import { Glass, InitOutput } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */

/** Icons in the order of core's figures. */
const FIGURES = ["line", "arrow-narrow-right", "arrows-horizontal", "rectangle", "oval", "route", "polygon"];

/**
 * @param {{ glass: Glass, wasm: InitOutput, hand: Hand }} stage
 */
export function prepareShapes({ glass, wasm, hand }) {
  panel("shapes", "shapes-panel", () => fillCounter());

  const figures = glass.figures().map((word, i) => {
    const key = newKey(word);
    key.prepend(icon(FIGURES[i]));
    key.addEventListener("click", () => {
      hand.take({ tool: "shape", figure: i, touching: false });
      closePanels();
    });
    return key;
  });
  el("figures").append(...figures);

  const signs = glass.signs().map((word, i) => {
    const key = newKey(word);
    const canvas = document.createElement("canvas");
    const [size, ratio] = [32, devicePixelRatio];
    [canvas.width, canvas.height] = [size * ratio, size * ratio];
    canvas.className = "sign";
    const context = canvas.getContext("2d");
    if (context) {
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      glass.paint_sign(i, size, 0xf3f0e9);
      print(context, glass, wasm);
    }
    key.prepend(canvas);
    key.addEventListener("click", () => {
      hand.take({ tool: "stamp", sign: i, touching: false });
      closePanels();
    });
    return key;
  });
  el("signs").append(...signs);

  function fillCounter() {
    const counter = signs[signs.length - 1]?.querySelector("span");
    if (counter) counter.textContent = `counter: ${glass.next_number()} next`;
  }

  hand.changed(({ touching, tool, figure, sign }) => {
    figures.forEach((key, i) => key.setAttribute("aria-pressed", `${tool === "shape" && i === figure}`));
    signs.forEach((key, i) => key.setAttribute("aria-pressed", `${tool === "stamp" && i === sign}`));
    const key = el("shapes");
    const holds = !touching && (tool === "shape" || tool === "stamp");
    key.setAttribute("aria-pressed", `${holds}`);
    const name = tool === "stamp" ? "rubber-stamp" : tool === "shape" ? FIGURES[figure] : "triangle-square-circle";
    key.querySelector("svg")?.replaceWith(icon(name));
  });
}

/** @param {string} word */
function newKey(word) {
  const key = document.createElement("button");
  key.type = "button";
  key.className = "key";
  const span = document.createElement("span");
  span.textContent = word;
  key.append(span);
  return key;
}
