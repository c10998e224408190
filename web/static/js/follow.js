// @ts-check
// Following: the stage on a participant's own screen, and what they can pick up.

import init, { Glass } from "../glass/glass.js";
import { Beneath } from "./beneath.js";
import { thousands } from "./capture_box.js";
import { fadingInk } from "./fading.js";
import { canDecode, Frames } from "./frames.js";
import { Layers } from "./layers.js";
import { Line } from "./line.js";
import { showLine } from "./messages.js";
import { el } from "./page.js";
import { playVideos } from "./players.js";

/** @typedef {{ id: number, name: string, width: number, height: number }} TakeAway */

/** A tap is no longer than this, in milliseconds, and goes no farther, in CSS pixels. */
const TAP_MS = 400;
const TAP_PX = 10;

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
const glass = new Glass(crypto.getRandomValues(new Uint32Array(1))[0], undefined);
const beneath = new Beneath({
  glass,
  host: el("beneath"),
  base: `/follow/${lesson}`,
  runs: false,
  changed: () => layers.drawSoon(),
});
const layers = new Layers(glass, wasm, el("picture"), `/follow/${lesson}/placed`, beneath, true);
const play = playVideos({ glass, beneath, loud: false });
const fades = fadingInk(glass, layers);
const mount = el("mount");

const line = new Line({
  glass,
  address: `/follow/${lesson}/live`,
  heard,
  says: (how) => {
    if (how === "up" || how === "down") beneath.line(how === "up");
    if (how === "up") showLine(null);
    if (how === "down") showLine("The line is down. It comes back by itself.");
    if (how === "old") showLine("This page is from an older Bozzetto than the server.", "Load it again");
    if (how === "gone") showLine("The presenter has deleted this lesson.");
    if (how === "away") showLine("The presenter has sent you away from this lesson.");
  },
});

const frames = new Frames({ glass, beneath, flush: () => line.flush() });
// A picture that has stopped says so; while the lesson is paused or the line down, that is said instead.
setInterval(() => (el("stopped").hidden = !frames.hasStopped || !el("paused").hidden || !el("line").hidden), 500);

/** @param {any[]} events */
function heard(events) {
  for (const event of events) {
    if (event.type === "welcome") {
      if (!canDecode()) glass.want_stills();
    } else if (event.type === "panes") {
      const ids = JSON.parse(glass.panes_shown())
        .map((/** @type {{ id: string }} */ p) => p.id)
        .join();
      if (ids !== shownId) glass.zoom_whole();
      shownId = ids;
      layOut();
      frames.tidy();
      play();
      showNames();
    } else if (event.type === "seen") {
      layers.viewSoon();
      play();
    } else if (event.type === "frames") {
      frames.take();
    } else if (event.type === "paused") {
      el("paused").hidden = !event.paused;
    } else if (event.type === "takeAways") {
      showTakeAways(event.items);
    }
  }
  layers.drawSoon();
  fades();
}

// ---- One's own view --------------------------------------------------------------------------

/** @type {string | null} */
let shownId = null;

/** What is simulated says so to everybody. */
function showNames() {
  const simulated = beneath.panes.filter((p) => p.simulated);
  el("simulated").hidden = simulated.length === 0;
}

function layOut() {
  const { width, height } = mount.getBoundingClientRect();
  glass.set_room(width, height);
  const [x, y, glassWidth] = glass.own_view();
  layers.lay({ width, height, glassWidth, x, y });
  el("zoom-shown").textContent = `${Math.round(glass.zoomed() * 100)} %`;
}

let waiting = false;
function soon() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    layOut();
  });
}

/**
 * Enlarges; what is at (x, y) of the picture stays there.
 * @param {number} by
 * @param {number} [x]
 * @param {number} [y]
 */
function zoom(by, x = mount.clientWidth / 2, y = mount.clientHeight / 2) {
  glass.zoom_by(by, x, y);
  soon();
}

/** @param {number} dx @param {number} dy */
function move(dx, dy) {
  glass.move_by(dx, dy);
  soon();
}

function whole() {
  glass.zoom_whole();
  soon();
}

/** @param {MouseEvent} e @returns {[number, number]} */
function at(e) {
  const { left, top } = layers.picture.getBoundingClientRect();
  return [e.clientX - left, e.clientY - top];
}

