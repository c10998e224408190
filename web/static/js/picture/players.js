// @ts-check
// Videos on stage: every browser plays the file itself, at the moment that core says.

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */

/** How often a player is compared with where it should be, in milliseconds. */
const LOOK = 200;

/**
 * Keeps the videos on stage where they should be; to be called whenever something has changed too.
 * @param {{ glass: Glass, beneath: Beneath, loud: boolean, speed?: () => number }} stage `loud`: with sound, if it is wanted;
 *   `speed` is how quickly the lesson's clock goes, 0 while it stands
 */
export function playVideos({ glass, beneath, loud, speed = () => 1 }) {
  let blocked = false;
  const look = () => {
    for (const { id, live } of beneath.holders.values()) {
      // Cameras and shared screens are shown in such elements too, and always run.
      if (!(live instanceof HTMLVideoElement) || live.srcObject) continue;
      const state = beneath.pane(id) && glass.playing(id);
      if (!state) {
        live.pause();
        continue;
      }
      const { playing, looped, muted } = state;
      live.loop = looped;
      live.muted = !loud || muted || blocked;
      if (live.readyState < 1) continue;
      const [what, value] = glass.player_does(id, live.currentTime);
      if (what === 2 && !live.seeking) live.currentTime = value;
      if (what !== 2 && speed() > 0) live.playbackRate = value * speed();
      if (playing && speed() > 0 && live.paused) {
        // Browsers play sound only after somebody has pressed something on the page.
        live.play().catch(() => {
          blocked = true;
        });
      } else if (!(playing && speed() > 0) && !live.paused) {
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
