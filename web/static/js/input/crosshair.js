// @ts-check
// A crosshair for those who go by keyboard: arrow keys move it, Enter puts the pen down and lifts it.

import { el } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Hand } from "./hand.js" */

/** How far an arrow key moves it, in CSS pixels; with Shift, finely. */
const STEP = 16;
const FINE = 2;
/** A pointer that no hand has. */
const POINTER = 0x7c05;
/** @type {Record<string, [number, number]>} */
const WAYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/**
 * @param {{ glass: Glass, hand: Hand, sheet: HTMLElement, area: () => { left: number, top: number, width: number, height: number } }} stage
 */
export function prepareCrosshair({ glass, hand, sheet, area }) {
  const cross = el("crosshair");
  let down = false;
  /** Where it is, as fractions of the picture area. */
  const at = { x: 0.5, y: 0.5 };

  /** @param {"pointerdown" | "pointermove" | "pointerup" | "pointercancel"} what @param {KeyboardEvent} [e] */
  const tell = (what, e) => {
    const { left, top, width, height } = sheet.getBoundingClientRect();
    sheet.dispatchEvent(
      new PointerEvent(what, {
        pointerId: POINTER,
        pointerType: "mouse",
        isPrimary: true,
        button: what === "pointermove" ? -1 : 0,
        buttons: down ? 1 : 0,
        pressure: 0.5,
        clientX: left + at.x * width,
        clientY: top + at.y * height,
        shiftKey: e?.shiftKey,
        bubbles: true,
      }),
    );
  };
  const show = () => {
    const { left, top, width, height } = area();
    Object.assign(cross.style, { left: `${left + at.x * width}px`, top: `${top + at.y * height}px` });
    cross.classList.toggle("down", down);
    cross.hidden = false;
  };
  /** Puts it away; what it was drawing is given up. `false` when it was not there. */
  const hide = () => {
    if (cross.hidden) return false;
    cross.hidden = true;
    if (down) tell("pointercancel");
    down = false;
    return true;
  };
  /** `true` when the key was the crosshair's. @param {KeyboardEvent} e */
  const key = (e) => {
    if (hand.held.touching) return false;
    const way = WAYS[e.key];
    if (way) {
      const { width, height } = area();
      const step = e.shiftKey ? FINE : STEP;
      at.x = Math.min(Math.max(at.x + (way[0] * step) / width, 0), 1);
      at.y = Math.min(Math.max(at.y + (way[1] * step) / height, 0), 1);
      tell("pointermove");
      show();
      return true;
    }
    if (e.key !== "Enter" || cross.hidden) return false;
    if (e.repeat) return true;
    down = !down;
    tell(down ? "pointerdown" : "pointerup", e);
    if (down && glass.taps()) {
      down = false;
      tell("pointerup", e);
    }
    show();
    return true;
  };
  // A hand on the glass needs no crosshair.
  sheet.addEventListener("pointerdown", (e) => e.isTrusted && hide());
  hand.changed(({ touching }) => touching && hide());
  return { key, hide, shows: () => !cross.hidden };
}
