// @ts-check
// Keys on the stage: who gets one that is pressed, and what is done.

import { closeProof } from "../capture/proofs.js";
import { closePanels } from "../panels/panels.js";
import { isLocked } from "../rail/rail.js";

/** @import { Deed, Glass } from "../../glass/glass.js" */
/** @import { Capture } from "../capture/capture.js" */
/** @import { HelpSheet } from "../panels/help.js" */
/** @import { Swatches } from "../rail/swatches.js" */
/** @import { Hand } from "./hand.js" */
/** @import { Selection } from "./selection.js" */
/** @import { Typing } from "./typing.js" */

/** What one chooses or pulls with, not writes in. */
const CHOOSES = 'select, input:is([type="range"], [type="checkbox"], [type="color"])';
const MOVES_IT = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", "Enter", " "];
/** How far an arrow key moves what is seen, in CSS pixels, and how much a key enlarges it. */
const STEP = 60;
const LARGER = 1.25;

/** A key as settings name it. @param {KeyboardEvent} e */
export const named = (e) => (e.key === " " ? "Space" : e.key.length === 1 ? e.key.toLowerCase() : e.key);

/** Whether somebody writes there. @param {EventTarget | null} target */
export const isWriting = (target) =>
  target instanceof Element && target.matches("input, textarea, [contenteditable]") && !target.matches(CHOOSES);

/**
 * @param {{ glass: Glass, hand: Hand, selection: Selection, typing: Typing, capture: Capture, help: HelpSheet,
 *   swatches: Swatches, crosshair: { key: (e: KeyboardEvent) => boolean, hide: () => boolean, shows: () => boolean },
 *   aids: { putLastAway: () => boolean }, deeds: Record<Deed, (key: string, shift: boolean) => unknown>, undo: () => unknown, redo: () => unknown,
 *   act: (deed: () => unknown) => void, area: () => { width: number, height: number } }} stage
 * @returns {(e: KeyboardEvent) => void} what a key does that was pressed somewhere else
 */
export function listenToKeys(stage) {
  const { glass, hand, selection, typing, capture, help, swatches, crosshair, aids, deeds, undo, redo, act, area } =
    stage;

  /** Keys of a selection; `true` when this one meant something. @param {KeyboardEvent} e */
  function selectionKey(e) {
    if (!hand.holds("select") || !selection.any) return false;
    if (e.key.startsWith("Arrow")) selection.do(() => glass.nudge_selection(e.key, e.shiftKey));
    else if (e.key === "Delete" || e.key === "Backspace") selection.do(() => glass.delete_selection());
    else return false;
    return true;
  }

  /** Keys that move what is seen while Touch is in the hand. @param {KeyboardEvent} e */
  function touchKey(e) {
    if (!hand.held.touching) return false;
    const { width, height } = area();
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
    if (!keys[e.key]) return false;
    act(keys[e.key]);
    return true;
  }

  /** With Ctrl or Command. @param {KeyboardEvent} e */
  function commanded(e) {
    const key = e.key.toLowerCase();
    if (key === "z" && !e.shiftKey) undo();
    else if (key === "z" || key === "y") redo();
    else if (key === "a" && hand.holds("select")) selection.do(() => glass.select_all());
    else return;
    e.preventDefault();
  }

  /** What is open or under way is left, the innermost first. */
  function leave() {
    if (glass.is_setting()) act(() => glass.finish());
    else if (crosshair.hide()) selection.show();
    else if (!closePanels() && !selection.clear() && !closeProof()) aids.putLastAway();
  }

  /** @param {KeyboardEvent} e */
  function pressed(e) {
    const target = /** @type {HTMLElement} */ (e.target);
    if (isLocked() || help.sheet.open) return;
    if (isWriting(target)) {
      if (e.key === "Escape" && !typing.end()) closePanels();
      return;
    }
    const bare = !e.ctrlKey && !e.metaKey && !e.altKey;
    // Letters go on with the text that is being typed, whatever was pressed meanwhile.
    if (glass.is_typing() && bare && e.key.length === 1 && e.key !== " ") return typing.focus();
    if (target instanceof Element && target.matches(CHOOSES) && bare && MOVES_IT.includes(e.key)) return;
    if (capture.isOpen && capture.key(e)) return e.preventDefault();
    if (e.ctrlKey || e.metaKey) return commanded(e);
    if (e.altKey) return;
    const key = named(e);
    const deed = glass.deed_of(key);
    const onControl = target instanceof Element && target.closest("button, a, summary") !== null;
    if (e.key === "Escape" || (e.key === "Enter" && glass.is_setting() && !crosshair.shows())) {
      leave();
    } else if (selectionKey(e) || touchKey(e) || (!onControl && crosshair.key(e))) {
      // Done.
    } else if (/^[1-8]$/.test(key)) {
      if (!swatches.keys[Number(key) - 1]) return;
      swatches.pick(Number(key) - 1);
    } else if (deed && !(key === "Space" && onControl)) {
      if (!e.repeat) deeds[deed](key, e.shiftKey);
    } else {
      return;
    }
    e.preventDefault();
  }

  /**
   * A control that was used by hand, not by keyboard, lets the keyboard go: it is the stage's again, or
   * the text's that is being typed.
   */
  function letGo() {
    const active = document.activeElement;
    if (
      !(active instanceof HTMLElement) ||
      !active.matches(`button, ${CHOOSES}`) ||
      !active.closest("#rail, #selection-bar, #typing-bar")
    )
      return;
    active.blur();
    if (glass.is_typing()) typing.focus();
  }

  addEventListener("keydown", pressed);
  addEventListener("keyup", (e) => hand.giveBack(e.timeStamp, named(e)));
  addEventListener("blur", (e) => hand.giveBack(e.timeStamp));
  document.addEventListener("click", (e) => e.detail > 0 && !(e.target instanceof HTMLSelectElement) && letGo());
  document.addEventListener(
    "change",
    (e) => e.target instanceof HTMLSelectElement && !e.target.matches(":focus-visible") && letGo(),
  );
  return pressed;
}
