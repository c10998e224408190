// @ts-check
// The cover: its key in the panel, and how it is pulled back from the row.

import { button, el } from "../page.js";
import { closePanels } from "../panels/panels.js";

/** @import { CoverShown, Glass, LaidShown } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * @param {{ glass: Glass, beneath: Beneath, row: AidsRow, act: (deed: () => unknown) => void }} stage
 */
export function prepareCover({ glass, beneath, row, act }) {
  /** @type {CoverShown | undefined} */
  let now;
  const isOn = () => now !== undefined;

  /** @param {boolean} out */
  function bring(out) {
    act(() => {
      if (!out) return glass.take_cover_off();
      const { data, width, height } = beneath.pixels(1920);
      glass.cover(data, width, height);
    });
    show();
    if (out) row.open("cover");
  }
  row.add("cover", {
    isOn,
    putAway: () => bring(false),
    chip: el("row-cover"),
    set: el("cover-set"),
  });
  el("cover").addEventListener("click", () => {
    closePanels();
    bring(!isOn());
  });
  const next = () => {
    act(() => glass.uncover_line());
    show();
  };
  el("cover-next").addEventListener("click", next);
  el("cover-back").addEventListener("click", () => act(() => glass.cover_line()));
  el("cover-all").addEventListener("click", () => act(() => glass.cover_all()));

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    now = laid.cover ?? undefined;
    el("cover").setAttribute("aria-pressed", `${isOn()}`);
    row.look();
    if (!now) return;
    button("cover-back").disabled = now.all;
    button("cover-all").disabled = now.all;
    const pane = beneath.active;
    const whole = pane?.frozen === null && (pane.kind === "video" || pane.kind === "page");
    const words = whole
      ? `Participants see nothing of the ${pane.kind === "video" ? "film" : "page"}`
      : now.lines > 0
        ? `${now.covered} of ${now.lines} lines covered`
        : "No lines found: equal steps";
    if (el("cover-says").textContent !== words) el("cover-says").textContent = words;
  }
  /** Its key: it comes, and then uncovers line after line. */
  const key = () => (isOn() ? next() : bring(true));
  return { key, show };
}
