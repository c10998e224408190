// @ts-check
// Pens, mice and fingers on the glass: pointer events become calls.

/** @import { Glass } from "../glass/glass.js" */
/** @import { Layers } from "./layers.js" */
/** @import { Hand } from "./hand.js" */

const DEVICES = { mouse: 0, pen: 1, touch: 2 };
const ERASER_END = 32;
/** By how many milliseconds a timer may come early. */
const EARLY = 20;

/** @typedef {{ x: number, y: number }} Spot */
/**
 * What a tool other than the pen does with a pointer. `more` says whether a further pointer that
 * goes down meanwhile is the tool's as well.
 * @typedef {{ move: (at: Spot, e: PointerEvent) => void, up: (at: Spot, e: PointerEvent) => void,
 *   more?: (at: Spot, e: PointerEvent) => boolean, moreMoves?: (at: Spot) => void, moreUp?: () => void }} Doing
 */

/**
 * All places that a pointer has passed since the last event. Browsers tell them on secure addresses
 * only, and some never do.
 * @param {PointerEvent} e
 */
function passed(e) {
  const all = e.getCoalescedEvents?.() ?? [];
  return all.length ? all : [e];
}

/**
 * @param {{ sheet: HTMLElement, glass: Glass, layers: Layers, hand: Hand, flush: () => void,
 *   began: (at: Spot) => void, ended: () => void, eraser: (at: Spot | null) => void,
 *   moved: () => void, readOut: (at: Spot | null) => void, fingerMoves: () => boolean, locked: () => boolean,
 *   scrolls: (dx: number, dy: number) => boolean,
 *   others: Partial<Record<import("./hand.js").Tool, (at: Spot, e: PointerEvent) => Doing | null>> }} stage
 */
