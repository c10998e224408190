// @ts-check
// A crosshair for those who go by keyboard: arrow keys move it, Enter puts the pen down and lifts it.

import { el } from "../page.js";

/** How far an arrow key moves it, in CSS pixels; with Shift, finely. */
const STEP = 16;
const FINE = 2;
/** A pointer that no hand has. */
const POINTER = 0x7c05;
/** @type {Record<string, [number, number]>} */
const WAYS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Hand } from "./hand.js" */

/** @typedef {() => { left: number, top: number, width: number, height: number }} Area */
/** @typedef {"pointerdown" | "pointermove" | "pointerup" | "pointercancel"} What */
/** @typedef {ReturnType<typeof prepareCrosshair>} Crosshair */

/**
 * Tells an element what the crosshair does, as a mouse would.
 * @param {HTMLElement} sheet
 * @returns {(what: What, x: number, y: number, down: boolean, shiftKey: boolean) => void}
 */
export const asMouseOn = (sheet) => (what, clientX, clientY, down, shiftKey) =>
  sheet.dispatchEvent(
    new PointerEvent(what, {
      pointerId: POINTER,
      pointerType: "mouse",
      isPrimary: true,
      button: what === "pointermove" ? -1 : 0,
      buttons: down ? 1 : 0,
      pressure: 0.5,
      clientX,
      clientY,
      shiftKey,
      bubbles: true,
    }),
  );

/**
 * What the crosshair takes of the keys that an element gets, nothing else gets.
 * @param {HTMLElement} element @param {{ hide: () => boolean, key: (e: KeyboardEvent) => boolean }} crosshair
 */
export function listenToItsKeys(element, { hide, key }) {
  const listen = (/** @type {KeyboardEvent} */ e) => {
    if (e.target !== element || !(e.key === "Escape" ? hide() : key(e))) return;
    e.preventDefault();
    e.stopImmediatePropagation();
  };
  element.addEventListener("keydown", listen, { capture: true });
}

/**
 * The crosshair of the picture that a hand draws on.
 * @param {{ glass: Glass, hand: Hand, host: HTMLElement, area: Area }} picture
 */
export function prepareCrosshairOfHand({ glass, hand, host, area }) {
  const sheet = el("glass");
  const crosshair = prepareCrosshair({
    host,
    area,
    tell: asMouseOn(sheet),
    // Where no pointer gets, it has no business either.
    free: () => !hand.held.touching && getComputedStyle(sheet).pointerEvents !== "none",
    taps: () => glass.taps(),
  });
  hand.changed(({ touching }) => touching && crosshair.hide());
  return crosshair;
}

/**
 * @param {{ host: HTMLElement, area: Area,
 *   tell: (what: What, x: number, y: number, down: boolean, shiftKey: boolean) => void,
 *   free?: () => boolean, taps?: () => boolean }} picture
 *   `host` is what it lies in, and `area` where it can go there, in CSS pixels; `tell` hears what it does, in those of the
 *   window; `free` says whether arrow keys are its own, and `taps` whether Enter is all of a press
 */
export function prepareCrosshair({ host, area, tell, free = () => true, taps = () => false }) {
  const cross = document.createElement("div");
  cross.className = "crosshair";
  cross.hidden = true;
  host.append(cross);
  let down = false;
  /** Where it is, as fractions of the area. */
  const at = { x: 0.5, y: 0.5 };

  /** @param {What} what @param {boolean} [shift] */
  const does = (what, shift = false) => {
    const room = host.getBoundingClientRect();
    const { left, top, width, height } = area();
    tell(what, room.left + left + at.x * width, room.top + top + at.y * height, down, shift);
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
    if (down) does("pointercancel");
    down = false;
    return true;
  };
  /** `true` when the key was the crosshair's. @param {KeyboardEvent} e */
  const key = (e) => {
    if (!free()) return false;
    const way = WAYS[e.key];
    if (way) {
      const { width, height } = area();
      const step = e.shiftKey ? FINE : STEP;
      at.x = Math.min(Math.max(at.x + (way[0] * step) / width, 0), 1);
      at.y = Math.min(Math.max(at.y + (way[1] * step) / height, 0), 1);
      does("pointermove");
      show();
      return true;
    }
    if (e.key !== "Enter" || cross.hidden) return false;
    if (e.repeat) return true;
    down = !down;
    does(down ? "pointerdown" : "pointerup", e.shiftKey);
    if (down && taps()) {
      down = false;
      does("pointerup", e.shiftKey);
    }
    show();
    return true;
  };
  // A hand on the picture needs no crosshair.
  host.addEventListener("pointerdown", (e) => e.isTrusted && hide());
  return {
    key,
    hide,
    shows: () => !cross.hidden,
    /** The area lies elsewhere now. */
    lay: () => cross.hidden || show(),
  };
}
