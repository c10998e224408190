// @ts-check
// The presenter's panel for quick questions: asked, and counted as they are answered.

import { el } from "../page.js";
import { showPlaces } from "./asked.js";
import { openPanel } from "./panels.js";

/** @typedef {{ ajax: (verb: string, path: string, target: string) => Promise<void> }} Htmx */

/** How often it is looked what was answered, in milliseconds. */
const EACH = 1000;

/** @import { Glass } from "../../glass/glass.js" */

/**
 * @param {string} lesson
 * @param {Glass} glass
 * @param {() => { left: number, top: number, width: number, height: number }} area where the picture is
 */
export function prepareAsk(lesson, glass, area) {
  const panel = el("ask-panel");
  /** Whether the answers are to be seen here: that is not for everybody from the start. */
  let opened = false;
  const details = () => /** @type {HTMLDetailsElement | null} */ (panel.querySelector(".asked details"));
  const earlier = () => /** @type {HTMLDetailsElement | null} */ (panel.querySelector(".asked-before"));
  /** What was asked before is open: so it is when the panel was brought up to date. */
  let looksBack = false;
  const show = () => {
    const { left, top, width, height } = area();
    // What everybody may see stays on the stage when the panel goes.
    const everybody = panel.querySelector("[data-shown]") !== null;
    showPlaces(glass, [left, top, width, height], everybody || (opened && !panel.hidden));
    el("asked-places").classList.toggle("private", !everybody);
  };
  const look = () =>
    /** @type {{ htmx?: Htmx }} */ (window).htmx?.ajax("GET", `/lessons/${lesson}/asked`, "#asked") ??
    Promise.resolve();
  el("ask").addEventListener("click", () => {
    openPanel("ask-panel", el("people"));
    look();
  });
  el("asked").addEventListener("toggle", () => (opened = details()?.open ?? false), true);
  el("asked").addEventListener("htmx:beforeSwap", () => {
    opened = details()?.open ?? opened;
    looksBack = earlier()?.open ?? false;
  });
  el("asked").addEventListener("htmx:afterSwap", () => {
    const shown = details();
    if (shown && opened) shown.open = true;
    const before = earlier();
    if (before && looksBack) before.open = true;
    show();
  });
  setInterval(() => {
    if (panel.hidden && !panel.querySelector("[data-shown][data-open]")) return;
    const busy = panel.querySelector("#asked :focus-visible, #asked :active");
    if (!busy && document.visibilityState === "visible") look();
  }, EACH);
  new MutationObserver(show).observe(panel, { attributeFilter: ["hidden"] });
  return { show };
}
