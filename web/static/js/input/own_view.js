// @ts-check
// A participant's own view of the stage: enlarged and moved by keys, wheel and fingers.

import { el } from "../page.js";
import { FIRST } from "./hand.js";
import { viewKey } from "./picture_keys.js";
import { listenToPointers } from "./pointers.js";

/** @import { Glass } from "../../glass/glass.js" */

/** A tap is no longer than this, in milliseconds, and goes no farther, in CSS pixels. */
const TAP_MS = 400;
const TAP_PX = 10;
/** How much larger it gets by a key of the page, by a double tap. */
const BY_BUTTON = 1.5;
const BY_TAP = 2.5;

/**
 * Whether a press that began at one place and ended at another is no more than a tap; in CSS pixels.
 * @param {{ x: number, y: number } | null} from @param {{ clientX: number, clientY: number }} to
 */
export const isTap = (from, { clientX, clientY }) =>
  from !== null && Math.hypot(clientX - from.x, clientY - from.y) <= TAP_PX;

/**
 * @param {{ glass: Glass, mount: HTMLElement, picture: HTMLElement, refresh: { soon: () => void }, free?: () => boolean,
 *   means?: (x: number, y: number) => boolean }} page
 *   `free` says whether pointers move the view, and do nothing else; `means` whether a tap at a place of the window is
 *   something else than one for what there was no room for
 */
export function prepareOwnView({ glass, mount, picture, refresh, free, means = () => false }) {
  /** @param {() => void} deed */
  const act = (deed) => {
    deed();
    refresh.soon();
  };
  /**
   * Enlarges; what is at (x, y) of the picture stays there.
   * @param {number} by
   * @param {number} [x]
   * @param {number} [y]
   */
  const zoom = (by, x = mount.clientWidth / 2, y = mount.clientHeight / 2) => act(() => glass.zoom_by(by, x, y));
  const whole = () => act(() => glass.zoom_whole());

  glass.hold({ ...FIRST, touching: true, locked: true });
  listenToPointers({
    sheet: mount,
    glass,
    // Keys are the picture's then.
    began: () => mount.focus({ preventScroll: true }),
    done: () => refresh.soon(),
    grows: () => true,
    free,
  });

  el("zoom-in").addEventListener("click", () => zoom(BY_BUTTON));
  el("zoom-out").addEventListener("click", () => zoom(1 / BY_BUTTON));
  el("zoom-all").addEventListener("click", whole);
  mount.addEventListener("keydown", (e) => {
    const room = { width: mount.clientWidth, height: mount.clientHeight };
    if (!e.ctrlKey && !e.metaKey && viewKey(glass, room, act, e.key)) e.preventDefault();
  });
  mount.addEventListener("dblclick", (e) => {
    const { left, top } = picture.getBoundingClientRect();
    if (glass.zoomed() > 1) whole();
    else zoom(BY_TAP, e.clientX - left, e.clientY - top);
  });

  // A tap brings what a phone held across has no room for, and puts it away again.
  /** @type {{ x: number, y: number, at: number } | null} */
  let tapped = null;
  mount.addEventListener(
    "pointerdown",
    (e) => (tapped = e.isPrimary ? { x: e.clientX, y: e.clientY, at: e.timeStamp } : null),
  );
  mount.addEventListener("pointerup", (e) => {
    if (!tapped || e.timeStamp - tapped.at > TAP_MS || !isTap(tapped, e) || means(e.clientX, e.clientY)) return;
    document.body.classList.toggle("touched");
  });
}
