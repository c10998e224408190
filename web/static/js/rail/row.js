// @ts-check
// The rail's second row: what can be done with the backdrop that the hand was on last, by its kind.

import { least_page_width } from "../../glass/glass.js";
import { button, el, icon } from "../page.js";
import { prepareCamera } from "../panels/camera_panel.js";
import { closePanels, panel } from "../panels/panels.js";
import { preparePlayer } from "./player.js";

/** @import { Glass, PaneShown as Pane } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Moving } from "../moving/moving.js" */

/**
 * @param {{ glass: Glass, lesson: string, beneath: Beneath, moving: Moving, act: (deed: () => unknown) => void,
 *   wipe: (deed: () => unknown) => void }} stage
 */
export function prepareRow({ glass, lesson, beneath, moving, act, wipe }) {
  const active = () => beneath.active?.id ?? null;
  const showPlayer = preparePlayer({ glass, active, act });
  /** @param {(id: string) => unknown} deed */
  const on = (deed) =>
    act(() => {
      const id = active();
      if (id) deed(id);
    });

  el("page-back").addEventListener("click", () => on((id) => glass.turn_page(id, -1)));
  el("page-on").addEventListener("click", () => on((id) => glass.turn_page(id, 1)));
  el("freeze").addEventListener("click", () => beneath.active && moving.toggle(beneath.active));
  el("swap").addEventListener("click", () => act(() => glass.swap()));
  el("close-left").addEventListener("click", () => act(() => glass.keep_pane(1)));
  el("close-right").addEventListener("click", () => act(() => glass.keep_pane(0)));
  for (const [side, half] of /** @type {const} */ ([
    ["left", 0],
    ["right", 1],
  ])) {
    el(`undo-${side}`).addEventListener("click", () => on((id) => glass.undo_half(id, half)));
    el(`redo-${side}`).addEventListener("click", () => on((id) => glass.redo_half(id, half)));
    el(`wipe-${side}`).addEventListener("click", () => {
      const id = active();
      if (id) wipe(() => glass.wipe_half(id, half));
    });
  }
  el("share-again").addEventListener("click", () => {
    const id = active();
    if (id) moving.share(id);
  });
  el("source-stop").addEventListener("click", () => {
    const id = active();
    if (id) moving.stop(id);
  });
  el("page-reload").addEventListener("click", () => {
    const pane = beneath.active;
    const live = pane && beneath.holder(pane.id).live;
    if (!(live instanceof HTMLIFrameElement)) return;
    delete live.dataset.stopped;
    live.src = beneath.sourceOf(pane);
  });
  el("page-own-tab").addEventListener("click", () => moving.allow());
  panel("pages-key", "pages-panel", fillPages);
  prepareCamera({ active, moving, beneath });

  /** The strip of a document's or a board's pages. */
  function fillPages() {
    const pane = beneath.active;
    if (!pane) return;
    el("pages-list").replaceChildren(
      ...Array.from({ length: pane.pages }, (_, page) => {
        const item = document.createElement("li");
        const key = document.createElement("button");
        if (pane.kind === "document") {
          const small = new Image();
          small.loading = "lazy";
          small.src = `/lessons/${lesson}/backdrops/${pane.id}/pages/${page}?width=${least_page_width()}`;
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
      }),
    );
  }

  let shown = "";
  /** Called at every message and every mark: the page is touched only when something is otherwise. */
  function show() {
    const pane = beneath.active;
    for (const [side, half] of /** @type {const} */ ([
      ["left", 0],
      ["right", 1],
    ])) {
      button(`undo-${side}`).disabled = !pane?.halved || !glass.can_undo_half(pane.id, half);
      button(`redo-${side}`).disabled = !pane?.halved || !glass.can_redo_half(pane.id, half);
    }
    const now = JSON.stringify([
      pane,
      beneath.panes.map((p) => p.simulated),
      pane && moving.sources.has(pane.id),
      moving.tab !== null,
      pane?.kind === "video" && glass.playing(pane.id)?.playing,
    ]);
    if (now === shown) return;
    shown = now;
    fill(pane);
  }

  /** @param {Pane | null} pane */
  function fill(pane) {
    const two = beneath.panes.length > 1;
    const runs = !!pane && moving.sources.has(pane.id);
    const parts = {
      "row-pages": pane?.kind === "board" || (pane?.kind === "document" && pane.pages > 1),
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
    el("new-page").hidden = pane?.kind !== "board";
    const freeze = button("freeze");
    freeze.hidden = !pane?.moves;
    const still = pane?.kind === "video" ? !glass.playing(pane.id)?.playing : pane?.frozen != null;
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
  }
  return { show };
}
