// @ts-check
// A pen that the presenter has passed, and a hand that is raised.

import { listenToItsKeys, prepareCrosshairOfHand } from "../input/crosshair.js";
import { FIRST, Hand } from "../input/hand.js";
import { prepareOverlays } from "../input/overlays.js";
import { listenToPointers } from "../input/pointers.js";
import { button, el, place } from "../page.js";
import { Swatches } from "../rail/swatches.js";
import { Settings } from "../settings.js";

/** @import { Glass, InitOutput, Yours } from "../../glass/glass.js" */

/**
 * @param {{ glass: Glass, wasm: InitOutput, act: (deed: () => unknown) => void, mount: HTMLElement,
 *   seen: () => { left: number, top: number, width: number, height: number } }} page
 *   `seen` is the part of the picture that is in view
 */
export function preparePenBar({ glass, wasm, act, mount, seen }) {
  const settings = new Settings(glass, "{}", false);
  const hand = new Hand(glass);
  const swatches = new Swatches({ glass, wasm, hand, settings, beneath: () => "#fff", edits: false });
  const sheet = el("glass");
  /** Where the picture lies in the room, in CSS pixels. */
  let lies = { left: 0, top: 0, width: 0, height: 0 };
  const showOverlays = prepareOverlays({ glass, area: () => ({ ...lies, left: 0, top: 0 }) });
  /** The number of the pen's colour, if there is one. @type {number | null} */
  let pen = null;
  let raised = false;

  // What the pen hears is nothing to the view beneath it.
  for (const event of ["pointerdown", "pointermove", "pointerup", "pointercancel", "wheel", "dblclick"])
    sheet.addEventListener(event, (e) => e.stopPropagation());
  const pointers = listenToPointers({ sheet, glass, done: () => act(() => {}), grows: () => true });
  const crosshair = prepareCrosshairOfHand({ glass, hand, host: mount, area: seen });
  listenToItsKeys(mount, crosshair);
  const draw = () => hand.take({ ...FIRST });
  el("pen-moves").addEventListener("click", () => hand.take({ touching: true, locked: true }));
  el("pen-draws").addEventListener("click", draw);
  el("pen-erases").addEventListener("click", () => hand.take({ touching: false, locked: false, tool: "erase" }));
  el("pen-undo").addEventListener("click", () => act(() => glass.undo()));
  button("raise").addEventListener("click", () => act(() => glass.raise_hand(!raised)));
  hand.changed(({ touching, tool }) => {
    // What is hidden hears of no pointer any more, also not that it was lifted.
    if (touching) pointers.cancel();
    sheet.hidden = touching;
    el("pen-moves").setAttribute("aria-checked", `${touching}`);
    el("pen-draws").setAttribute("aria-checked", `${!touching}`);
    el("pen-erases").setAttribute("aria-pressed", `${!touching && tool === "erase"}`);
  });
  hand.take({ ...FIRST, touching: true, locked: true });

  return {
    /** What the participant has of the presenter. @param {Yours} yours */
    show(yours) {
      raised = yours.raised;
      button("raise").setAttribute("aria-pressed", `${raised}`);
      button("raise").textContent = raised ? "Hand is up" : "Raise a hand";
      if (yours.pen === pen) return;
      pen = yours.pen;
      el("pen-bar").hidden = pen === null;
      el("passed").textContent =
        pen === null ? "" : "The presenter has passed you a pen: everybody sees what you draw.";
      if (pen === null) return hand.take({ touching: true, locked: true });
      glass.take_pen(pen);
      swatches.show();
      draw();
    },
    /** Lays the pen's sheet over the picture. */
    lay() {
      const [left, top, width, height] = glass.own_view();
      lies = { left, top, width, height };
      for (const id of ["glass", "over"]) place(el(id), [left, top, width, height]);
      crosshair.lay();
    },
    overlays: showOverlays,
  };
}
