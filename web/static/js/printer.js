// @ts-check
// The canvas printer: turns core's display list into fills.

/** @import { Glass, InitOutput } from "../glass/glass.js" */

const MULTIPLY = 1;

/**
 * Prints the display list that `glass` holds.
 * @param {CanvasRenderingContext2D} context already mapped to glass units
 * @param {Glass} glass
 * @param {InitOutput} wasm
 */
export function print(context, glass, wasm) {
  const buffer = wasm.memory.buffer;
  const items = new Uint32Array(buffer, glass.items_at(), glass.items_len());
  const verbs = new Uint8Array(buffer, glass.verbs_at(), glass.verbs_len());
  const c = new Float32Array(buffer, glass.coords_at(), glass.coords_len());
  let v = 0;
  let i = 0;
  for (let item = 0; item < items.length; item += 4) {
    context.globalCompositeOperation = items[item + 1] === MULTIPLY ? "multiply" : "source-over";
    context.fillStyle = "#" + items[item].toString(16).padStart(6, "0");
    context.beginPath();
    for (const end = v + items[item + 2]; v < end; v++) {
      switch (verbs[v]) {
        case 0: context.moveTo(c[i], c[i + 1]); i += 2; break;
        case 1: context.lineTo(c[i], c[i + 1]); i += 2; break;
        case 2: context.quadraticCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3]); i += 4; break;
        case 3: context.bezierCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3], c[i + 4], c[i + 5]); i += 6; break;
        case 4: context.closePath(); break;
      }
    }
    context.fill();
  }
}
