// @ts-check
// Keys on the stage: who gets one that is pressed, and what is done.

import { closeProof } from "../capture/proofs.js";
import { CHOOSES, isWriting } from "../page.js";
import { closePanels } from "../panels/panels.js";
import { isLocked } from "../rail/rail.js";
import { preparePictureKeys } from "./picture_keys.js";

/** @import { Deed, Glass } from "../../glass/glass.js" */
/** @import { Capture } from "../capture/capture.js" */
/** @import { HelpSheet } from "../panels/help.js" */
/** @import { Swatches } from "../rail/swatches.js" */
/** @import { Crosshair } from "./crosshair.js" */
/** @import { Hand } from "./hand.js" */
/** @import { Selection } from "./selection.js" */
/** @import { Typing } from "./typing.js" */

const MOVES_IT = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", "Enter", " "];

/** A key as settings name it. @param {KeyboardEvent} e */
export const named = (e) => (e.key === " " ? "Space" : e.key.length === 1 ? e.key.toLowerCase() : e.key);

/**
 * @param {{ glass: Glass, hand: Hand, selection: Selection, typing: Typing, capture: Capture, help: HelpSheet,
 *   swatches: Swatches, crosshair: Crosshair,
 *   aids: { putLastAway: (at: number) => boolean }, deeds: Record<Deed, (key: string, shift: boolean) => unknown>, undo: () => unknown, redo: () => unknown,
 *   act: (deed: () => unknown) => void, area: () => { width: number, height: number } }} stage
 * @returns {(e: KeyboardEvent) => void} what a key does that was pressed somewhere else
 */
export function listenToKeys(stage) {
  const { glass, hand, typing, capture, help, swatches, aids, deeds } = stage;
  const picture = preparePictureKeys(stage);

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
    if (e.ctrlKey || e.metaKey) return picture.commanded(e) && e.preventDefault();
    if (e.altKey) return;
    const key = named(e);
    const deed = glass.deed_of(key);
    const onControl = target instanceof Element && target.closest("button, a, summary") !== null;
    if (picture.ends(e)) {
      if (!picture.leave() && !closeProof()) aids.putLastAway(e.timeStamp);
    } else if (picture.key(e)) {
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
