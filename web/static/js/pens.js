// @ts-check
// Pens, mice and fingers: pointer events become calls.

/** @import { Glass } from "../glass/glass.js" */
/** @import { Layers } from "./layers.js" */
/** @import { Line } from "./line.js" */

const DEVICES = { mouse: 0, pen: 1, touch: 2 };
const ERASER_END = 32;

/**
 * @param {{ sheet: HTMLElement, glass: Glass, layers: Layers, line: () => Line,
 *   tool: () => { marks: boolean, erases: boolean, swatch: number }, began: () => void,
 *   ended: () => void, eraser: (at: { x: number, y: number } | null) => void }} stage
 */
export function listenToPens({ sheet, glass, layers, line, tool, began, ended, eraser }) {
  /** What each pointer is doing. @type {Map<number, "draws" | "erases">} */
  const pointers = new Map();
  let left = 0;
  let top = 0;

  /** @param {PointerEvent} e */
  const sample = (e) => [e.clientX - left, e.clientY - top, e.pressure, e.timeStamp];

  sheet.addEventListener("pointerdown", (e) => {
    const { marks, erases, swatch } = tool();
    const eraserEnd = (e.buttons & ERASER_END) !== 0;
    if (!marks || (e.button !== 0 && !eraserEnd)) return;
    e.preventDefault();
    sheet.setPointerCapture(e.pointerId);
    ({ left, top } = sheet.getBoundingClientRect());
    began();
    if (erases || eraserEnd) {
      pointers.set(e.pointerId, "erases");
      glass.eraser_down(e.pointerId, e.clientX - left, e.clientY - top);
      layers.draw();
    } else {
      pointers.set(e.pointerId, "draws");
      const device = DEVICES[/** @type {keyof typeof DEVICES} */ (e.pointerType)] ?? 0;
      glass.pen_down(e.pointerId, device, swatch, new Float64Array(sample(e)));
      layers.drawWet();
    }
    line().flush();
  });

  sheet.addEventListener("pointermove", (e) => {
    const doing = pointers.get(e.pointerId);
    const over = doing === "erases" || (!doing && tool().erases && e.pointerType !== "touch");
    const rect = over && !doing ? sheet.getBoundingClientRect() : { left, top };
    eraser(over ? { x: e.clientX - rect.left, y: e.clientY - rect.top } : null);
    if (doing === "draws") {
      const all = e.getCoalescedEvents();
      const samples = (all.length ? all : [e]).flatMap(sample);
      const ahead = e.getPredictedEvents?.().flatMap(sample) ?? [];
      glass.pen_move(e.pointerId, new Float64Array(samples), new Float64Array(ahead));
      layers.drawWet();
      line().flush();
    } else if (doing === "erases") {
      for (const c of e.getCoalescedEvents()) {
        glass.eraser_move(e.pointerId, c.clientX - left, c.clientY - top);
      }
      layers.draw();
      line().flush();
    }
  });

  /** @param {PointerEvent} e */
  const up = (e) => {
    const doing = pointers.get(e.pointerId);
    if (!doing) return;
    pointers.delete(e.pointerId);
    if (doing === "erases") glass.eraser_up(e.pointerId);
    else if (e.type === "pointercancel") glass.pen_cancel(e.pointerId);
    else glass.pen_up(e.pointerId);
    layers.draw();
    line().flush();
    ended();
  };
  sheet.addEventListener("pointerup", up);
  sheet.addEventListener("pointercancel", up);
  sheet.addEventListener("pointerleave", () => eraser(null));
  sheet.addEventListener("contextmenu", (e) => e.preventDefault());
}
