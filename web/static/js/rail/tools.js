// @ts-check
// The rail's tools: Touch and Mark, what the hand takes, undo and clearing.

import { button, el } from "../page.js";

/** @import { Glass, Kind } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */

const TOOLS = /** @type {const} */ (["erase", "select", "text"]);
/** Tools that have a cursor of their own on the glass. */
const CURSORS = ["erase", "select", "stamp", "text", "laser", "spotlight", "magnifier", "measure", "hide"];

/**
 * @param {{ glass: Glass, hand: Hand, act: (deed: () => unknown) => void, wipe: (deed: () => unknown) => void,
 *   typed: (which: "undo" | "redo") => boolean, lowered: () => void }} stage
 *   `typed` undoes within what is being typed; `lowered` hears that the hand went from Touch to Mark
 */
export function prepareTools({ glass, hand, act, wipe, typed, lowered }) {
  /** @param {Kind} tool */
  const take = (tool) => hand.take({ tool, touching: false });

  /** @param {boolean} touching */
  const setTouching = (touching) => {
    const was = hand.held.touching;
    hand.take({ touching });
    if (was && !touching) lowered();
  };

  /** Takes back the last point of what is being set, the last words of what is being typed, or a change. */
  const undo = () => typed("undo") || act(() => glass.take_back());
  const redo = () => typed("redo") || glass.is_setting() || act(() => glass.redo());

  for (const tool of TOOLS) el(tool).addEventListener("click", () => take(tool));
  el("touch").addEventListener("click", () => setTouching(true));
  el("mark").addEventListener("click", () => setTouching(false));
  for (const [id, other] of [
    ["touch", "mark"],
    ["mark", "touch"],
  ]) {
    el(id).addEventListener("keydown", (e) => {
      if (!e.key.startsWith("Arrow")) return;
      setTouching(other === "touch");
      el(other).focus();
      e.preventDefault();
      e.stopPropagation();
    });
  }
  el("undo").addEventListener("click", undo);
  el("redo").addEventListener("click", redo);
  el("wipe").addEventListener("click", () => wipe(() => glass.wipe()));
  el("whole").addEventListener("click", () => act(() => glass.zoom_whole()));

  hand.changed(({ touching, tool }) => {
    document.body.classList.toggle("touching", touching);
    for (const t of CURSORS) el("glass").classList.toggle(t, tool === t && !touching);
    el("touch").setAttribute("aria-checked", `${touching}`);
    el("mark").setAttribute("aria-checked", `${!touching}`);
    el("touch").tabIndex = touching ? 0 : -1;
    el("mark").tabIndex = touching ? -1 : 0;
    for (const t of TOOLS) el(t).setAttribute("aria-pressed", `${tool === t && !touching}`);
  });

  /** What the rail shows of the sheets and the view. */
  function show() {
    const typing = glass.is_typing();
    button("undo").disabled = !glass.can_undo() && !glass.is_setting() && !typing;
    button("redo").disabled = !glass.can_redo() && !typing;
    const by = glass.zoomed();
    el("whole").hidden = glass.is_whole();
    el("zoom-by").textContent = `${by.toFixed(by < 10 ? 1 : 0)}×`;
  }
  return { take, setTouching, undo, redo, show };
}
