// @ts-check
// The spotlight: how it is set in the row.

import { button, el } from "../page.js";
import { slider } from "./aids_row.js";
import { heldAid } from "./held_aid.js";

/** @import { Glass, LaidShown, SpotlightShown } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * @param {{ glass: Glass, hand: Hand, row: AidsRow, act: (deed: () => unknown) => void }} stage
 */
export function prepareSpotlight({ glass, hand, row, act }) {
  /** @type {SpotlightShown | undefined} */
  let now;
  const isOn = () => now !== undefined;
  const lend = heldAid("spotlight", {
    hand,
    row,
    isOn,
    lay: (out) => {
      act(() => glass.spotlight(out));
      show();
    },
  });

  const forms = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-light]")]);
  for (const key of forms) key.addEventListener("click", () => act(() => glass.form_light(key.dataset.light ?? "")));
  el("light-soft").addEventListener("click", () => act(() => glass.soften(!now?.soft)));
  el("light-more").addEventListener("click", () => act(() => glass.add_light()));
  el("light-fewer").addEventListener("click", () => act(() => glass.take_light()));
  el("light-told").addEventListener("click", () => act(() => glass.tell_spotlight(!now?.told)));
  /** @param {() => void} deed */
  const set = (deed) => {
    act(deed);
    now = glass.laid().spotlight ?? undefined;
  };
  const sliders = [
    slider(
      "light-size",
      () => now?.size,
      (v, done) => set(() => glass.size_light(v, done)),
    ),
    slider(
      "light-dimness",
      () => now?.dimness,
      (v, done) => set(() => glass.dim(v, done)),
    ),
  ];

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    now = laid.spotlight ?? undefined;
    el("spotlight").setAttribute("aria-pressed", `${isOn()}`);
    row.look();
    if (!now) return;
    for (const key of forms) key.setAttribute("aria-pressed", `${key.dataset.light === now.form}`);
    el("light-soft").setAttribute("aria-pressed", `${now.soft}`);
    el("light-told").setAttribute("aria-pressed", `${now.told}`);
    button("light-fewer").disabled = now.lights < 2;
    for (const one of sliders) one();
  }
  return { lend, show };
}
