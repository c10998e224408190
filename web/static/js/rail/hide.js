// @ts-check
// Hiding parts of a backdrop: its key in the panel, and its row. Meanwhile participants keep the last picture.

import { button, el } from "../page.js";
import { closePanels } from "../panels/panels.js";

/** @import { Glass, LaidShown } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * @param {{ glass: Glass, hand: Hand, row: AidsRow, beneath: Beneath, isPaused: () => boolean,
 *   act: (deed: () => unknown) => void }} stage
 */
export function prepareHide({ glass, hand, row, beneath, isPaused, act }) {
  let parts = 0;
  /** It is being set, and whether participants saw what happens before. @type {{ paused: boolean } | null} */
  let setting = null;

  function begin() {
    if (setting) return;
    setting = { paused: isPaused() };
    if (!setting.paused) act(() => glass.pause(true));
    hand.take({ tool: "hide", touching: false });
    show();
  }
  function end() {
    if (!setting) return;
    const { paused } = setting;
    setting = null;
    if (!paused) act(() => glass.pause(false));
    if (hand.holds("hide")) hand.take({ tool: "pen" });
    show();
  }
  row.add("hide", {
    isOn: () => parts > 0 || setting !== null,
    putAway: () => row.close(),
    // Nobody shows what is hidden by leaving something else.
    stays: () => setting === null,
    chip: el("row-hide"),
    set: el("hide-set"),
    opened: begin,
    closed: end,
  });
  /** Its key: it is set, or that is over. */
  function key() {
    closePanels();
    if (setting) row.close();
    else row.open("hide");
  }
  el("hide").addEventListener("click", key);
  el("hide-done").addEventListener("click", () => row.close());
  el("hide-show").addEventListener("click", () => act(() => glass.show_hidden()));
  // Whoever takes something else has done it.
  hand.changed(() => {
    if (!setting || hand.holds("hide")) return;
    if (row.shown === "hide") row.close();
    else end();
  });

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    parts = laid.hidden;
    if (setting && row.shown !== "hide") return end();
    el("hide").setAttribute("aria-pressed", `${parts > 0}`);
    row.look();
    button("hide-show").disabled = parts === 0;
    const { kind, frozen } = beneath.active ?? {};
    const whole = frozen === null && (kind === "video" || kind === "page") ? kind : null;
    const words = laid.hides_all_it_can
      ? "No more parts of this backdrop can be hidden. Larger ones may do."
      : parts === 0
        ? "Drag over what is only for you. Participants keep the last picture."
        : whole
          ? `Participants see nothing of the ${whole === "video" ? "film" : "page"} while it runs: freeze it`
          : `${parts === 1 ? "One part is" : `${parts} parts are`} hidden`;
    if (el("hide-says").textContent !== words) el("hide-says").textContent = words;
  }
  return { key, show };
}
