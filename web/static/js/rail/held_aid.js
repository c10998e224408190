// @ts-check
// An aid that lies over the picture and is moved by the hand that holds it: the spotlight, the magnifier.

import { el } from "../page.js";
import { closePanels } from "../panels/panels.js";

/** @import { Hand } from "../input/hand.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * Ties the aid to its card in the panel, to the row, and to the hand.
 * @param {"spotlight" | "magnifier"} tool
 * @param {{ hand: Hand, row: AidsRow, isOn: () => boolean, lay: (out: boolean) => void }} aid `lay` has it come
 *   out, or put away, and shown so
 */
export function heldAid(tool, { hand, row, isOn, lay }) {
  /** The hand moves and resizes it, or draws again. @param {boolean} held */
  const hold = (held) => {
    if (held !== hand.holds(tool)) hand.take({ tool: held ? tool : "pen", touching: false });
  };
  /** @param {boolean} out */
  function bring(out) {
    lay(out);
    hold(out);
    if (out) row.open(tool);
  }
  row.add(tool, {
    isOn,
    putAway: () => bring(false),
    chip: el(`row-${tool}`),
    set: el(`${tool}-set`),
    opened: () => hold(true),
    closed: () => hold(false),
  });
  el(tool).addEventListener("click", () => {
    closePanels();
    bring(!isOn());
  });
  // Whoever takes a pen goes on with what is on stage.
  hand.changed(() => {
    if (row.shown === tool && !hand.holds(tool)) row.close();
  });

  /** Its key goes down: it comes, and goes along with what points for as long as the key is held. @param {string} key */
  return (key) => {
    const was = isOn();
    hand.lend(
      key,
      () => {
        bring(!was);
        if (!was) hand.take({ follows: tool });
      },
      true,
      () => bring(was),
    );
  };
}
