// @ts-check
// Aids: their key and panel, and what the row shows of those in use.

import { el, input, select } from "../page.js";
import { closePanels, panel } from "../panels/panels.js";

/** @import { Aids, Glass, LaserLook, RingLook, Rgb } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { Settings } from "../settings.js" */
/** @import { Kind } from "../../glass/glass.js" */

/** @typedef {"laser" | "ring" | "ripples"} Aid */
const ALL = /** @type {const} */ (["laser", "ring", "ripples"]);

/** @param {Rgb} colour */
const code = ({ r, g, b }) => `${r},${g},${b}`;

/**
 * @param {{ glass: Glass, hand: Hand, settings: Settings, take: (tool: Kind) => void }} stage
 */
export function prepareAids({ glass, hand, settings, take }) {
  panel("aids", "aids-panel");
  const colours = /** @type {[string, Rgb][]} */ ([...glass.palette(), ["White", { r: 255, g: 255, b: 255 }]]);

  /** Those in use, the one whose settings the row shows at the end. @type {Aid[]} */
  let inUse = [];
  /** Whether the row shows how the last of them is set: what belongs to the backdrop gives way then. */
  let opened = false;
  const laser = () => take(hand.holds("laser") ? "pen" : "laser");
  const ring = () => hand.take({ ring: !hand.held.ring });
  const ripples = () => hand.take({ ripples: !hand.held.ripples });
  const toggles = { laser, ring, ripples };
  /** Puts away the aid that was taken or looked at last; `false` when there is none. */
  function putAway() {
    const last = inUse.at(-1);
    if (!last) return false;
    toggles[last]();
    return true;
  }
  el("aid-away").addEventListener("click", putAway);

  for (const id of ALL) {
    el(id).addEventListener("click", () => {
      toggles[id]();
      closePanels();
    });
    el(`row-${id}`).addEventListener("click", () => {
      opened = inUse.at(-1) !== id || !opened;
      inUse = [...inUse.filter((aid) => aid !== id), id];
      showRow();
    });
  }
  hand.changed(({ ring, ripples }) => {
    const now = { laser: hand.holds("laser"), ring, ripples };
    inUse = inUse.filter((aid) => now[aid]);
    for (const aid of ALL) {
      if (now[aid] && !inUse.includes(aid)) inUse.push(aid);
      el(aid).setAttribute("aria-pressed", `${now[aid]}`);
    }
    el("aids").setAttribute("aria-pressed", `${inUse.length > 0}`);
    showRow();
  });

  /** Those in use, and the settings of one. */
  function showRow() {
    el("row-aids").hidden = inUse.length === 0;
    opened &&= inUse.length > 0;
    el("row").classList.toggle("sets-aid", opened);
    for (const aid of ALL) {
      const shown = opened && inUse.at(-1) === aid;
      el(`row-${aid}`).hidden = !inUse.includes(aid);
      el(`row-${aid}`).setAttribute("aria-expanded", `${shown}`);
      const set = document.getElementById(`${aid}-set`);
      if (set) set.hidden = !shown;
    }
  }

  // ---- How they are set ------------------------------------------------------------------------

  /** @param {(aids: Aids) => void} change */
  const set = (change) => settings.change((s) => change(/** @type {Aids} */ (s.aids)));

  /**
   * @param {string} id
   * @param {(aids: Aids) => { colour?: Rgb }} look
   */
  function colourOf(id, look) {
    const list = select(id);
    list.append(...colours.map(([name, colour]) => new Option(name, code(colour))));
    list.addEventListener("change", () => set((aids) => (look(aids).colour = colours[list.selectedIndex][1])));
    return () => {
      const { colour } = look(settings.now.aids);
      if (colour) list.value = code(colour);
    };
  }

  /**
   * A length or share, by slider and by number.
   * @param {string} id
   * @param {(aids: Aids) => number} get
   * @param {(aids: Aids, v: number) => void} put
   */
  function slider(id, get, put) {
    const fields = [input(id), input(`${id}-number`)];
    const show = () => {
      for (const field of fields) field.value = `${get(settings.now.aids)}`;
    };
    for (const field of fields) {
      const event = field.type === "range" ? "input" : "change";
      field.addEventListener(event, () => {
        const v = field.valueAsNumber;
        if (Number.isFinite(v)) set((aids) => put(aids, v));
        else show();
      });
    }
    return show;
  }
  const ofLaser = (/** @type {Aids} */ aids) => /** @type {Required<LaserLook>} */ (aids.laser);
  const ofRing = (/** @type {Aids} */ aids) => /** @type {Required<RingLook>} */ (aids.ring);
  const shows = [
    colourOf("laser-colour", ofLaser),
    slider(
      "laser-size",
      (a) => ofLaser(a).size,
      (a, v) => (ofLaser(a).size = v),
    ),
    colourOf("ring-colour", ofRing),
    slider(
      "ring-diameter",
      (a) => ofRing(a).diameter,
      (a, v) => (ofRing(a).diameter = v),
    ),
    slider(
      "ring-width",
      (a) => ofRing(a).width,
      (a, v) => (ofRing(a).width = v),
    ),
    slider(
      "ring-opacity",
      (a) => Math.round(ofRing(a).opacity * 100),
      (a, v) => (ofRing(a).opacity = v / 100),
    ),
    () => el("ring-filled").setAttribute("aria-pressed", `${ofRing(settings.now.aids).filled}`),
    () => (input("aids-told").checked = settings.now.aids.told ?? true),
  ];
  el("ring-filled").addEventListener("click", () => set((aids) => (ofRing(aids).filled = !ofRing(aids).filled)));
  el("ring-plain").addEventListener("click", () => set((aids) => (aids.ring = {})));
  input("aids-told").addEventListener("change", () => set((aids) => (aids.told = input("aids-told").checked)));
  const show = () => shows.forEach((one) => one());
  settings.changed(show);
  show();
  return { laser: () => take("laser"), ring, ripples, putAway };
}
