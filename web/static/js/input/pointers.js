// @ts-check
// Pens, mice and fingers on the glass: events become numbers. What they do is core's.

/** @import { Glass } from "../../glass/glass.js" */

/** @typedef {{ x: number, y: number }} Spot */

const DEVICES = { mouse: 0, pen: 1, touch: 2 };
/** The bit of a pen's other end in an event's buttons. */
const ERASER_BUTTON = 32;
/** A mouse's other button. */
const OTHER_BUTTON = 2;
/** What is held or true while a pointer does something, as `glass` takes it. */
const EVEN = 1;
const CENTRED = 2;
const ERASER_END = 4;
const BY_KEYS = 8;

/** @param {PointerEvent} e */
const device = (e) => DEVICES[/** @type {keyof typeof DEVICES} */ (e.pointerType)] ?? 0;

/** @param {PointerEvent} e */
const flags = (e) =>
  (e.shiftKey ? EVEN : 0) |
  (e.altKey ? CENTRED : 0) |
  (e.buttons & ERASER_BUTTON ? ERASER_END : 0) |
  (e.isTrusted ? 0 : BY_KEYS);

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
 * Listens to all pointers on an element, and on what else belongs to it.
 * @param {{ sheet: HTMLElement, glass: Glass, grips?: Iterable<HTMLElement>, began?: (e: PointerEvent) => void,
 *   done: () => void, scrolls?: (dx: number, dy: number) => boolean, grows: (e: WheelEvent) => boolean, locked?: () => boolean,
 *   free?: () => boolean }} stage `grips` are the parts of the selection's frame; `began` hears of a pointer that does something, before
 *   it does; `scrolls` may take a wheel for itself; `grows` says whether a wheel enlarges, `free` whether pointers do anything here
 */
export function listenToPointers({ sheet, glass, grips = [], began, done, scrolls, grows, locked, free = () => true }) {
  let left = 0;
  let top = 0;
  /** Pointers that are down. @type {Set<number>} */
  const down = new Set();
  const find = () => ({ left, top } = sheet.getBoundingClientRect());
  /** @param {PointerEvent} e */
  const sample = (e) => [e.clientX - left, e.clientY - top, e.pressure, e.timeStamp];
  /** @param {PointerEvent[]} events */
  const samples = (events) => new Float64Array(events.flatMap(sample));

  /** @param {HTMLElement} element @param {string} [grip] */
  const listen = (element, grip) => {
    element.addEventListener("pointerdown", (e) => {
      if (!free()) return;
      find();
      if (e.button === OTHER_BUTTON) {
        const [x, y, , t] = sample(e);
        glass.points(x, y, t, 2);
        done();
      }
      if (e.button !== 0 && !(e.buttons & ERASER_BUTTON)) return;
      e.preventDefault();
      if (!glass.admits(device(e), e.timeStamp)) return;
      // Keys have no pointer to be captured.
      if (e.isTrusted) element.setPointerCapture(e.pointerId);
      began?.(e);
      down.add(e.pointerId);
      glass.pointer_down(e.pointerId, device(e), flags(e), samples([e]), grip);
      done();
    });
    element.addEventListener("pointermove", (e) => {
      if (!down.has(e.pointerId)) {
        if (!free()) return;
        find();
      }
      const ahead = down.has(e.pointerId) ? (e.getPredictedEvents?.() ?? []) : [];
      glass.pointer_moved(e.pointerId, device(e), flags(e), samples(passed(e)), samples(ahead));
      done();
    });
    element.addEventListener("pointerup", (e) => {
      if (!down.delete(e.pointerId)) return;
      glass.pointer_up(e.pointerId, device(e), flags(e), samples([e]));
      done();
    });
    element.addEventListener("pointercancel", (e) => {
      down.delete(e.pointerId);
      glass.pointer_cancelled(e.pointerId);
      done();
    });
  };

  listen(sheet);
  for (const grip of grips) listen(grip, grip.dataset.grip);
  sheet.addEventListener("pointerleave", () => {
    glass.pointer_left();
    done();
  });
  sheet.addEventListener("dblclick", () => {
    if (!glass.is_setting()) return;
    glass.finish();
    done();
  });
  sheet.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      if (locked?.()) return;
      find();
      const [x, y] = [e.clientX - left, e.clientY - top];
      glass.touch_pane(x, y);
      if (!e.ctrlKey && scrolls?.(e.deltaX, e.deltaY)) return;
      glass.wheel(x, y, e.deltaX, e.deltaY, grows(e));
      done();
    },
    { passive: false },
  );

  return {
    /** What is being drawn is given up. */
    cancel() {
      for (const pointer of down) glass.pointer_cancelled(pointer);
      down.clear();
      done();
    },
  };
}
