// @ts-check
// The pixels at the corner of a box, larger.

import { canvas } from "../page.js";

/** How many pixels are shown across, and how large each is, in CSS pixels. */
const SEEN = 15;
const LARGE = 8;
/** How far from the corner the loupe stands, in CSS pixels. */
const ASIDE = 36;

/** @typedef {{ x: number, y: number, right: boolean, low: boolean }} Corner where it is, and on which sides of its box */

export class Loupe {
  /** @param {string} ground what is to be seen beside the picture */
  constructor(ground) {
    this.ground = ground;
    this.canvas = canvas("loupe");
    this.canvas.width = this.canvas.height = SEEN * LARGE;
  }

  /**
   * Shows the pixels round a corner, or is put away.
   * @param {Corner | null} at
   * @param {(OffscreenCanvas | HTMLCanvasElement)[]} pictures one over the other
   * @param {{ width: number, height: number }} size of the picture area, in CSS pixels
   */
  show(at, pictures, { width, height }) {
    this.canvas.hidden = !at || pictures.length === 0;
    const context = this.canvas.getContext("2d");
    if (!at || !context || this.canvas.hidden) return;
    const side = SEEN * LARGE;
    context.imageSmoothingEnabled = false;
    context.fillStyle = this.ground;
    context.fillRect(0, 0, side, side);
    for (const from of pictures) {
      if (from instanceof HTMLCanvasElement && from.style.visibility === "hidden") continue;
      // Pixels of the screen; the middle one lies just inside the corner.
      const [fine, seen] = [from.width / width, SEEN / devicePixelRatio];
      const [x, y] = [at.x - seen / 2, at.y - seen / 2];
      const mixes = from instanceof HTMLCanvasElement && from.classList.contains("mixes");
      context.globalCompositeOperation = mixes ? "hard-light" : "source-over";
      context.drawImage(from, x * fine, y * fine, seen * fine, seen * fine, 0, 0, side, side);
    }
    context.globalCompositeOperation = "source-over";
    // The box's sides at the corner, light with a dark rim.
    const middle = side / 2;
    for (const [colour, half] of /** @type {const} */ ([
      ["#14181d", 3],
      ["#fff", 1],
    ])) {
      context.fillStyle = colour;
      context.fillRect(middle - half, at.low ? 0 : middle, 2 * half, middle);
      context.fillRect(at.right ? 0 : middle, middle - half, middle, 2 * half);
    }
    const left = at.right ? at.x + ASIDE : at.x - ASIDE - side;
    const top = at.low ? at.y + ASIDE : at.y - ASIDE - side;
    const within = (/** @type {number} */ v, /** @type {number} */ most) => Math.max(0, Math.min(v, most - side));
    this.canvas.style.left = `${within(left, width)}px`;
    this.canvas.style.top = `${within(top, height)}px`;
  }
}
