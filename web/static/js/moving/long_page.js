// @ts-check
// A page that runs, from its top to its end: it is scrolled through part by part, and back.

import { say } from "../messages.js";

/** @import { LongPage } from "../../glass/cut.js" */
/** @import { PaneShown as Pane } from "../../glass/glass.js" */
/** @import { Grabbed, Moving } from "./moving.js" */
/** @import { Whereabouts } from "./web_pages.js" */

/**
 * Its picture; `null` when that cannot be had.
 * @param {{ moving: Moving, page: Pane, whereabouts: (id: string, to?: { x: number, y: number }) => Promise<Whereabouts | null>,
 *   begin: (first: Float64Array, across: number, length: number) => LongPage | undefined }} how
 * @returns {Promise<Grabbed | null>}
 */
export async function grabWhole({ moving, page, whereabouts, begin }) {
  // Whoever has to allow it first is asked before anything moves.
  const before = (await moving.grab(page)) && (await whereabouts(page.id));
  if (!before) return null;
  const canvas = document.createElement("canvas");
  const context = canvas.getContext("2d", { willReadFrequently: true });
  /** @type {Grabbed | null} */
  let part = null;
  /** @type {LongPage | undefined} */
  let whole;
  try {
    for (let y = 0; y >= 0; ) {
      const at = await whereabouts(page.id, { x: before.x, y });
      part = at && (await settledPart(moving, page, part));
      if (!at || !part || !context) return null;
      const shows = Float64Array.from(part.shows);
      if (!whole) {
        whole = begin(shows, part.canvas.width, at.height);
        [canvas.width, canvas.height] = [part.canvas.width, whole?.height ?? 0];
      }
      const [row, next, share] = whole?.lay(shows, part.canvas.height, at.y) ?? [];
      if (row === undefined) return null;
      context.drawImage(part.canvas, 0, row);
      y = next;
      if (y >= 0) say(`Taking the page: ${Math.round(100 * share)} %`);
    }
    return whole ? { canvas, shows: [...whole.shows()] } : null;
  } finally {
    whole?.free();
    await whereabouts(page.id, before);
  }
}

/**
 * The picture of a page once it stands still and is another than before, or a moment has passed: what was scrolled
 * is in the browser's picture of the tab a little later.
 * @param {Moving} moving @param {Pane} page @param {Grabbed | null} before
 */
async function settledPart(moving, page, before) {
  let part = await moving.grab(page);
  for (let n = 0; n < 8 && part; n++) {
    const next = await moving.grab(page);
    if (!next) return null;
    const isAnother = !before || !isSame(next.canvas, before.canvas);
    if (isAnother && isSame(next.canvas, part.canvas)) return next;
    part = next;
  }
  return part;
}

/** Whether two pictures show the same, as far as a small version tells. @param {HTMLCanvasElement} a @param {HTMLCanvasElement} b */
function isSame(a, b) {
  const [one, other] = [a, b].map((picture) => {
    const context = new OffscreenCanvas(96, 54).getContext("2d", { willReadFrequently: true });
    context?.drawImage(picture, 0, 0, 96, 54);
    return new Uint32Array(context?.getImageData(0, 0, 96, 54).data.buffer ?? new ArrayBuffer(0));
  });
  return one.every((v, i) => v === other[i]);
}
