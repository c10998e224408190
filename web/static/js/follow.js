// @ts-check
// Following: the stage on a participant's own screen, and what they can pick up.

import init, { Glass } from "../glass/glass.js";
import { thousands } from "./capture_box.js";
import { Layers } from "./layers.js";
import { Line } from "./line.js";

/** @typedef {{ id: number, name: string, width: number, height: number }} TakeAway */

/** @param {string} id */
const el = (id) => /** @type {HTMLElement} */ (document.getElementById(id));

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
const glass = new Glass(crypto.getRandomValues(new Uint32Array(1))[0], undefined);
const layers = new Layers(glass, wasm, el("picture"));
const mount = el("mount");

new Line({
  glass,
  address: `/follow/${lesson}/live`,
  heard,
  says: (how) => {
    const line = el("line");
    line.hidden = how === "up";
    line.textContent = {
      up: "",
      down: "The line is down. It comes back by itself.",
      old: "This page is from an older Bozzetto than the server. Please load it again.",
      gone: "The presenter has deleted this lesson.",
    }[how];
  },
});

/** @param {any[]} events */
function heard(events) {
  for (const event of events) {
    if (event.type === "backdrop") {
      layers.setPicture(event.picture ? `/follow/${lesson}/backdrops/${event.id}/picture` : null);
      if (event.id !== shownId) whole();
      shownId = event.id;
      layOut();
    } else if (event.type === "paused") {
      el("paused").hidden = !event.paused;
    } else if (event.type === "takeAways") {
      showTakeAways(event.items);
    }
  }
  layers.drawSoon();
}

// ---- One's own view --------------------------------------------------------------------------

const MOST = 8;
/** @type {string | null} */
let shownId = null;
/** How much larger than whole, and where the corner of the glass lies, in CSS pixels. */
let view = { zoom: 1, x: 0, y: 0 };

function layOut() {
  const { width, height } = mount.getBoundingClientRect();
  const aspect = glass.aspect();
  const glassWidth = Math.floor(Math.min(width, height / aspect)) * view.zoom;
  view.x = within(view.x, width, glassWidth);
  view.y = within(view.y, height, glassWidth * aspect);
  layers.lay({ width, height, glassWidth, x: view.x, y: view.y });
  el("zoom-shown").textContent = `${Math.round(view.zoom * 100)} %`;
}

/**
 * What is smaller than the room is in its middle; what is larger leaves no gap at either end.
 * @param {number} at @param {number} room @param {number} length
 */
const within = (at, room, length) =>
  length <= room ? Math.round((room - length) / 2) : clamp(at, room - length, 0);

/** @param {number} v @param {number} low @param {number} high */
const clamp = (v, low, high) => Math.min(Math.max(v, low), high);

function whole() {
  view = { zoom: 1, x: 0, y: 0 };
}

/**
 * Enlarges so that what is at (x, y) of the picture stays there.
 * @param {number} by
 * @param {number} [x]
 * @param {number} [y]
 */
function zoom(by, x = mount.clientWidth / 2, y = mount.clientHeight / 2) {
  const next = clamp(view.zoom * by, 1, MOST);
  const real = next / view.zoom;
  view = { zoom: next, x: x - (x - view.x) * real, y: y - (y - view.y) * real };
  soon();
}

/** @param {number} dx @param {number} dy */
function move(dx, dy) {
  view = { ...view, x: view.x + dx, y: view.y + dy };
  soon();
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

el("zoom-in").addEventListener("click", () => zoom(1.5));
el("zoom-out").addEventListener("click", () => zoom(1 / 1.5));
el("zoom-all").addEventListener("click", () => (whole(), soon()));
mount.addEventListener("wheel", (e) => {
  e.preventDefault();
  const { left, top } = layers.picture.getBoundingClientRect();
  zoom(Math.exp(-e.deltaY / 400), e.clientX - left, e.clientY - top);
}, { passive: false });
mount.addEventListener("keydown", (e) => {
  const step = 60;
  /** @type {Record<string, () => void>} */
  const keys = {
    "+": () => zoom(1.25), "=": () => zoom(1.25), "-": () => zoom(1 / 1.25), 0: () => (whole(), soon()),
    ArrowLeft: () => move(step, 0), ArrowRight: () => move(-step, 0), ArrowUp: () => move(0, step), ArrowDown: () => move(0, -step),
  };
  if (!keys[e.key] || e.ctrlKey || e.metaKey) return;
  keys[e.key]();
  e.preventDefault();
});
mount.addEventListener("dblclick", (e) => {
  const { left, top } = layers.picture.getBoundingClientRect();
  if (view.zoom > 1) whole(), soon();
  else zoom(2.5, e.clientX - left, e.clientY - top);
});

/** @type {Map<number, { x: number, y: number }>} */
const fingers = new Map();
mount.addEventListener("pointerdown", (e) => {
  mount.setPointerCapture(e.pointerId);
  fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
});
mount.addEventListener("pointermove", (e) => {
  const before = fingers.get(e.pointerId);
  if (!before) return;
  const now = { x: e.clientX, y: e.clientY };
  const other = [...fingers].find(([id]) => id !== e.pointerId)?.[1];
  if (other) {
    const { left, top } = layers.picture.getBoundingClientRect();
    const spread = (/** @type {{x: number, y: number}} */ p) => Math.hypot(p.x - other.x, p.y - other.y);
    if (spread(before) > 10) zoom(spread(now) / spread(before), (now.x + other.x) / 2 - left, (now.y + other.y) / 2 - top);
    move((now.x - before.x) / 2, (now.y - before.y) / 2);
  } else if (view.zoom > 1) {
    move(now.x - before.x, now.y - before.y);
  }
  fingers.set(e.pointerId, now);
});
for (const end of ["pointerup", "pointercancel"]) {
  mount.addEventListener(end, (e) => fingers.delete(/** @type {PointerEvent} */ (e).pointerId));
}
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
  small.src = `${base}/picture.png`;
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
