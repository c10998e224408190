// @ts-check
// The magnifier: how it is set in the row.

import { el } from "../page.js";
import { slider } from "./aids_row.js";
import { heldAid } from "./held_aid.js";

/** @import { Glass, LaidShown, MagnifierShown } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * @param {{ glass: Glass, hand: Hand, beneath: Beneath, row: AidsRow, act: (deed: () => unknown) => void }} stage
 */
export function prepareMagnifier({ glass, hand, beneath, row, act }) {
  /** @type {MagnifierShown | undefined} */
  let now;
  const isOn = () => now !== undefined;
  const lend = heldAid("magnifier", {
    hand,
    row,
    isOn,
    lay: (out) => {
      act(() => glass.magnifier(out));
      show();
    },
  });

  el("lens-round").addEventListener("click", () => act(() => glass.round_lens(true)));
  el("lens-box").addEventListener("click", () => act(() => glass.round_lens(false)));
  el("lens-apart").addEventListener("click", () => act(() => glass.set_apart(!now?.apart)));
  el("lens-told").addEventListener("click", () => act(() => glass.tell_magnifier(!now?.told)));
  /** @param {() => void} deed */
  const set = (deed) => {
    act(deed);
    now = glass.laid().magnifier ?? undefined;
  };
  const sliders = [
    slider(
      "lens-times",
      () => now?.times,
      (v, done) => set(() => glass.set_times(v, done)),
    ),
    slider(
      "lens-size",
      () => now?.size,
      (v, done) => set(() => glass.size_lens(v, done)),
    ),
  ];

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    now = laid.magnifier ?? undefined;
    el("magnifier").setAttribute("aria-pressed", `${isOn()}`);
    row.look();
    if (!now) return;
    el("lens-round").setAttribute("aria-pressed", `${now.round}`);
    el("lens-box").setAttribute("aria-pressed", `${!now.round}`);
    el("lens-apart").setAttribute("aria-pressed", `${now.apart}`);
    el("lens-told").setAttribute("aria-pressed", `${now.told}`);
    const runs = beneath.panes.some(({ kind, frozen }) => kind === "page" && frozen === null);
    el("lens-says").hidden = !runs;
    for (const one of sliders) one();
  }
  return { lend, show };
}
