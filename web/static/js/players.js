// @ts-check
// Videos on stage: every browser plays the file itself, at the moment that core says.

import { el } from "./page.js";

/** @import { Glass } from "../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */

/** How often a player is compared with where it should be, in milliseconds. */
const LOOK = 200;

/**
 * Keeps the videos on stage where they should be; to be called whenever something has changed too.
 * @param {{ glass: Glass, beneath: Beneath, loud: boolean }} stage `loud`: with sound, if it is wanted
 */
export function playVideos({ glass, beneath, loud }) {
  let blocked = false;
  const look = () => {
    for (const { id, live } of beneath.holders.values()) {
      // Cameras and shared screens are shown in such elements too, and always run.
      if (!(live instanceof HTMLVideoElement) || live.srcObject) continue;
      const state = beneath.pane(id) ? glass.playing(id) : "";
      if (!state) {
        live.pause();
        continue;
      }
      /** @type {{ playing: boolean, rate: number, looped: boolean, muted: boolean }} */
      const { playing, looped, muted } = JSON.parse(state);
      live.loop = looped;
      live.muted = !loud || muted || blocked;
      if (live.readyState < 1) continue;
      const [what, value] = glass.player_does(id, live.currentTime);
      if (what === 2 && !live.seeking) live.currentTime = value;
      if (what !== 2) live.playbackRate = value;
      if (playing && live.paused) {
        // Browsers play sound only after somebody has pressed something on the page.
        live.play().catch(() => {
          blocked = true;
        });
      } else if (!playing && !live.paused) {
        live.pause();
      }
    }
  };
  if (loud)
    addEventListener(
      "pointerdown",
      () => {
        blocked = false;
      },
      true,
    );
  setInterval(look, LOOK);
  return look;
}

/** @param {number} seconds */
const shown = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

/**
 * The keys of a video on the rail's second row.
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
  /** @returns {{ playing: boolean, moment: number, duration: number, rate: number, looped: boolean, muted: boolean } | null} */
  const state = () => {
    const id = active();
    const json = id && glass.playing(id);
    return json ? JSON.parse(json) : null;
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