el("zoom-in").addEventListener("click", () => zoom(1.5));
el("zoom-out").addEventListener("click", () => zoom(1 / 1.5));
el("zoom-all").addEventListener("click", whole);
mount.addEventListener(
  "wheel",
  (e) => {
    e.preventDefault();
    zoom(Math.exp(-e.deltaY / 400), ...at(e));
  },
  { passive: false },
);
mount.addEventListener("keydown", (e) => {
  const step = 60;
  /** @type {Record<string, () => void>} */
  const keys = {
    "+": () => zoom(1.25),
    "=": () => zoom(1.25),
    "-": () => zoom(1 / 1.25),
    0: whole,
    ArrowLeft: () => move(step, 0),
    ArrowRight: () => move(-step, 0),
    ArrowUp: () => move(0, step),
    ArrowDown: () => move(0, -step),
  };
  if (!keys[e.key] || e.ctrlKey || e.metaKey) return;
  keys[e.key]();
  e.preventDefault();
});
mount.addEventListener("dblclick", (e) => (glass.zoomed() > 1 ? whole() : zoom(2.5, ...at(e))));
mount.addEventListener("pointerdown", (e) => {
  mount.setPointerCapture(e.pointerId);
  glass.finger_down(e.pointerId, ...at(e));
});
mount.addEventListener("pointermove", (e) => {
  if (!mount.hasPointerCapture(e.pointerId)) return;
  glass.finger_move(e.pointerId, ...at(e));
  soon();
});
for (const end of ["pointerup", "pointercancel"]) {
  mount.addEventListener(end, (e) => glass.finger_up(/** @type {PointerEvent} */ (e).pointerId));
}
// A tap brings what a phone held across has no room for, and puts it away again.
/** @type {{ x: number, y: number, at: number } | null} */
let tapped = null;
mount.addEventListener(
  "pointerdown",
  (e) => (tapped = e.isPrimary ? { x: e.clientX, y: e.clientY, at: e.timeStamp } : null),
);
mount.addEventListener("pointerup", (e) => {
  if (!tapped || e.timeStamp - tapped.at > TAP_MS || Math.hypot(e.clientX - tapped.x, e.clientY - tapped.y) > TAP_PX)
    return;
  document.body.classList.toggle("touched");
});
new ResizeObserver(soon).observe(mount);
layOut();

// ---- Take-aways ------------------------------------------------------------------------------

const large = /** @type {HTMLDialogElement} */ (document.getElementById("large"));

/** @param {TakeAway[]} items */
function showTakeAways(items) {
  el("none-yet").hidden = items.length > 0;
  const list = el("take-away-list");
  /** @type {Map<string, Element>} */
  const known = new Map([...list.children].map((li) => [/** @type {HTMLElement} */ (li).dataset.item ?? "", li]));
  list.replaceChildren(
    ...items.map((item) => {
      const mark = JSON.stringify(item);
      return known.get(mark) ?? takeAway(item, mark);
    }),
  );
}

/** @param {TakeAway} item @param {string} mark */
function takeAway(item, mark) {
  const base = `/follow/${lesson}/take-aways/${item.id}`;
  const li = document.createElement("li");
  li.dataset.item = mark;
  const open = document.createElement("button");
  open.className = "open";
  open.setAttribute("aria-label", `Open ${item.name} large`);
  const small = new Image();
  small.src = `${base}/small.png`;
  small.loading = "lazy";
  small.alt = "";
  open.append(small);
  open.addEventListener("click", () => openLarge(item, base));
  const words = document.createElement("div");
  const name = document.createElement("b");
  name.textContent = item.name;
  const pixels = document.createElement("span");
  pixels.className = "small-line";
  pixels.textContent = `${thousands(item.width)} × ${thousands(item.height)} px`;
  words.append(name, pixels);
  li.append(open, words, download(base, item.name));
  return li;
}

/** @param {string} base @param {string} name */
function download(base, name) {
  const link = document.createElement("a");
  link.className = "key";
  link.href = `${base}/download`;
  link.textContent = "Download";
  link.setAttribute("aria-label", `Download ${name}`);
  return link;
}

/** @param {TakeAway} item @param {string} base */
function openLarge(item, base) {
  const head = document.createElement("div");
  head.className = "large-head";
  const words = document.createElement("div");
  const name = document.createElement("h2");
  name.textContent = item.name;
  words.append(name);
  const close = document.createElement("button");
  close.className = "key strong";
  close.textContent = "Close";
  close.addEventListener("click", () => large.close());
  head.append(words, download(base, item.name), close);
  const picture = new Image(item.width, item.height);
  picture.src = `${base}/picture.png`;
  picture.alt = item.name;
  large.replaceChildren(head, picture);
  large.showModal();
}
