// @ts-check
// A picture of what is seen: all layers of the picture area, laid over one another as the browser shows them.

import { drawPlaces } from "../panels/asked.js";

/** What can be drawn. @typedef {HTMLImageElement | HTMLCanvasElement | HTMLVideoElement} Layer */

/**
 * Lays all layers of the picture area over one another, and what was answered there, in CSS pixels of the page.
 * @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context
 * @param {HTMLElement} picture the picture area
 * @param {(element: Layer | HTMLIFrameElement, rect: DOMRect) => boolean} [instead] draws an element in another way; `true` when it has
 */
export function layOver(context, picture, instead) {
  for (const layer of picture.querySelectorAll("img, canvas, video, iframe")) {
    const shown = /** @type {Layer | HTMLIFrameElement} */ (layer);
    const rect = shown.getBoundingClientRect();
    const { x, y, width, height } = rect;
    if (!shown.checkVisibility({ visibilityProperty: true }) || width * height === 0) continue;
    context.save();
    const pane = shown.closest(".pane")?.getBoundingClientRect();
    if (pane) {
      context.beginPath();
      context.rect(pane.x, pane.y, pane.width, pane.height);
      context.clip();
    }
    context.globalCompositeOperation = shown.classList.contains("mixes") ? "hard-light" : "source-over";
    if (!instead?.(shown, rect) && !(shown instanceof HTMLIFrameElement) && !isEmpty(shown))
      context.drawImage(shown, x, y, width, height);
    context.restore();
  }
  drawPlaces(context);
}

/**
 * @param {HTMLElement} picture the picture area
 * @param {{ left: number, top: number, right: number, bottom: number }} part of it, in CSS pixels
 * @returns {Promise<Blob | null>} a PNG file in the screen's own pixels
 */
export function snapshot(picture, { left, top, right, bottom }) {
  const canvas = document.createElement("canvas");
  const scale = devicePixelRatio;
  [canvas.width, canvas.height] = [Math.round((right - left) * scale), Math.round((bottom - top) * scale)];
  const context = canvas.getContext("2d");
  if (!context || canvas.width * canvas.height === 0) return Promise.resolve(null);
  const origin = picture.getBoundingClientRect();
  context.fillStyle = "#fff";
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.setTransform(scale, 0, 0, scale, -(origin.left + left) * scale, -(origin.top + top) * scale);
  layOver(context, picture);
  return new Promise((resolve) => canvas.toBlob(resolve, "image/png"));
}

/** Nothing of it is here yet. @param {Layer} shown */
function isEmpty(shown) {
  if (shown instanceof HTMLImageElement) return !shown.complete || shown.naturalWidth === 0;
  if (shown instanceof HTMLVideoElement) return shown.readyState < HTMLMediaElement.HAVE_CURRENT_DATA;
  return shown.width * shown.height === 0;
}
