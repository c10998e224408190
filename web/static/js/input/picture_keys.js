// @ts-check
// Keys of a picture that is drawn on: what is seen moves, what is selected is nudged, the crosshair draws.

import { closePanels } from "../panels/panels.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Crosshair } from "./crosshair.js" */
/** @import { Hand } from "./hand.js" */
/** @import { Selection } from "./selection.js" */

/** How far an arrow key moves what is seen, in CSS pixels, and how much a key enlarges it. */
const STEP = 60;
const LARGER = 1.25;

/**
 * Moves or enlarges what is seen; whether this key does.
 * @param {Glass} glass @param {{ width: number, height: number }} room @param {(deed: () => unknown) => void} act
 * @param {string} key
 */
export function viewKey(glass, { width, height }, act, key) {
  /** @type {Record<string, () => void>} */
  const keys = {
    "+": () => glass.zoom_by(LARGER, width / 2, height / 2),
    "=": () => glass.zoom_by(LARGER, width / 2, height / 2),
    "-": () => glass.zoom_by(1 / LARGER, width / 2, height / 2),
    0: () => glass.zoom_whole(),
    ArrowLeft: () => glass.move_by(STEP, 0),
    ArrowRight: () => glass.move_by(-STEP, 0),
    ArrowUp: () => glass.move_by(0, STEP),
    ArrowDown: () => glass.move_by(0, -STEP),
  };
  if (!keys[key]) return false;
  act(keys[key]);
  return true;
}

/**
 * @param {{ glass: Glass, hand: Hand, selection: Selection, crosshair: Crosshair, undo: () => unknown, redo: () => unknown,
 *   act: (deed: () => unknown) => void, area: () => { width: number, height: number } }} picture
 */
export function preparePictureKeys({ glass, hand, selection, crosshair, undo, redo, act, area }) {
  /** @param {KeyboardEvent} e */
  function selectionKey(e) {
    if (!hand.holds("select") || !selection.any) return false;
    if (e.key.startsWith("Arrow")) selection.do(() => glass.nudge_selection(e.key, e.shiftKey));
    else if (e.key === "Delete" || e.key === "Backspace") selection.do(() => glass.delete_selection());
    else return false;
    return true;
  }

  return {
    /** Whether a key without Ctrl was the picture's; a control keeps those that are its own. @param {KeyboardEvent} e */
    key(e) {
      if (selectionKey(e)) return true;
      if (hand.held.touching) return viewKey(glass, area(), act, e.key);
      const onControl = e.target instanceof Element && e.target.closest("button, a, summary") !== null;
      return !onControl && crosshair.key(e);
    },
    /** Whether a key with Ctrl or Command was the picture's. @param {KeyboardEvent} e */
    commanded(e) {
      const key = e.key.toLowerCase();
      if (key === "z" && !e.shiftKey) undo();
      else if (key === "z" || key === "y") redo();
      else if (key === "a" && hand.holds("select")) selection.do(() => glass.select_all());
      else return false;
      return true;
    },
    /** Whether this key ends what is being set, point by point. @param {KeyboardEvent} e */
    ends: (e) => e.key === "Escape" || (e.key === "Enter" && glass.is_setting() && !crosshair.shows()),
    /** What is open or under way is left, the innermost first; whether there was anything. */
    leave() {
      if (glass.is_setting()) act(() => glass.finish());
      else if (crosshair.hide()) selection.show();
      else return closePanels() || selection.clear();
      return true;
    },
  };
}