export function listenToPens(stage) {
  const {
    sheet,
    glass,
    layers,
    hand,
    flush,
    began,
    ended,
    eraser,
    moved,
    readOut,
    fingerMoves,
    locked,
    scrolls,
    others,
  } = stage;
  /** What each pointer is doing. @type {Map<number, "draws" | "shapes" | "erases" | "moves" | Doing>} */
  const pointers = new Map();
  /** Pointers that are part of what another is doing. @type {Map<number, Doing>} */
  const helpers = new Map();
  /** A second finger does what Shift does, for the pointer that it came to. @type {Map<number, number>} */
  const even = new Map();
  let left = 0;
  let top = 0;
  /** What waits for each pointer to be held still. @type {Map<number, number>} */
  const resting = new Map();

  /** @param {MouseEvent} e */
  const at = (e) => ({ x: e.clientX - left, y: e.clientY - top });
  /** @param {PointerEvent} e */
  const sample = (e) => [e.clientX - left, e.clientY - top, e.pressure, e.timeStamp];
  /** @param {PointerEvent} e */
  const device = (e) => DEVICES[/** @type {keyof typeof DEVICES} */ (e.pointerType)] ?? 0;
  /** @param {PointerEvent} e */
  const constrained = (e) => e.shiftKey || [...even.values()].includes(e.pointerId);
  const find = () => ({ left, top } = sheet.getBoundingClientRect());

  /** A pointer has come to where it perhaps stays. @param {PointerEvent} e */
  const rest = (e) => {
    const id = e.pointerId;
    clearTimeout(resting.get(id));
    // Keys rest between any two strokes of theirs.
    if (!e.isTrusted) return;
    const timer = window.setTimeout(() => {
      if (pointers.get(id) !== "draws" || !glass.pen_rests(id, performance.now())) return;
      layers.drawWet();
      flush();
    }, glass.dwell() + EARLY);
    resting.set(id, timer);
  };

  sheet.addEventListener("pointerdown", (e) => {
    const { tool, touching, swatch, figure, filled, dash, sign } = hand.held;
    const eraserEnd = (e.buttons & ERASER_END) !== 0;
    if (e.button !== 0 && !eraserEnd) return;
    e.preventDefault();
    find();
    if (e.pointerType === "pen") glass.pen_seen(e.timeStamp);
    if (!glass.admits(device(e), e.timeStamp)) return;
    const { x, y } = at(e);
    // Keys have no pointer to be captured.
    if (e.isTrusted) sheet.setPointerCapture(e.pointerId);
    began({ x, y });
    for (const [id, doing] of pointers) {
      if (doing === "shapes" && e.pointerType === "touch" && glass.beside_shape(id, x, y))
        return void even.set(e.pointerId, id);
      if (typeof doing === "object" && doing.more?.({ x, y }, e)) return void helpers.set(e.pointerId, doing);
    }
    if (touching || (fingerMoves() && e.pointerType === "touch" && !locked())) {
      pointers.set(e.pointerId, "moves");
      glass.finger_down(e.pointerId, x, y);
      return;
    }
    if (tool === "erase" || eraserEnd) {
      pointers.set(e.pointerId, "erases");
      glass.eraser_down(e.pointerId, x, y);
      layers.draw();
    } else if (tool === "pen") {
      pointers.set(e.pointerId, "draws");
      glass.pen_down(e.pointerId, device(e), swatch, new Float64Array(sample(e)));
      layers.drawWet();
      rest(e);
    } else if (tool === "shape" && glass.by_points(figure)) {
      glass.polyline_point(figure, swatch, filled, dash, new Float64Array([x, y]), constrained(e));
      layers.drawWet();
    } else if (tool === "shape") {
      pointers.set(e.pointerId, "shapes");
      glass.shape_down(e.pointerId, device(e), figure, swatch, filled, dash, x, y);
    } else if (tool === "stamp") {
      glass.stamp(sign, swatch, x, y);
      layers.draw();
      ended();
    } else {
      const doing = others[tool]?.({ x, y }, e);
      if (doing) pointers.set(e.pointerId, doing);
    }
    flush();
  });

  sheet.addEventListener("pointermove", (e) => {
    if (e.pointerType === "pen") glass.pen_seen(e.timeStamp);
    const doing = pointers.get(e.pointerId);
    if (!doing) find();
    const { x, y } = at(e);
    const over = doing === "erases" || (!doing && hand.holds("erase") && e.pointerType !== "touch");
    eraser(over ? { x, y } : null);
    const helps = helpers.get(e.pointerId);
    if (helps) {
      helps.moreMoves?.({ x, y });
    } else if (!doing) {
      if (!glass.is_laying()) return;
      glass.polyline_hover(x, y, constrained(e));
      readOut({ x, y });
      layers.drawWet();
    } else if (doing === "draws") {
      const samples = passed(e).flatMap(sample);
      const ahead = e.getPredictedEvents?.().flatMap(sample) ?? [];
      // A pen reports without pause, and trembles: that is no reason to wait anew.
      if (glass.pen_move(e.pointerId, new Float64Array(samples), new Float64Array(ahead))) rest(e);
      layers.drawWet();
    } else if (doing === "shapes") {
      glass.shape_move(e.pointerId, x, y, constrained(e), e.altKey);
      readOut({ x, y });
      layers.drawWet();
    } else if (doing === "erases") {
      for (const c of passed(e)) glass.eraser_move(e.pointerId, c.clientX - left, c.clientY - top);
      layers.draw();
    } else if (doing === "moves") {
      glass.finger_move(e.pointerId, x, y);
      moved();
    } else {
      doing.move({ x, y }, e);
    }
    flush();
  });

  /** @param {PointerEvent} e */
  const up = (e) => {
    even.delete(e.pointerId);
    helpers.get(e.pointerId)?.moreUp?.();
    helpers.delete(e.pointerId);
    clearTimeout(resting.get(e.pointerId));
    resting.delete(e.pointerId);
    const doing = pointers.get(e.pointerId);
    if (!doing) return;
    pointers.delete(e.pointerId);
    if (doing === "erases") glass.eraser_up(e.pointerId);
    else if (doing === "moves") glass.finger_up(e.pointerId);
    else if (typeof doing === "object") doing.up(at(e), e);
    else if (e.type === "pointercancel") glass.pen_cancel(e.pointerId);
    else glass.pen_up(e.pointerId);
    readOut(null);
    layers.draw();
    flush();
    ended();
  };
  sheet.addEventListener("pointerup", up);
  sheet.addEventListener("pointercancel", up);
  sheet.addEventListener("pointerleave", () => eraser(null));
  sheet.addEventListener("dblclick", () => glass.is_laying() && endPolyline());
  sheet.addEventListener("contextmenu", (e) => e.preventDefault());
  sheet.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      if (locked()) return;
      find();
      const { x, y } = at(e);
      glass.touch_pane(x, y);
      if (!e.ctrlKey && scrolls(e.deltaX, e.deltaY)) return;
      if (hand.held.touching || e.ctrlKey) glass.zoom_by(Math.exp(-e.deltaY / 400), e.clientX - left, e.clientY - top);
      else glass.move_by(-e.deltaX, -e.deltaY);
      moved();
      flush();
    },
    { passive: false },
  );

  /** Ends the polyline that is being set. */
  function endPolyline() {
    glass.polyline_end();
    readOut(null);
    layers.draw();
    flush();
    ended();
  }
  return { endPolyline };
}
