// @ts-check
// Web pages on stage: what the bridge in them tells, and letting hands through to them.

import { say } from "../messages.js";
import { el } from "../page.js";

/** @import { Glass, Heard, PaneShown as Pane } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */

/** How far a page is scrolled, and how long it is, in its own CSS pixels. @typedef {{ x: number, y: number, height: number }} Whereabouts */

/** So many messages in a second are more than any page has to say: scrolling makes sixty. */
const FLOOD = 3000;

/** Anything may come from a page; only numbers are taken. @param {unknown} v */
const number = (v) => (typeof v === "number" && Number.isFinite(v) ? v : 0);

/**
 * @param {{ glass: Glass, beneath: Beneath, act: (deed: () => unknown) => void,
 *   key: (e: KeyboardEvent) => void, touching: () => boolean }} stage
 */
export function pagesOnStage({ glass, beneath, act, key, touching }) {
  /** Frames whose pages have a bridge. @type {WeakSet<HTMLElement>} */
  const bridged = new WeakSet();
  /** Pages whose picture is held. @type {Set<string>} */
  const frozen = new Set();

  /**
   * What pages have said since the last frame, and how often within this second. However often a page
   * says something, the stage looks at it once a frame; one that does nothing else is stopped.
   * @type {Map<HTMLIFrameElement, { scrolled: any, by: number, zoom: any, points: any, count: number, since: number }>}
   */
  const said = new Map();
  let waiting = false;
  let lastKey = 0;
  /** Whoever waits for where a page is. @type {Map<HTMLIFrameElement, (is: Whereabouts) => void>} */
  const asked = new Map();

  addEventListener("message", (e) => {
    const what = e.data;
    if (typeof what !== "object" || what === null || !what.bozzetto) return;
    const live = frameOf(/** @type {Window | null} */ (e.source));
    if (!live || live.dataset.stopped) return;
    let told = said.get(live);
    if (!told)
      said.set(live, (told = { scrolled: null, by: 1, zoom: null, points: null, count: 0, since: e.timeStamp }));
    if (e.timeStamp - told.since > 1000) [told.count, told.since] = [0, e.timeStamp];
    told.count += 1;
    if (told.count > FLOOD) return stop(live);
    if (what.bozzetto === "key") return keyFrom(live, what, e.timeStamp);
    // A press is not overtaken by where the hand goes next.
    if (what.bozzetto === "left" || (what.bozzetto === "points" && !told.points?.press)) told.points = what;
    if (what.bozzetto === "scrolled") {
      told.scrolled = what;
      asked.get(live)?.({ x: number(what.x), y: number(what.y), height: number(what.height) });
      asked.delete(live);
    }
    if (what.bozzetto === "zoom") {
      told.by *= Math.min(Math.max(number(what.by), 0.5), 2);
      told.zoom = what;
    }
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(take);
  });

  /** @param {Window | null} from */
  const frameOf = (from) => {
    const holders = [...beneath.holders.values()];
    const found = holders.find(({ live }) => live instanceof HTMLIFrameElement && live.contentWindow === from);
    return /** @type {HTMLIFrameElement | undefined} */ (found?.live);
  };

  /** Takes what pages have said. */
  function take() {
    waiting = false;
    for (const [live, told] of said) {
      const pane = beneath.panes.find((p) => p.served && beneath.holder(p.id).live === live);
      const { scrolled, zoom, by, points } = told;
      [told.scrolled, told.zoom, told.by, told.points] = [null, null, 1, null];
      if (!pane) {
        if (!live.isConnected) said.delete(live);
        continue;
      }
      if (scrolled) takeScroll(pane, live, scrolled);
      // Only while hands reach it. Whether a wheel was really turned there nobody can tell: a browser
      // does not say that the pointer is over a page of another process.
      if (zoom && touching()) takeZoom(pane, zoom, by);
      if (points && touching()) takePoints(pane, points);
    }
  }

  /** @param {Pane} pane @param {HTMLIFrameElement} live @param {any} told */
  function takeScroll(pane, live, told) {
    if (!bridged.has(live)) {
      bridged.add(live);
      // It comes back where it was left.
      if (pane.scroll[0] || pane.scroll[1]) return post(pane.id, "scroll", pane.scroll[0], pane.scroll[1]);
    }
    // /pages/KEY/FILE
    const file = typeof told.path === "string" ? decoded(told.path).split("/").slice(3).join("/") : "";
    act(() => glass.scrolled(pane.id, file, number(told.x), number(told.y)));
  }

  /** Where something that a page tells of is in the picture area. @param {Pane} pane @param {any} told */
  function placeOf(pane, told) {
    const at = glass.lies(pane.id, new Float64Array([0, 0, 1, 1]));
    const x = (at[0] + (pane.scroll[0] + number(told.x)) * pane.scale) * beneath.css;
    const y = (at[1] + (pane.scroll[1] + number(told.y)) * pane.scale) * beneath.css;
    return { x, y };
  }

  /** @param {Pane} pane @param {any} told @param {number} by */
  function takeZoom(pane, told, by) {
    const { x, y } = placeOf(pane, told);
    act(() => glass.zoom_by(Math.min(Math.max(by, 0.5), 2), x, y));
  }

  /**
   * Where hands point in a page. What it pretends does no harm: a ring or a ripple, if they are wanted.
   * @param {Pane} pane @param {any} told
   */
  function takePoints(pane, told) {
    if (told.bozzetto === "left") return act(() => glass.pointer_left());
    const { x, y } = placeOf(pane, told);
    act(() => glass.points(x, y, performance.now(), number(told.press)));
  }

  /**
   * A key that was pressed in a page. The page may only pretend: so it counts just after somebody has
   * done something in there, and only where it takes a tool in hand or holds the picture. The keyboard
   * is the stage's again then.
   * @param {HTMLIFrameElement} live @param {any} what @param {number} now
   */
  function keyFrom(live, what, now) {
    const gesture = document.activeElement === live && navigator.userActivation?.isActive !== false;
    if (!gesture || what.type !== "keydown" || typeof what.key !== "string" || now - lastKey < 150) return;
    if (what.ctrlKey || what.altKey || what.metaKey || !glass.may_come_from_page(what.key)) return;
    lastKey = now;
    live.blur();
    key(new KeyboardEvent("keydown", { key: what.key, bubbles: true, cancelable: true }));
  }

  /** A page that says so much that nothing else could be heard is stopped. @param {HTMLIFrameElement} live */
  function stop(live) {
    said.delete(live);
    live.dataset.stopped = "yes";
    live.src = "about:blank";
    say(`The page “${live.title}” was stopped: it kept the stage too busy. Load it again with its key in the row.`);
  }

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

  /**
   * Where a page is, once it has been scrolled as it was asked to; `null` when nothing in it answers.
   * @param {string} id @param {{ x: number, y: number }} [to] @returns {Promise<Whereabouts | null>}
   */
  function whereabouts(id, to) {
    const { live } = beneath.holder(id);
    if (!(live instanceof HTMLIFrameElement)) return Promise.resolve(null);
    return new Promise((resolve) => {
      setTimeout(resolve, 1000, null);
      asked.set(live, resolve);
      post(id, to ? "scroll" : "where", to?.x ?? 0, to?.y ?? 0);
    });
  }

  /** The page in which a participant's hand presses. @type {string | null} */
  let pressed = null;

  /** The hand that pressed is gone, or the page is: it does not wait for the hand to be lifted. */
  function letGo() {
    const live = pressed === null ? null : beneath.holders.get(pressed)?.live;
    pressed = null;
    if (live instanceof HTMLIFrameElement) live.contentWindow?.postMessage({ bozzetto: "hand", does: "cancel" }, "*");
  }

  /** What a participant's hand does in a page. @param {Extract<Heard, { type: "reach" }>} reach */
  function reached({ id, does, x, y, dx, dy, key: named }) {
    const pane = beneath.panes.find((p) => p.id === id && p.served && p.frozen === null);
    const { live } = pane ? beneath.holder(pane.id) : { live: null };
    if (!pane || !(live instanceof HTMLIFrameElement)) return;
    if (does === "down") pressed = id;
    if (does === "up") pressed = null;
    const [left, top] = pane.scroll;
    const hand = { bozzetto: "hand", does, x: x - left, y: y - top, dx, dy, key: named };
    live.contentWindow?.postMessage(hand, "*");
  }

  /** In Touch, hands reach the pages: the glass has no hold there. */
  function show() {
    if (pressed !== null && !beneath.panes.some((p) => p.id === pressed && p.frozen === null)) letGo();
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
  return { letGo, reached, scroll, show, whereabouts };
}

/** @param {string} path */
function decoded(path) {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}
