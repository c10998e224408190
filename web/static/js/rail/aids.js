// @ts-check
// Aids that go along with what points: their keys in the panel, and how they are set.

import { button, el, icon, input, select } from "../page.js";
import { closePanels, panel } from "../panels/panels.js";
import { slider } from "./aids_row.js";

/** @import { Aids, Glass, LaserLook, RingLook, Rgb, Kind } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { Settings } from "../settings.js" */
/** @import { AidsRow } from "./aids_row.js" */

/** Whether two look alike. @param {RingLook} a @param {RingLook} b */
const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);

/** @param {Rgb} colour */
const code = ({ r, g, b }) => `${r},${g},${b}`;

/**
 * @param {{ glass: Glass, hand: Hand, settings: Settings, row: AidsRow, take: (tool: Kind) => void }} stage
 */
export function prepareAids({ glass, hand, settings, row, take }) {
  panel("aids", "aids-panel");
  const colours = /** @type {[string, Rgb][]} */ ([...glass.palette(), ["White", { r: 255, g: 255, b: 255 }]]);
  const laser = () => take(hand.holds("laser") ? "pen" : "laser");
  const ring = () => hand.take({ ring: !hand.held.ring });
  const ripples = () => hand.take({ ripples: !hand.held.ripples });
  for (const [id, isOn, toggle] of /** @type {const} */ ([
    ["laser", () => hand.holds("laser"), laser],
    ["ring", () => hand.held.ring, ring],
    ["ripples", () => hand.held.ripples, ripples],
  ])) {
    row.add(id, {
      isOn,
      putAway: () => isOn() && toggle(),
      chip: el(`row-${id}`),
      set: document.getElementById(`${id}-set`),
    });
    el(id).addEventListener("click", () => {
      toggle();
      closePanels();
    });
    hand.changed(() => el(id).setAttribute("aria-pressed", `${isOn()}`));
  }
  /** What the hand held: whoever takes something else is done with settings. */
  let held = "";
  hand.changed(({ tool, swatch, touching }) => {
    const now = `${tool} ${swatch} ${touching}`;
    if (now !== held && row.shown && !row.known.get(row.shown)?.isOn()) row.close();
    held = now;
    row.look();
  });

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

  const ofLaser = (/** @type {Aids} */ aids) => /** @type {Required<LaserLook>} */ (aids.laser);
  const ofRing = (/** @type {Aids} */ aids) => /** @type {Required<RingLook>} */ (aids.ring);
  const looks = () => ({ laser: ofLaser(settings.now.aids), ring: ofRing(settings.now.aids) });
  const shows = [
    colourOf("laser-colour", ofLaser),
    slider(
      "laser-size",
      () => looks().laser.size,
      (v) => set((a) => (ofLaser(a).size = v)),
    ),
    colourOf("ring-colour", ofRing),
    slider(
      "ring-diameter",
      () => looks().ring.diameter,
      (v) => set((a) => (ofRing(a).diameter = v)),
    ),
    slider(
      "ring-width",
      () => looks().ring.width,
      (v) => set((a) => (ofRing(a).width = v)),
    ),
    slider(
      "ring-opacity",
      () => Math.round(looks().ring.opacity * 100),
      (v) => set((a) => (ofRing(a).opacity = v / 100)),
    ),
    () => el("ring-filled").setAttribute("aria-pressed", `${looks().ring.filled}`),
    () => (input("aids-told").checked = settings.now.aids.told ?? true),
  ];
  el("ring-filled").addEventListener("click", () => set((aids) => (ofRing(aids).filled = !ofRing(aids).filled)));
  el("ring-plain").addEventListener("click", () => set((aids) => (aids.ring = {})));

  // ---- Rings that are kept by a name -----------------------------------------------------------

  const [list, name, keep] = [select("ring-kept"), input("ring-name"), button("ring-keep")];
  const rings = () => settings.now.rings ?? [];
  /** The one that the ring is now. */
  const kept = () => rings().find(({ look }) => same(look, looks().ring));
  /** @param {boolean} naming */
  function ask(naming) {
    [list.hidden, name.hidden] = [naming, !naming];
    if (!naming) return;
    name.value = "";
    name.focus();
  }
  list.addEventListener("change", () => {
    const chosen = rings()[list.selectedIndex - 1];
    if (chosen) set((aids) => (aids.ring = { ...chosen.look }));
  });
  keep.addEventListener("click", () => {
    const now = kept();
    if (now) settings.change((s) => (s.rings = rings().filter((ring) => ring.name !== now.name)));
    else ask(!list.hidden);
  });
  name.addEventListener("keydown", (e) => {
    if (e.key === "Escape") ask(false);
    if (e.key !== "Enter" || name.value.trim() === "") return;
    const ring = { name: name.value, look: { ...looks().ring } };
    settings.change((s) => (s.rings = [...rings(), ring]));
    ask(false);
  });
  shows.push(() => {
    const now = kept();
    list.replaceChildren(
      new Option(rings().length ? "Kept" : "None kept", ""),
      ...rings().map((r) => new Option(r.name, r.name)),
    );
    list.value = now?.name ?? "";
    list.disabled = rings().length === 0;
    const words = now ? `Forget “${now.name}”` : "Keep this ring by a name";
    keep.title = words;
    keep.setAttribute("aria-label", words);
    keep.replaceChildren(icon(now ? "bookmark-minus" : "bookmark-plus"));
  });

  input("aids-told").addEventListener("change", () => set((aids) => (aids.told = input("aids-told").checked)));
  const show = () => shows.forEach((one) => one());
  settings.changed(show);
  show();
  return { laser, ring, ripples };
}
