// @ts-check
// Where the pictures of a recording come from: the picture area, composed here, or a screen or camera.

import { fitted, inset } from "../../glass/recorder.js";
import { placesForAll } from "../panels/asked.js";
import { blank } from "../picture/blank.js";
import { layOver } from "../picture/snapshot.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Moving } from "../moving/moving.js" */
/** @import { Source } from "../moving/sources.js" */

/**
 * @typedef {{ draw: (context: OffscreenCanvasRenderingContext2D, width: number, height: number) => void,
 *   pixels: (width: number, height: number) => number, changed: () => boolean, scene: () => string, heard: () => MediaStreamTrack[], stop: () => void }} Pictures
 * `pixels` is how many there are to each of a film of that size; `scene` is another one when something else is shown; `heard` is the sound that comes with the pictures
 */

/** The picture area is so many glass units wide. */
const GLASS_WIDTH = 1920;

/**
 * The picture area as everybody in the room sees it. While the lesson is paused its last picture stays, as with participants.
 * @param {{ glass: Glass, picture: HTMLElement, layers: { painted: number }, beneath: Beneath, moving: Moving, paused: () => boolean,
 *   plate: HTMLElement }} stage `plate` shows keys that are pressed
 * @returns {Pictures}
 */
export function pictureArea({ glass, picture, layers, beneath, moving, paused, plate }) {
  moving.recorded = true;
  let painted = -1;
  let words = "";
  let places = "";
  let share = 1;
  return {
    draw(context, width, height) {
      // What was seen last stays, and before that nothing was.
      if (paused()) return painted < 0 ? context.clearRect(0, 0, width, height) : undefined;
      painted = layers.painted;
      const hidden = glass.hidden_on_stage();
      const area = picture.getBoundingClientRect();
      const [x, y, w, h] = fitted(area.width, area.height, width, height);
      context.fillStyle = "#000";
      context.fillRect(0, 0, width, height);
      context.fillStyle = "#fff";
      context.fillRect(x, y, w, h);
      context.save();
      context.beginPath();
      context.rect(x, y, w, h);
      context.clip();
      context.translate(x, y);
      context.scale(w / area.width, h / area.height);
      context.translate(-area.x, -area.y);
      layOver(context, picture, (element, rect) => {
        // The lens enlarges what the presenter sees, and that is also what is hidden.
        if (element.id === "lens" && hidden.length) return true;
        const id = /** @type {HTMLElement | null} */ (element.closest(".pane"))?.dataset.backdrop ?? "";
        if (element instanceof HTMLIFrameElement) return drawPage(context, id, rect);
        const source = moving.sources.get(id);
        if (source?.element !== element || source.upright) return false;
        context.translate(rect.x, rect.y);
        source.draw(context, element, rect.width, rect.height);
        return true;
      });
      words = pressed();
      places = placesForAll();
      if (words) drawPlate(context, plate);
      context.restore();
      context.save();
      context.translate(x, y);
      context.scale(w / GLASS_WIDTH, w / GLASS_WIDTH);
      blank(context, hidden);
      context.restore();
    },
    pixels(width, height) {
      // A picture of another size would be an empty one: the last one stays.
      if (paused() && painted >= 0) return share;
      const area = picture.getBoundingClientRect();
      share = (area.width * devicePixelRatio) / fitted(area.width, area.height, width, height)[2];
      return share;
    },
    changed: () =>
      !paused() &&
      (painted !== layers.painted ||
        words !== pressed() ||
        places !== placesForAll() ||
        beneath.panes.some((p) => p.moves && p.frozen === null)),
    heard: () => [],
    scene: () => beneath.panes.map((p) => `${p.id} ${p.page}`).join(),
    stop() {
      moving.recorded = false;
    },
  };

  function pressed() {
    return plate.hidden ? "" : (plate.textContent ?? "");
  }

  /** A page is only to be had as the browser's picture of this tab. @param {OffscreenCanvasRenderingContext2D} context @param {string} id @param {DOMRect} rect */
  function drawPage(context, id, rect) {
    const part = moving.tab && moving.partOf(id, false);
    if (!moving.tab || !part) {
      context.fillStyle = "#e8e6e1";
      context.fillRect(rect.x, rect.y, rect.width, rect.height);
      return true;
    }
    const [x, y, w, h] = part.crop;
    const pane = beneath.pane(id);
    const [x0, y0, x1, y1] = (pane?.room ?? [0, 0, 0, 0]).map((v) => v * beneath.css);
    const { left, top } = beneath.host.getBoundingClientRect();
    const { x: ox, y: oy } = beneath.origin;
    context.drawImage(moving.tab.element, x, y, w, h, left + ox + x0, top + oy + y0, x1 - x0, y1 - y0);
    return true;
  }
}

/** Words on a plate, as they are seen on the page. @param {OffscreenCanvasRenderingContext2D} context @param {HTMLElement} plate */
function drawPlate(context, plate) {
  const { x, y, width, height } = plate.getBoundingClientRect();
  const look = getComputedStyle(plate);
  context.fillStyle = look.backgroundColor;
  context.beginPath();
  context.roundRect(x, y, width, height, Number.parseFloat(look.borderRadius));
  context.fill();
  context.fillStyle = look.color;
  context.font = look.font;
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.fillText(plate.textContent ?? "", x + width / 2, y + height / 2);
}

/** A screen, window or tab, or a camera, whole. @param {Source} source @returns {Pictures} */
export function ofSource(source) {
  return {
    draw(context, width, height) {
      const [w, h] = source.size;
      context.fillStyle = "#000";
      context.fillRect(0, 0, width, height);
      if (w && h) drawFitted(context, source, fitted(w, h, width, height));
    },
    pixels(width, height) {
      const [w, h] = source.size;
      return w / fitted(w, h, width, height)[2];
    },
    changed: () => true,
    scene: () => "",
    heard: () => source.heard,
    stop: () => source.stop(),
  };
}

/** @param {OffscreenCanvasRenderingContext2D} context @param {Source} source @param {Float64Array} place */
function drawFitted(context, source, [x, y, w, h]) {
  context.save();
  context.translate(x, y);
  source.draw(context, source.element, w, h);
  context.restore();
}

/** Where the camera is seen, as core's `Inset` has it. @typedef {{ at: [number, number], height: number, round: boolean }} Inset */

/**
 * The camera over all else.
 * @param {OffscreenCanvasRenderingContext2D} context @param {Source} camera @param {Inset} said
 * @param {number} width @param {number} height
 */
export function drawCamera(context, camera, said, width, height) {
  const [w, h] = camera.size;
  if (!w || !h) return;
  const [x, y, rw, rh, px, py, pw, ph] = inset(JSON.stringify(said), w, h, width, height);
  context.save();
  context.beginPath();
  if (said.round) context.arc(x + rw / 2, y + rh / 2, rw / 2, 0, 2 * Math.PI);
  else context.roundRect(x, y, rw, rh, Math.min(rw, rh) * 0.04);
  context.clip();
  context.translate(x - (px * rw) / pw, y - (py * rh) / ph);
  camera.draw(context, camera.element, (w * rw) / pw, (h * rh) / ph);
  context.restore();
}
