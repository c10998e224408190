// @ts-check
// The rail's second row: what can be done with the backdrop that the hand was on last, by its kind.

import { icon, input, el, button } from "./page.js";
import { closePanels, panel } from "./panels.js";
import { preparePlayer } from "./players.js";
import { remember, remembered } from "./moving.js";

/** @import { Glass } from "../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */
/** @import { Moving } from "./moving.js" */

/**
 * @param {{ glass: Glass, lesson: string, beneath: Beneath, moving: Moving, act: (deed: () => unknown) => void, laidOut: () => void }} stage
 */
export function prepareRow({ glass, lesson, beneath, moving, act, laidOut }) {
  const row = el("row");
  const active = () => beneath.active?.id ?? null;
  const showPlayer = preparePlayer({ glass, active, act });
  /** @param {(id: string) => unknown} deed */
  const on = (deed) => act(() => { const id = active(); if (id) deed(id); });

  el("page-back").addEventListener("click", () => on((id) => glass.turn_page(id, -1)));
  el("page-on").addEventListener("click", () => on((id) => glass.turn_page(id, 1)));
  el("freeze").addEventListener("click", () => beneath.active && moving.toggle(beneath.active));
  el("swap").addEventListener("click", () => act(() => glass.swap()));
  el("close-left").addEventListener("click", () => act(() => glass.keep_pane(1)));
  el("close-right").addEventListener("click", () => act(() => glass.keep_pane(0)));
  for (const [side, half] of /** @type {const} */ ([["left", 0], ["right", 1]])) {
    el(`undo-${side}`).addEventListener("click", () => on((id) => glass.undo_half(id, half)));
    el(`redo-${side}`).addEventListener("click", () => on((id) => glass.redo_half(id, half)));
    el(`wipe-${side}`).addEventListener("click", () => on((id) => glass.wipe_half(id, half)));
  }
  el("share-again").addEventListener("click", () => { const id = active(); if (id) moving.share(id); });
  el("source-stop").addEventListener("click", () => { const id = active(); if (id) moving.stop(id); });
  el("page-reload").addEventListener("click", () => {
    const live = active() && beneath.holder(/** @type {string} */ (active())).live;
    if (live instanceof HTMLIFrameElement) live.src = `${live.src}`;
  });
  el("page-own-tab").addEventListener("click", () => moving.allow());
  panel("pages-key", "pages-panel", fillPages);
  prepareCamera({ glass, active, moving, beneath });

  /** The strip of a document's or a board's pages. */
  function fillPages() {
    const pane = beneath.active;
    if (!pane) return;
    el("pages-list").replaceChildren(...Array.from({ length: pane.pages }, (_, page) => {
      const item = document.createElement("li");
      const key = document.createElement("button");
      if (pane.kind === "document") {
        const small = new Image();
        small.loading = "lazy";
        small.src = `/lessons/${lesson}/backdrops/${pane.id}/pages/${page}?width=160`;
        small.alt = "";
        key.append(small);
      }
      key.append(`Page ${page + 1}`);
      key.setAttribute("aria-current", `${page === pane.page}`);
      key.addEventListener("click", () => {
        closePanels();
        act(() => glass.show_page(pane.id, page));
      });
      item.append(key);
      return item;
    }));
  }

  let shownFor = "";
  let shown = "";
  /** Called at every message and every mark: the page is touched only when something is otherwise. */
  function show() {
    const pane = beneath.active;
    for (const [side, half] of /** @type {const} */ ([["left", 0], ["right", 1]])) {
      button(`undo-${side}`).disabled = !pane?.halved || !glass.can_undo_half(pane.id, half);
      button(`redo-${side}`).disabled = !pane?.halved || !glass.can_redo_half(pane.id, half);
    }
    const now = JSON.stringify([pane, beneath.panes.map((p) => p.simulated), pane && moving.sources.has(pane.id), moving.tab !== null, pane?.kind === "video" && glass.playing(pane.id)]);
    if (now === shown) return;
    shown = now;
    fill(pane);
  }

  /** @param {import("./beneath.js").Pane | null} pane */
  function fill(pane) {
    const two = beneath.panes.length > 1;
    const runs = !!pane && moving.sources.has(pane.id);
    const parts = {
      "row-pages": !!pane && (pane.pages > 1 || pane.kind === "board"),
      "row-video": pane?.kind === "video",
      "row-page": pane?.kind === "page",
      "row-camera": pane?.kind === "camera" && runs && !pane.simulated,
      "row-share": pane?.kind === "share" && (runs || pane.frozen !== null),
      "row-left": !!pane?.halved,
      "row-right": !!pane?.halved,
      "row-two": two,
    };
    for (const [id, wanted] of Object.entries(parts)) el(id).hidden = !wanted;
    el("source-stop").hidden = !runs;
    el("simulated").hidden = !beneath.panes.some((p) => p.simulated);
    const any = Object.values(parts).some(Boolean) || runs;
    const onlyBoard = pane?.kind === "board" && pane.pages === 1 && !two && !pane.halved;
    row.hidden = !any || onlyBoard;
    el("new-page").hidden = pane?.kind !== "board";
    const freeze = button("freeze");
    freeze.hidden = !pane?.moves;
    const still = pane?.kind === "video" ? !JSON.parse(glass.playing(pane.id) || "{}").playing : pane?.frozen != null;
    freeze.setAttribute("aria-pressed", `${still}`);
    el("freeze-word").textContent = still ? "Go on" : "Freeze";
    document.body.classList.toggle("frozen", !!pane && pane.frozen !== null);
    if (pane) {
      el("page-shown").textContent = `${pane.page + 1} of ${pane.pages}`;
      button("page-back").disabled = pane.page === 0;
      button("page-on").disabled = pane.page + 1 >= pane.pages && pane.kind !== "board";
      const last = pane.page + 1 >= pane.pages && pane.kind === "board";
      button("page-on").title = last ? "A new page" : "Next page";
      button("page-on").replaceChildren(icon(last ? "plus" : "chevron-right"));
      button("page-on").setAttribute("aria-label", last ? "New page" : "Next page");
      el("page-own-tab").hidden = moving.tab !== null;
    }
    showPlayer();
    // The row takes room from the picture, or gives it back.
    const now = `${row.hidden}`;
    if (now !== shownFor) {
      shownFor = now;
      laidOut();
    }
  }
  return { show };
}

