// @ts-check
// A picture of what is seen: all layers of the picture area, laid over one another as the browser shows them.

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
  for (const layer of picture.querySelectorAll("img, canvas, video")) {
    const shown = /** @type {HTMLImageElement | HTMLCanvasElement | HTMLVideoElement} */ (layer);
    const { x, y, width, height } = shown.getBoundingClientRect();
    if (!shown.checkVisibility({ visibilityProperty: true }) || width * height === 0 || isEmpty(shown)) continue;
    context.save();
    const pane = shown.closest(".pane")?.getBoundingClientRect();
    if (pane) {
      context.beginPath();
      context.rect(pane.x, pane.y, pane.width, pane.height);
      context.clip();
    }
    context.globalCompositeOperation = shown.classList.contains("mixes") ? "hard-light" : "source-over";
    context.drawImage(shown, x, y, width, height);
    context.restore();
  }
  return new Promise((resolve) => canvas.toBlob(resolve, "image/png"));
}

/** Nothing of it is here yet. @param {HTMLImageElement | HTMLCanvasElement | HTMLVideoElement} shown */
function isEmpty(shown) {
  if (shown instanceof HTMLImageElement) return !shown.complete || shown.naturalWidth === 0;
  if (shown instanceof HTMLVideoElement) return shown.readyState < HTMLMediaElement.HAVE_CURRENT_DATA;
  return shown.width * shown.height === 0;
}
