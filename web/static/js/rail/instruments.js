// @ts-check
// Instruments: ruler, protractor, measuring and scale; their keys in the panel, and how they are set in the row.

import { unit_names } from "../../glass/glass.js";
import { hush } from "../messages.js";
import { button, el, input } from "../page.js";
import { closePanels } from "../panels/panels.js";
import { slider } from "./aids_row.js";

/** @import { Glass, LaidShown } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { AidsRow } from "./aids_row.js" */

/** What is moved and turned as real ones are. */
const REAL = /** @type {const} */ (["ruler", "protractor", "compasses"]);

/** @param {string} id @param {boolean} pressed */
const press = (id, pressed) => el(id).setAttribute("aria-pressed", `${pressed}`);

/**
 * @param {{ glass: Glass, hand: Hand, row: AidsRow, act: (deed: () => unknown) => void, say: (words: string) => void }} stage
 */
export function prepareInstruments({ glass, hand, row, act, say }) {
  /** @type {LaidShown} */
  let now = glass.laid();
  /** With measuring in the row, taps are places; otherwise the hand draws. @param {boolean} held */
  const hold = (held) => {
    if (held !== hand.holds("measure")) hand.take({ tool: held ? "measure" : "pen", touching: false });
  };
  const all = /** @type {const} */ ({
    ruler: { isOn: () => !!now.ruler, bring: (/** @type {boolean} */ out) => glass.instrument("ruler", out) },
    protractor: {
      isOn: () => !!now.protractor,
      bring: (/** @type {boolean} */ out) => glass.instrument("protractor", out),
    },
    compasses: {
      isOn: () => !!now.compasses,
      bring: (/** @type {boolean} */ out) => glass.instrument("compasses", out),
    },
    measure: { isOn: () => !!now.measuring, bring: (/** @type {boolean} */ out) => glass.measuring(out) },
  });
  /** @typedef {keyof typeof all} Instrument */

  /** @param {Instrument} id @param {boolean} out */
  function bring(id, out) {
    act(() => all[id].bring(out));
    show();
    if (id === "measure") hold(out);
    if (out) row.open(id);
  }
  /** @param {Instrument} id */
  const toggle = (id) => bring(id, !all[id].isOn());
  for (const id of /** @type {Instrument[]} */ (Object.keys(all))) {
    row.add(id, {
      isOn: all[id].isOn,
      putAway: () => bring(id, false),
      chip: el(`row-${id}`),
      set: el(`${id}-set`),
      opened: () => id === "measure" && hold(true),
      closed: () => id === "measure" && hold(false),
    });
    el(id).addEventListener("click", () => {
      closePanels();
      toggle(id);
    });
  }
  hand.changed(() => {
    if (row.shown === "measure" && !hand.holds("measure")) row.close();
  });
  el("scale").addEventListener("click", () => {
    closePanels();
    bring("measure", true);
    el("scale-length").focus();
  });

  // ---- How they are set ------------------------------------------------------------------------

  /** @param {() => void} deed */
  const set = (deed) => {
    act(deed);
    now = glass.laid();
  };
  const sliders = [
    slider(
      "ruler-turned",
      () => now.ruler?.turned,
      (v) => set(() => glass.turn_instrument("ruler", v)),
    ),
    slider(
      "arm-angle",
      () => now.protractor?.arm?.angle,
      (v) => set(() => glass.set_arm(v)),
    ),
    ...REAL.map((id) =>
      slider(
        `${id}-size`,
        () => now[id]?.size,
        (v) => set(() => glass.size_instrument(id, v)),
      ),
    ),
  ];
  for (const id of REAL) {
    el(`${id}-held`).addEventListener("click", () => act(() => glass.hold_instrument(id, !now[id]?.held)));
    el(`${id}-told`).addEventListener("click", () => act(() => glass.tell_instrument(id, !now[id]?.told)));
  }
  const arm = () => now.protractor?.arm;
  el("protractor-full").addEventListener("click", () => act(() => glass.set_full(!arm()?.full)));
  el("protractor-bearing").addEventListener("click", () => act(() => glass.say_bearings(!arm()?.bearing)));
  const north = input("protractor-north");
  north.addEventListener("change", () => {
    if (Number.isFinite(north.valueAsNumber)) act(() => glass.set_north(north.valueAsNumber));
  });

  // ---- Measuring, and the scale ----------------------------------------------------------------

  el("measure-leave").addEventListener("click", () => act(() => glass.leave_reading()));
  el("measure-back").addEventListener("click", () => act(() => glass.unmeasure(false)));
  el("measure-anew").addEventListener("click", () => act(() => glass.unmeasure(true)));
  el("measure-told").addEventListener("click", () => act(() => glass.tell_measuring(!now.measuring?.told)));
  el("scale-units").append(...unit_names().map((name) => new Option(name, name)));
  el("scale-take").addEventListener("click", () =>
    act(() => {
      const [long, wide] = ["scale-length", "scale-width"].map((id) => input(id).valueAsNumber);
      const unit = input("scale-unit").value;
      const four = now.measuring?.places === 4;
      const why = four ? glass.set_plane(long, wide, unit) : glass.set_scale(long, unit);
      if (why) say(why);
      else hush();
    }),
  );
  el("scale-clear").addEventListener("click", () => act(() => glass.clear_scale()));

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    now = laid;
    for (const id of /** @type {Instrument[]} */ (Object.keys(all))) press(id, all[id].isOn());
    row.look();
    for (const one of sliders) one();
    for (const id of REAL) {
      const one = now[id];
      if (!one) continue;
      press(`${id}-held`, one.held);
      press(`${id}-told`, one.told);
      if (one.arm) {
        press("protractor-full", one.arm.full);
        press("protractor-bearing", one.arm.bearing);
        el("protractor-north-field").hidden = !one.arm.bearing;
        if (document.activeElement !== north) north.value = `${one.arm.north}`;
      }
    }
    const { measuring } = now;
    if (measuring) {
      const words = measuring.readings.join(" · ") || "Tap two places or more";
      if (el("measure-reads").textContent !== words) {
        el("measure-reads").textContent = words;
        el("measure-reads").title = words;
      }
      // Four places may be the corners of a rectangle that is seen at an angle.
      const four = measuring.places === 4;
      el("scale-of").textContent = four ? "A rectangle of" : measuring.places > 1 ? "That is" : "The width is";
      el("scale-across").hidden = !four;
      el("scale-take").textContent = four ? "Set plane" : "Set scale";
      button("measure-leave").disabled = measuring.readings.length === 0;
      for (const id of ["measure-back", "measure-anew"]) button(id).disabled = measuring.places === 0;
      button("scale-clear").disabled = measuring.scale === "";
      el("scale-set").title = measuring.scale;
      press("measure-told", measuring.told);
    }
  }
  return {
    compasses: () => toggle("compasses"),
    ruler: () => toggle("ruler"),
    protractor: () => toggle("protractor"),
    measure: () => toggle("measure"),
    show,
  };
}
