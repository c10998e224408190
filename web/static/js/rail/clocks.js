// @ts-check
// Clocks: their keys in the panel, how they are set in the row, laps, and what is heard of them.

import { usual_minutes } from "../../glass/glass.js";
import { hush } from "../messages.js";
import { button, el, input, select } from "../page.js";
import { closePanels, panel } from "../panels/panels.js";
import { prepareKeypad } from "./keypad.js";

/** @import { ClockShown, Glass, LaidShown } from "../../glass/glass.js" */
/** @import { AidsRow } from "./aids_row.js" */

/**
 * @param {{ glass: Glass, row: AidsRow, act: (deed: () => unknown) => void, say: (words: string) => void }} stage
 */
export function prepareClocks({ glass, row, act, say }) {
  /** @type {ClockShown[]} */
  let clocks = [];
  /** Chips, by clock. @type {Map<string, HTMLElement>} */
  const chips = new Map();
  const name = (/** @type {string} */ id) => `clock ${id}`;
  /** The clock whose settings are shown. */
  const current = () => clocks.find(({ id }) => row.shown === name(id));

  /** @param {boolean} countdown */
  function bring(countdown) {
    let id = "";
    act(() => (id = glass.clock_out(countdown)));
    show();
    row.open(name(id));
  }
  /** Takes it out, or puts it away. @param {boolean} countdown */
  function toggle(countdown) {
    const there = clocks.findLast((clock) => clock.countdown === countdown);
    if (there) act(() => glass.put_clock_away(there.id));
    else bring(countdown);
    show();
  }
  for (const id of ["countdown", "stopwatch"]) {
    el(id).addEventListener("click", () => {
      closePanels();
      toggle(id === "countdown");
    });
  }

  /** Does something with the clock whose settings are shown. @param {(clock: ClockShown) => unknown} deed */
  const on = (deed) => () => {
    const clock = current();
    if (clock) act(() => deed(clock));
    show();
  };
  el("clock-run").addEventListener(
    "click",
    on(({ id, runs, over }) => glass.press_clock(id, runs && !over ? "stand" : "run")),
  );
  for (const what of ["again", "minute", "lap"])
    el(`clock-${what}`).addEventListener(
      "click",
      on(({ id }) => glass.press_clock(id, what)),
    );
  for (const key of /** @type {HTMLElement[]} */ ([...document.querySelectorAll("[data-place]")]))
    key.addEventListener(
      "click",
      on(({ id }) => glass.place_clock(id, key.dataset.place ?? "")),
    );
  el("clock-warns").addEventListener(
    "click",
    on(({ id, warns }) => glass.set_warns(id, !warns)),
  );
  el("clock-loud").addEventListener(
    "click",
    on(({ id, loud }) => glass.set_loud(id, !loud)),
  );
  el("clock-told").addEventListener(
    "click",
    on(({ id, told }) => glass.tell_clock(id, !told)),
  );
  el("clock-remove").addEventListener(
    "click",
    on(({ id }) => glass.remove_clock(id)),
  );
  el("clock-more").addEventListener("click", () => {
    const clock = current();
    if (!clock) return;
    let id = "";
    act(() => (id = glass.new_clock(clock.countdown)));
    show();
    if (chips.has(id)) row.open(name(id));
  });

  // ---- How long --------------------------------------------------------------------------------

  /** @param {string} typed */
  const take = (typed) =>
    on(({ id }) => {
      const why = glass.set_length(id, typed);
      if (why) say(why);
      else hush();
    })();
  const typed = input("clock-typed");
  typed.addEventListener("change", () => {
    take(typed.value);
    typed.value = current()?.length ?? "";
  });
  prepareKeypad({ take });
  const minutes = input("clock-minutes");
  minutes.addEventListener("input", () => (typed.value = `${minutes.value}:00`));
  minutes.addEventListener("change", () => take(minutes.value));
  const preset = select("clock-preset");
  preset.append(new Option("Usual", ""), ...[...usual_minutes()].map((m) => new Option(`${m} min`, `${m}`)));
  preset.addEventListener("change", () => {
    if (preset.value) take(preset.value);
    preset.value = "";
  });

  // ---- Laps ------------------------------------------------------------------------------------

  panel("clock-laps", "laps-panel", fillLaps);
  /** The clock whose laps are shown. */
  let ofLaps = "";
  function fillLaps() {
    const clock = current();
    if (!clock) return;
    ofLaps = clock.id;
    el("laps-list").replaceChildren(
      ...clock.laps.map((lap, i) => {
        const line = document.createElement("tr");
        const field = document.createElement("input");
        field.value = lap.name;
        field.maxLength = 60;
        field.setAttribute("aria-label", `Name of lap ${i + 1}`);
        field.addEventListener("change", () => act(() => glass.name_lap(ofLaps, i, field.value)));
        const note = lap.best ? "best" : lap.worst ? "worst" : "";
        line.className = note;
        line.append(...[`${i + 1}`, field, lap.split, lap.total, note].map(cell));
        return line;
      }),
    );
  }
  /** @param {string | Node} what */
  function cell(what) {
    const made = document.createElement("td");
    made.append(what);
    return made;
  }
  el("laps-copy").addEventListener("click", async () => {
    try {
      await navigator.clipboard.writeText(glass.laps_table(ofLaps, "\t"));
      say("The laps are on the clipboard.");
    } catch {
      say("The browser did not let the laps be copied. CSV saves them as a file.");
    }
  });
  el("laps-csv").addEventListener("click", () => {
    const file = new Blob([glass.laps_table(ofLaps, ",")], { type: "text/csv" });
    const link = /** @type {HTMLAnchorElement} */ (el("laps-csv"));
    URL.revokeObjectURL(link.href);
    link.href = URL.createObjectURL(file);
  });

  // ---- Shown and heard -------------------------------------------------------------------------

  /** @param {LaidShown} [laid] */
  function show(laid = glass.laid()) {
    clocks = laid.clocks;
    for (const id of [...chips.keys()]) {
      if (clocks.some((clock) => clock.id === id)) continue;
      chips.get(id)?.remove();
      chips.delete(id);
      row.forget(name(id));
    }
    for (const clock of clocks) {
      const chip = chips.get(clock.id) ?? newChip(clock);
      const words = `${clock.countdown ? "Countdown" : "Stopwatch"} ${clock.reading}`;
      if (chip.textContent !== words) chip.textContent = words;
    }
    el("countdown").setAttribute("aria-pressed", `${clocks.some((c) => c.countdown)}`);
    el("stopwatch").setAttribute("aria-pressed", `${clocks.some((c) => !c.countdown)}`);
    row.look();
    fill();
    listen();
  }

  /** @param {ClockShown} clock */
  function newChip({ id }) {
    const chip = document.createElement("button");
    chip.className = "word aid clock";
    chip.setAttribute("aria-controls", "clock-set");
    chips.set(id, chip);
    el("row-clocks").append(chip);
    row.add(name(id), {
      isOn: () => clocks.some((clock) => clock.id === id),
      putAway: () => {
        act(() => glass.put_clock_away(id));
        show();
      },
      chip,
      set: el("clock-set"),
      opened: fill,
    });
    return chip;
  }

  /** The settings of the clock that is shown. */
  function fill() {
    const clock = current();
    if (!clock) return;
    const goes = clock.runs && !clock.over;
    el("clock-run").textContent = goes ? "Pause" : "Start";
    el("clock-lap").hidden = clock.countdown;
    button("clock-lap").disabled = !clock.runs;
    for (const id of ["clock-minute", "clock-length"]) el(id).hidden = !clock.countdown;
    el("clock-laps").hidden = clock.countdown;
    button("clock-laps").disabled = clock.laps.length === 0;
    el("clock-laps-count").textContent = `${clock.laps.length}`;
    if (document.activeElement !== typed) typed.value = clock.length;
    if (document.activeElement !== minutes) minutes.value = `${clock.minutes}`;
    el("clock-warns").setAttribute("aria-pressed", `${clock.warns}`);
    el("clock-loud").setAttribute("aria-pressed", `${clock.loud}`);
    el("clock-told").setAttribute("aria-pressed", `${clock.told}`);
  }

  /** @type {number | undefined} */
  let timer;
  /** Sounds what is to be heard by now, and waits for what comes next. */
  function listen() {
    clearTimeout(timer);
    const { over, warns, wait } = glass.signals();
    if (over || warns) ring(over);
    if (wait >= 0) timer = window.setTimeout(listen, wait);
  }
  return { countdown: () => toggle(true), stopwatch: () => toggle(false), show };
}

/** @type {AudioContext | undefined} */
let sound;

/** A warning is one short tone, an end three. @param {boolean} over */
function ring(over) {
  sound ??= new AudioContext();
  const from = sound.currentTime;
  for (const [start, length] of over
    ? [
        [0, 0.25],
        [0.35, 0.25],
        [0.7, 0.7],
      ]
    : [[0, 0.18]]) {
    const tone = new OscillatorNode(sound, { frequency: over ? 880 : 660, type: "triangle" });
    const loudness = new GainNode(sound, { gain: 0 });
    loudness.gain.setTargetAtTime(0.5, from + start, 0.01);
    loudness.gain.setTargetAtTime(0, from + start + length, 0.04);
    tone.connect(loudness).connect(sound.destination);
    tone.start(from + start);
    tone.stop(from + start + length + 0.3);
  }
}
