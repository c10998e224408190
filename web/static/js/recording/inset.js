// @ts-check
// The camera on the stage, where it is in the film: dragged and sized by hand or by keys.

import { inset } from "../../glass/recorder.js";
import { place } from "../page.js";

/** @import { Inset } from "./pictures.js" */
/** @import { Source } from "../moving/sources.js" */

/** By how much a key moves it, as a share of the picture, and by how much it becomes larger. */
const STEP = 0.02;
const LARGER = 1.1;
/** @type {Record<string, [number, number]>} */
const WAYS = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, -STEP], ArrowDown: [0, STEP] };

export class CameraOnStage {
  /**
   * @param {HTMLElement} box with a grip
   * @param {HTMLElement} picture the picture area
   * @param {{ source: Source, inset: Inset }} camera
   * @param {() => void} changed it lies elsewhere, or is as large as it is by hand
   */
  constructor(box, picture, camera, changed) {
    this.box = box;
    this.picture = picture;
    this.camera = camera;
    this.changed = changed;
    this.video = document.createElement("video");
    this.video.muted = this.video.playsInline = true;
    this.video.srcObject = new MediaStream([camera.source.track]);
    box.prepend(this.video);
    this.video.play().catch(() => {});
    const grip = /** @type {HTMLElement} */ (box.querySelector(".grip"));
    box.hidden = false;
    box.onpointerdown = (e) => this.take(e, e.target === grip);
    box.onkeydown = (e) => this.press(e);
    this.sees = new ResizeObserver(() => this.lay());
    this.sees.observe(picture);
    this.lay();
  }

  /** Lies where it is in the film. */
  lay() {
    const [w, h] = this.camera.source.size;
    if (!w || !h) return;
    const area = this.picture.getBoundingClientRect();
    const host = /** @type {HTMLElement} */ (this.box.offsetParent ?? document.body).getBoundingClientRect();
    const [x, y, width, height] = inset(JSON.stringify(this.camera.inset), w, h, area.width, area.height);
    // What it is told lies in the picture, so that the next move begins where it is seen.
    this.camera.inset.at = [(x + width / 2) / area.width, (y + height / 2) / area.height];
    this.camera.inset.height = height / area.height;
    place(this.box, [area.x - host.x + x, area.y - host.y + y, width, height]);
    this.box.classList.toggle("round", this.camera.inset.round);
  }

  /** @param {PointerEvent} e @param {boolean} sizes */
  take(e, sizes) {
    e.preventDefault();
    this.box.focus();
    this.box.setPointerCapture(e.pointerId);
    const { inset: held } = this.camera;
    const [atX, atY] = held.at;
    const { height } = held;
    const area = this.picture.getBoundingClientRect();
    this.box.onpointermove = (m) => {
      const [dx, dy] = [(m.clientX - e.clientX) / area.width, (m.clientY - e.clientY) / area.height];
      // It grows from its middle, so twice as much as the grip goes.
      if (sizes) held.height = height + 2 * dy;
      else held.at = [atX + dx, atY + dy];
      this.lay();
    };
    this.box.onpointerup = this.box.onpointercancel = () => {
      this.box.onpointermove = null;
      this.changed();
    };
  }

  /** @param {KeyboardEvent} e */
  press(e) {
    const { inset: held } = this.camera;
    const way = WAYS[e.key];
    if (way) held.at = [held.at[0] + way[0], held.at[1] + way[1]];
    else if (e.key === "+" || e.key === "=") held.height *= LARGER;
    else if (e.key === "-") held.height /= LARGER;
    else return;
    e.preventDefault();
    e.stopPropagation();
    this.lay();
    this.changed();
  }

  stop() {
    this.sees.disconnect();
    this.box.hidden = true;
    this.video.srcObject = null;
    this.video.remove();
  }
}
