// @ts-check
// What lies beneath the marks, painted on a canvas as the page shows it.

import { drawable } from "./beneath.js";
import { print } from "./printer.js";

/** @import { Glass, InitOutput } from "../../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */

/**
 * Paints all of the picture area but the marks, `scale` pixels to a glass unit.
 * @param {OffscreenCanvasRenderingContext2D} context
 * @param {{ glass: Glass, wasm: InitOutput, beneath: Beneath }} picture
 * @param {number} scale
 */
export function paintUnderlay(context, { glass, wasm, beneath }, scale) {
  context.setTransform(scale, 0, 0, scale, 0, 0);
  glass.paint_backdrop();
  print(context, glass, wasm);
  for (const { element, lies, room } of beneath.shown()) {
    if (!drawable(element)) continue;
    context.save();
    context.beginPath();
    context.rect(room[0], room[1], room[2] - room[0], room[3] - room[1]);
    context.clip();
    put(context, element, lies);
    context.restore();
  }
  context.resetTransform();
}

/**
 * Draws an element into a box as the page does, turned or mirrored.
 * @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context
 * @param {HTMLImageElement | HTMLVideoElement | HTMLCanvasElement} element
 * @param {ArrayLike<number>} lies
 * @param {number[]} [part] all of it that is seen
 */
export function put(context, element, lies, part) {
  const [w, h] = [lies[2] - lies[0], lies[3] - lies[1]];
  const turned = new DOMMatrix()
    .translate(lies[0] + w / 2, lies[1] + h / 2)
    .multiply(new DOMMatrix(element.style.transform))
    .translate(-w / 2, -h / 2);
  context.save();
  context.transform(turned.a, turned.b, turned.c, turned.d, turned.e, turned.f);
  // Pictures lie on white, as on paper.
  if (element instanceof HTMLImageElement) {
    context.fillStyle = "#fff";
    context.fillRect(0, 0, w, h);
  }
  if (!(element instanceof HTMLVideoElement && part && putPart(context, element, [w, h], within(part, turned))))
    context.drawImage(element, 0, 0, w, h);
  context.restore();
}

/**
 * Draws a part of a film: turning all of its picture into pixels takes the longest by far.
 * @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context
 * @param {HTMLVideoElement} video
 * @param {number[]} size what the whole would be drawn as
 * @param {number[]} part of that
 * @returns {boolean} whether this browser can, at this address
 */
function putPart(context, video, [w, h], [x0, y0, x1, y1]) {
  if (!window.VideoFrame) return false;
  const whole = new VideoFrame(video);
  const { visibleRect: all, displayWidth, displayHeight } = whole;
  let cut;
  // One that is to be turned or stretched has its pixels elsewhere.
  if (all && all.x === 0 && all.y === 0 && displayWidth === all.width && displayHeight === all.height) {
    // Colours are kept for two by two pixels; a few more are there for smoothing.
    const low = (/** @type {number} */ v) => Math.max(0, 2 * Math.floor(v / 2) - 2);
    const high = (/** @type {number} */ v, /** @type {number} */ most) => Math.min(most, 2 * Math.ceil(v / 2) + 2);
    const [sx, sy] = [all.width / w, all.height / h];
    const [x, y] = [low(x0 * sx), low(y0 * sy)];
    const [width, height] = [high(x1 * sx, all.width) - x, high(y1 * sy, all.height) - y];
    if (width > 0 && height > 0) {
      cut = new VideoFrame(whole, { visibleRect: { x, y, width, height } });
      context.drawImage(cut, x / sx, y / sy, width / sx, height / sy);
    }
  }
  whole.close();
  cut?.close();
  return cut !== undefined;
}

/** The box round a part of the glass, as an element has it that is turned so. @param {number[]} part @param {DOMMatrix} turned */
function within([x0, y0, x1, y1], turned) {
  const back = turned.inverse();
  const corners = [x0, x1].flatMap((x) => [y0, y1].map((y) => back.transformPoint(new DOMPoint(x, y))));
  const [xs, ys] = [corners.map((c) => c.x), corners.map((c) => c.y)];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}
