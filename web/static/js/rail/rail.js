// @ts-check
// The rail itself: at which edge it stands, how far along, folded, locked.

import { el } from "../page.js";
import { closePanels } from "../panels/panels.js";

/** @import { Settings } from "../settings.js" */

/** Two seconds, in milliseconds: long enough that no child's hand does it by chance. */
const HOLD = 2000;
/** Under this a tab remembers that it is locked: a child's F5 unlocks nothing. */
const LOCKED = "locked";

/**
 * @param {{ settings: Settings, laidOut: () => void, locked: (locked: boolean) => void }} stage
 */
export function prepareRail({ settings, laidOut, locked }) {
  const rail = el("rail");
  const grip = el("rail-grip");
  // Beside a rail at a side, a phone held upright would have no room for the picture.
  const narrow = matchMedia("(max-width: 599px)");
  /** How it stood when it was shown last. */
  let stood = "";
  const edges = /** @type {const} */ (["bottom", "left", "right"]);

  function show() {
    const { along, folded } = settings.now.rail;
    const edge = narrow.matches ? "bottom" : settings.now.rail.edge;
    for (const e of edges) document.body.classList.toggle(`edge-${e}`, e === edge);
    document.body.classList.toggle("folded", folded);
    rail.style.setProperty("--before", `${along}`);
    rail.style.setProperty("--after", `${1 - along}`);
    grip.setAttribute("aria-expanded", `${!folded}`);
    grip.setAttribute("aria-label", folded ? "Unfold the rail" : "Fold the rail; drag or arrow keys move it");
    for (const e of edges) el(`rail-${e}`).setAttribute("aria-pressed", `${e === edge}`);
    // Only then has the picture another room; a capture box that is being drawn stays otherwise.
    const stands = `${edge} ${folded}`;
    if (stands !== stood) laidOut();
    stood = stands;
  }

  for (const edge of edges) {
    el(`rail-${edge}`).addEventListener("click", () => settings.change(({ rail }) => (rail.edge = edge)));
  }

  // ---- The grip: pressed it folds, dragged it slides the rail or takes it to another edge -------

  /** @type {{ id: number, x: number, y: number, along: number, went: boolean } | null} */
  let drag = null;
  grip.addEventListener("pointerdown", (e) => {
    if (e.button !== 0) return;
    grip.setPointerCapture(e.pointerId);
    drag = { id: e.pointerId, x: e.clientX, y: e.clientY, along: settings.now.rail.along, went: false };
  });
  grip.addEventListener("pointermove", (e) => {
    if (drag?.id !== e.pointerId) return;
    drag.went ||= Math.hypot(e.clientX - drag.x, e.clientY - drag.y) > 6;
    if (!drag.went) return;
    const { edge } = settings.now.rail;
    const near = nearest(e);
    if (near !== edge) {
      drag.along = 0.5;
      [drag.x, drag.y] = [e.clientX, e.clientY];
      settings.change(({ rail }) => Object.assign(rail, { edge: near, along: 0.5 }));
      return;
    }
    const tools = el("rail-tools").getBoundingClientRect();
    const whole = rail.getBoundingClientRect();
    const spare = edge === "bottom" ? whole.width - tools.width : whole.height - tools.height;
    const went = edge === "bottom" ? e.clientX - drag.x : e.clientY - drag.y;
    if (spare > 1) slide(drag.along + went / spare);
  });
  for (const end of ["pointerup", "pointercancel"]) {
    grip.addEventListener(end, () => setTimeout(() => (drag = null)));
  }
  grip.addEventListener("click", () => {
    if (drag?.went) return;
    closePanels();
    settings.change(({ rail }) => (rail.folded = !rail.folded));
    grip.focus({ preventScroll: true });
  });
  grip.addEventListener("keydown", (e) => {
    const step = { ArrowLeft: -0.1, ArrowUp: -0.1, ArrowRight: 0.1, ArrowDown: 0.1 }[e.key];
    if (!step) return;
    slide(settings.now.rail.along + step);
    e.preventDefault();
    e.stopPropagation();
  });

  /** @param {number} along */
  function slide(along) {
    settings.change(({ rail }) => (rail.along = Math.min(Math.max(along, 0), 1)));
  }

  /**
   * The edge that a dragged grip asks for.
   * @param {PointerEvent} e
   */
  function nearest(e) {
    const { edge } = settings.now.rail;
    const [w, h] = [innerWidth, innerHeight];
    if (e.clientX < w * 0.12 && e.clientY < h * 0.8) return "left";
    if (e.clientX > w * 0.88 && e.clientY < h * 0.8) return "right";
    if (e.clientY > h * 0.9 && e.clientX > w * 0.2 && e.clientX < w * 0.8) return "bottom";
    return edge;
  }

  // ---- The child lock --------------------------------------------------------------------------

  for (const id of ["lock", "unlock"]) {
    const key = el(id);
    /** @type {number | undefined} */
    let holding;
    const begin = () => {
      key.classList.add("held");
      clearTimeout(holding);
      holding = window.setTimeout(() => {
        key.classList.remove("held");
        lock(id === "lock");
      }, HOLD);
    };
    const end = () => {
      key.classList.remove("held");
      clearTimeout(holding);
    };
    key.addEventListener("pointerdown", (e) => e.button === 0 && begin());
    for (const over of ["pointerup", "pointercancel", "pointerleave", "blur", "keyup"]) key.addEventListener(over, end);
    key.addEventListener("keydown", (e) => {
      if ((e.key === "Enter" || e.key === " ") && !e.repeat) begin();
    });
    key.addEventListener("contextmenu", (e) => e.preventDefault());
  }

  /** @param {boolean} value */
  function lock(value) {
    closePanels();
    document.body.classList.toggle("locked", value);
    sessionStorage.setItem(LOCKED, value ? "yes" : "");
    locked(value);
    if (value) el("unlock").focus({ preventScroll: true });
    laidOut();
  }

  settings.changed(show);
  narrow.addEventListener("change", show);
  show();
  if (sessionStorage.getItem(LOCKED)) lock(true);
}

/** Whether everything but the pen in hand is locked. */
export const isLocked = () => document.body.classList.contains("locked");
