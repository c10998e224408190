// @ts-check
// Web pages on stage: what the bridge in them tells, and letting hands through to them.

import { el } from "./page.js";

/** @import { Glass } from "../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */

/**
 * @param {{ glass: Glass, beneath: Beneath, act: (deed: () => unknown) => void, moved: () => void,
 *   key: (e: KeyboardEvent) => void, touching: () => boolean }} stage
 */
export function pagesOnStage({ glass, beneath, act, moved, key, touching }) {
  /** Frames whose pages have a bridge. @type {WeakSet<HTMLElement>} */
  const bridged = new WeakSet();
  /** Pages whose picture is held. @type {Set<string>} */
  const frozen = new Set();

  /** @param {Window | null} from */
  const paneOf = (from) => {
    for (const { id, live } of beneath.holders.values()) {
      if (live instanceof HTMLIFrameElement && live.contentWindow === from) return beneath.pane(id) ?? null;
    }
    return null;
  };

  addEventListener("message", (e) => {
    const pane = paneOf(/** @type {Window | null} */ (e.source));
    const said = e.data;
    // Anything may come from a page; only numbers and names of keys are taken.
    if (!pane?.served || typeof said !== "object" || said === null) return;
    const number = (/** @type {unknown} */ v) => (typeof v === "number" && Number.isFinite(v) ? v : 0);
    if (said.bozzetto === "scrolled") {
      const { live } = beneath.holder(pane.id);
      if (live && !bridged.has(live)) {
        bridged.add(live);
        // It comes back where it was left.
        if (pane.scroll[0] || pane.scroll[1]) return post(pane.id, "scroll", pane.scroll[0], pane.scroll[1]);
      }
      // /pages/NAME/FILE
      const file = typeof said.path === "string" ? decoded(said.path).split("/").slice(3).join("/") : "";
      act(() => glass.scrolled(pane.id, file, number(said.x), number(said.y)));
      moved();
    } else if (said.bozzetto === "zoom") {
      const at = glass.lies(pane.id, new Float64Array([0, 0, 1, 1]));
      const x = (at[0] + (pane.scroll[0] + number(said.x)) * pane.scale) * beneath.css;
      const y = (at[1] + (pane.scroll[1] + number(said.y)) * pane.scale) * beneath.css;
      act(() => glass.zoom_by(Math.min(Math.max(number(said.by), 0.5), 2), x, y));
      moved();
    } else if (said.bozzetto === "key" && said.type === "keydown" && typeof said.key === "string") {
      key(new KeyboardEvent("keydown", { key: said.key, shiftKey: !!said.shiftKey, ctrlKey: !!said.ctrlKey, altKey: !!said.altKey, metaKey: !!said.metaKey, repeat: !!said.repeat, bubbles: true, cancelable: true }));
    } else if (said.bozzetto === "key" && said.type === "keyup" && typeof said.key === "string") {
      dispatchEvent(new KeyboardEvent("keyup", { key: said.key }));
    }
  });

  /** @param {string} id @param {string} what @param {number} x @param {number} y */
  function post(id, what, x, y) {
    const { live } = beneath.holder(id);
    if (live instanceof HTMLIFrameElement) live.contentWindow?.postMessage({ bozzetto: what, x, y }, "*");
  }

  /**
   * The wheel scrolls the page in use, as long as it is seen whole; `true` when there is one.
   * @param {number} dx @param {number} dy
   */
  function scroll(dx, dy) {
    const pane = beneath.active;
    const { live } = pane ? beneath.holder(pane.id) : { live: null };
    if (pane?.kind !== "page" || pane.frozen !== null || !live || !bridged.has(live)) return false;
    post(pane.id, "scrollBy", dx / (pane.scale * beneath.css), dy / (pane.scale * beneath.css));
    return true;
  }

  /** In Touch, hands reach the pages: the glass has no hold there. */
  function show() {
    for (const { id, served, frozen: held } of beneath.panes) {
      if (held !== null) frozen.add(id);
      // What goes on says where it is by now.
      else if (frozen.delete(id) && served) post(id, "where", 0, 0);
    }
    const sheet = el("glass");
    const live = touching() ? beneath.panes.filter((p) => p.kind === "page" && p.frozen === null) : [];
    sheet.style.pointerEvents = live.length > 0 && live.length === beneath.panes.length ? "none" : "";
    const only = live.length === 1 && beneath.panes.length === 2 ? live[0] : null;
    const css = beneath.css;
    const width = sheet.offsetWidth;
    if (!only) sheet.style.clipPath = "";
    else if (only.room[0] === 0) sheet.style.clipPath = `inset(0 0 0 ${only.room[2] * css}px)`;
    else sheet.style.clipPath = `inset(0 ${width - only.room[0] * css}px 0 0)`;
  }
  return { scroll, show };
}

/** @param {string} path */
function decoded(path) {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}
