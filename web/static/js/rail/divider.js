// @ts-check
// The divider between two panes: dragged, or moved by arrow keys.

import { el } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

/** @param {{ glass: Glass, act: (deed: () => unknown) => void }} stage */
export function prepareDivider({ glass, act }) {
  const divider = el("divider");
  let area = { left: 0, top: 0, width: 0, height: 0 };
  const css = () => area.width / 1920;
  let dragged = false;
  /** @type {number | undefined} */
  let resting;

  divider.addEventListener("pointerdown", (e) => {
    divider.setPointerCapture(e.pointerId);
    dragged = true;
    e.preventDefault();
  });
  /** @param {PointerEvent} e @param {boolean} last */
  const to = (e, last) =>
    act(() => glass.divide(e.clientX - area.left - (divider.parentElement?.getBoundingClientRect().left ?? 0), last));
  divider.addEventListener("pointermove", (e) => dragged && (to(e, false), place(area)));
  for (const end of ["pointerup", "pointercancel"]) {
    divider.addEventListener(end, (e) => {
      if (!dragged) return;
      dragged = false;
      to(/** @type {PointerEvent} */ (e), true);
      place(area);
    });
  }
  divider.addEventListener("keydown", (e) => {
    const step = { ArrowLeft: -32, ArrowRight: 32 }[e.key];
    if (!step) return;
    act(() => glass.divide((glass.divider() + step) * css(), false));
    place(area);
    // Told once the key rests: what the server says meanwhile would be of the step before.
    clearTimeout(resting);
    resting = window.setTimeout(() => act(() => glass.divide(glass.divider() * css(), true)), 250);
    e.preventDefault();
    e.stopPropagation();
  });

  /** @param {typeof area} where */
  function place(where) {
    area = where;
    const at = glass.divider();
    divider.hidden = at < 0;
    if (at < 0) return;
    Object.assign(divider.style, {
      left: `${area.left + at * css()}px`,
      top: `${area.top}px`,
      height: `${area.height}px`,
    });
    divider.setAttribute("aria-valuenow", `${Math.round((at / 1920) * 100)}`);
    divider.setAttribute("aria-valuemin", "20");
    divider.setAttribute("aria-valuemax", "80");
  }
  return { place };
}
