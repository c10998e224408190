// @ts-check
// Parts of a picture of which nothing is to be left.

import { cover_colour } from "../../glass/glass.js";

/**
 * @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context
 * @param {Float64Array} parts x, y, width and height of one after the other, in its pixels
 */
export function blank(context, parts) {
  context.fillStyle = cover_colour();
  for (let at = 0; at < parts.length; at += 4) {
    context.fillRect(parts[at], parts[at + 1], parts[at + 2], parts[at + 3]);
  }
}
