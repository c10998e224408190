// @ts-check
// The keys of a video on the rail's second row.

import { el } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

/** @param {number} seconds */
const shown = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

/**
 * @param {{ glass: Glass, active: () => string | null, act: (deed: () => unknown) => void }} stage
 */
export function preparePlayer({ glass, active, act }) {
  const slider = /** @type {HTMLInputElement} */ (el("video-at"));
  const rate = /** @type {HTMLSelectElement} */ (el("video-rate"));
  /** @param {(id: string) => unknown} deed */
  const on = (deed) =>
    act(() => {
      const id = active();
      if (id) deed(id);
    });
  const state = () => {
    const id = active();
    return id ? glass.playing(id) : undefined;
  };

  el("video-play").addEventListener("click", () => on((id) => glass.play(id, !state()?.playing)));
  el("video-back").addEventListener("click", () => on((id) => glass.step_frames(id, -1)));
  el("video-on").addEventListener("click", () => on((id) => glass.step_frames(id, 1)));
  el("video-loop").addEventListener("click", () => on((id) => glass.set_looped(id, !state()?.looped)));
  el("video-sound").addEventListener("click", () => on((id) => glass.set_muted(id, !state()?.muted)));
  rate.addEventListener("change", () => on((id) => glass.set_rate(id, Number(rate.value))));
  slider.addEventListener("input", () => on((id) => glass.seek(id, Number(slider.value))));

  function show() {
    const now = state();
    if (!now) return;
    const play = el("video-play");
    play.setAttribute("aria-label", now.playing ? "Pause" : "Play");
    play.classList.toggle("plays", now.playing);
    slider.max = `${now.duration}`;
    if (document.activeElement !== slider) slider.value = `${now.moment}`;
    slider.setAttribute("aria-valuetext", `${shown(now.moment)} of ${shown(now.duration)}`);
    el("video-time").textContent = `${shown(now.moment)} / ${shown(now.duration)}`;
    rate.value = `${now.rate}`;
    el("video-loop").setAttribute("aria-pressed", `${now.looped}`);
    el("video-sound").setAttribute("aria-pressed", `${!now.muted}`);
  }
  setInterval(show, 250);
  return show;
}