/**
 * The panel of a camera: which one, how fine, how it stands, and what the device lets be set.
 * @param {{ glass: Glass, active: () => string | null, moving: Moving, beneath: Beneath }} stage
 */
function prepareCamera({ active, moving, beneath }) {
  const device = /** @type {HTMLSelectElement} */ (el("camera-device"));
  const height = /** @type {HTMLSelectElement} */ (el("camera-height"));
  const source = () => moving.sources.get(active() ?? "") ?? null;
  const again = () => {
    const id = active();
    if (id) moving.startCamera(id, false, { deviceId: device.value, height: Number(height.value) });
  };
  panel("camera-key", "camera-panel", fill);
  device.addEventListener("change", again);
  height.addEventListener("change", again);

  async function fill() {
    const now = source();
    if (!now) return;
    const all = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "videoinput");
    device.replaceChildren(...all.map((d) => new Option(d.label || "Camera", d.deviceId)));
    device.value = now.track.getSettings().deviceId ?? "";
    height.value = `${remembered(now.name).height ?? 1080}`;
    settings(now);
  }

  /** What the device offers: zoom, focus, exposure. @param {import("./sources.js").Source} now */
  function settings(now) {
    const can = /** @type {any} */ (now.track.getCapabilities?.() ?? {});
    const is = /** @type {any} */ (now.track.getSettings());
    for (const [id, key, mode] of /** @type {const} */ ([["camera-zoom", "zoom", ""], ["camera-focus", "focusDistance", "focusMode"], ["camera-exposure", "exposureTime", "exposureMode"]])) {
      const slider = input(id);
      const range = can[key];
      el(`${id}-row`).hidden = !range || !(range.max > range.min);
      if (!range) continue;
      Object.assign(slider, { min: range.min, max: range.max, step: range.step || "any", value: is[key] ?? range.min });
      slider.oninput = () => {
        const value = { [key]: Number(slider.value), ...(mode && can[mode]?.includes("manual") ? { [mode]: "manual" } : {}) };
        now.track.applyConstraints(/** @type {any} */ ({ advanced: [value] })).catch(() => {});
      };
    }
  }

  /** @param {(now: import("./sources.js").Source) => void} change */
  const orient = (change) => {
    const id = active();
    const now = source();
    if (!id || !now) return;
    change(now);
    remember(now.name, { ...now.orientation });
    moving.sized(id);
    moving.turn(id);
    beneath.show();
    moving.key(id);
  };
  el("camera-turn").addEventListener("click", () => orient(({ orientation }) => (orientation.turn = (orientation.turn + 1) % 4)));
  el("camera-mirror").addEventListener("click", () => orient(({ orientation }) => (orientation.mirror = !orientation.mirror)));
}
