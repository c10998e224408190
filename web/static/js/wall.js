// @ts-check
// The wall: what participants make of a worksheet, side by side as it grows, and all together.

import init, { Wall } from "../glass/wall.js";
import { asMouseOn, listenToItsKeys, prepareCrosshair } from "./input/crosshair.js";
import { button, el, input } from "./page.js";
import { print } from "./picture/printer.js";

/**
 * How an answer stands, as the server says it.
 * @typedef {{ answer: number, name: string, standing: string, words: string, at: number | null,
 *   noted: { verdict: string | null, points: number | null } }} Standing
 */

/** How often it is asked what is new, in milliseconds. */
const EACH = 1000;
/** Small pictures have so many pixels across. */
const SMALL = 360;
/** A finger that stays within so many CSS pixels has tapped, and what is so near it is what it has tapped. */
const REACH = 8;

const room = el("wall-room");
const { lesson = "", sheet = "", width = "1", height = "1" } = room.dataset;
const base = `/lessons/${lesson}/worksheets/${sheet}`;
const size = { width: Number(width), height: Number(height) };
const wasm = await init();
const wall = new Wall(size.width, size.height);
/** @type {Standing[]} */
let standings = [];
/** Cards, by the answer's number. @type {Map<number, HTMLLIElement>} */
const cards = new Map();
let named = false;
/** Whose marks are apart from most. @type {Set<number>} */
let apart = new Set();

// ---- Cards -----------------------------------------------------------------------------------

/** Only what is in view is asked for and painted. @type {Set<number>} */
const seen = new Set();
const watch = new IntersectionObserver((all) => {
  for (const { target, isIntersecting } of all) {
    const answer = Number(/** @type {HTMLElement} */ (target).dataset.answer);
    if (isIntersecting) seen.add(answer);
    else seen.delete(answer);
  }
});

/** @param {number} answer */
function newCard(answer) {
  const card = document.createElement("li");
  card.className = "hand-in card-cut";
  card.dataset.answer = `${answer}`;
  const picture = document.createElement("button");
  picture.className = "sheet";
  picture.addEventListener("click", () => open(answer));
  const image = new Image();
  image.src = `${base}/picture`;
  image.alt = "";
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [SMALL, Math.round((SMALL * size.height) / size.width)];
  picture.append(image, canvas);
  const words = document.createElement("label");
  const tick = document.createElement("input");
  [tick.type, tick.title] = ["checkbox", "For the stage"];
  tick.addEventListener("change", () => {
    if (tick.checked) ticked.add(answer);
    else ticked.delete(answer);
    showKeys();
  });
  words.append(tick, document.createElement("b"), document.createElement("span"));
  words.lastElementChild?.classList.add("small-line");
  card.append(picture, words);
  watch.observe(card);
  return card;
}

/** @param {number} answer */
function paint(answer) {
  const canvas = cards.get(answer)?.querySelector("canvas");
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return;
  const scale = canvas.width / size.width;
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.clearRect(0, 0, canvas.width, canvas.height);
  context.setTransform(scale, 0, 0, scale, 0, 0);
  wall.paint(answer);
  print(context, wall, wasm);
}

/** Shows cards in their order, each with how it stands. */
function show() {
  const number = new Map(standings.map((s, n) => [s.answer, n + 1]));
  const only = input("wall-handed").checked;
  const order = /** @type {HTMLSelectElement} */ (el("wall-sort")).value;
  const shown = standings.filter((s) => !only || s.at !== null);
  if (order === "name") shown.sort((a, b) => a.name.localeCompare(b.name));
  if (order === "time") shown.sort((a, b) => (b.at ?? 0) - (a.at ?? 0));
  if (order === "ink") shown.sort((a, b) => wall.ink(b.answer) - wall.ink(a.answer));
  const list = shown.map(({ answer, name, standing, words, noted }) => {
    const card = cards.get(answer) ?? newCard(answer);
    cards.set(answer, card);
    card.dataset.standing = standing;
    const called = named ? name : `${number.get(answer)}`;
    const [who, how] = card.querySelectorAll("label > :not(input)");
    who.textContent = called;
    const mark = noted.verdict === "tick" ? " ✓" : noted.verdict === "cross" ? " ✗" : "";
    how.textContent = `${words}${apart.has(answer) ? ", apart from most" : ""}${mark}${noted.points === null ? "" : ` ${noted.points}`}`;
    const key = card.querySelector("button");
    key?.setAttribute("aria-label", `Open hand-in ${called}`);
    key?.setAttribute("aria-pressed", `${answer === opened}`);
    return card;
  });
  const now = [...el("wall").children];
  if (now.length !== list.length || list.some((card, n) => card !== now[n])) el("wall").replaceChildren(...list);
}

// ---- One of them, and those for the stage ------------------------------------------------------

/** @type {number | null} */
let opened = null;
/** @type {Set<number>} */
const ticked = new Set();
/** @typedef {{ ajax: (verb: string, path: string, target: string) => Promise<void> }} Htmx */

/** @param {number} answer */
async function open(answer) {
  opened = answer;
  show();
  showKeys();
  await /** @type {{ htmx?: Htmx }} */ (window).htmx?.ajax("GET", `${base}/answers/${answer}`, "#hand-in");
}

function showKeys() {
  button("wall-stage").disabled = ticked.size === 0 && opened === null;
}

button("wall-stage").addEventListener("click", async () => {
  el("wall-says").textContent = "Being put on stage …";
  const response = await fetch(`${base}/on-stage`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(ticked.size ? [...ticked] : [opened]),
  }).catch(() => null);
  el("wall-says").textContent = response?.ok
    ? "On stage."
    : (response?.headers.get("x-bozzetto-says") ?? "Nothing was put on stage: the line to the server is down.");
});

// ---- All together ----------------------------------------------------------------------------

const canvas = /** @type {HTMLCanvasElement} */ (el("together-canvas"));

function showTogether() {
  const density = wall.density();
  const columns = wall.columns();
  const rows = density.length / columns;
  const most = density.reduce((a, b) => Math.max(a, b), 1);
  [canvas.width, canvas.height] = [columns, rows];
  const context = canvas.getContext("2d");
  if (!context) return;
  const image = context.createImageData(columns, rows);
  density.forEach((many, n) => {
    if (many) image.data.set([0, 114, 178, 70 + (185 * many) / most], n * 4);
  });
  context.putImageData(image, 0, 0);
}

/** x and y of each place of the area, in the worksheet's units. @type {number[]} */
let line = [];
const picture = el("together");
const path = el("together-area").querySelector("path");
el("together-area").setAttribute("viewBox", `0 0 ${size.width} ${size.height}`);

/** @param {PointerEvent} e */
const at = (e) => {
  const { left, top, width: wide } = picture.getBoundingClientRect();
  return [((e.clientX - left) * size.width) / wide, ((e.clientY - top) * size.width) / wide];
};
/** The pointer that draws round an area. @type {number | null} */
let draws = null;
picture.addEventListener("pointerdown", (e) => {
  if (e.button !== 0) return;
  e.preventDefault();
  // Keys have no pointer to be captured.
  if (e.isTrusted) picture.setPointerCapture(e.pointerId);
  draws = e.pointerId;
  line = at(e);
});
picture.addEventListener("pointermove", (e) => {
  if (draws !== e.pointerId) return;
  line.push(...at(e));
  // With many hand-ins counting takes longer than a pointer's reports come.
  if (!waits) requestAnimationFrame(choose);
  waits = true;
});
picture.addEventListener("pointercancel", () => (draws = null));
picture.addEventListener("pointerup", () => {
  draws = null;
  if (!choose()) el("together-count").textContent = "There is no mark. Draw round an area, or tap a mark.";
});
const crosshair = prepareCrosshair({
  host: picture,
  area: () => ({ left: 0, top: 0, width: picture.clientWidth, height: picture.clientHeight }),
  tell: asMouseOn(picture),
});
listenToItsKeys(picture, crosshair);
addEventListener("resize", () => crosshair.lay());
/** It is counted in the next frame. */
let waits = false;

/** Chooses what the line is about; whether that is something. */
function choose() {
  waits = false;
  const reach = (REACH * size.width) / picture.clientWidth;
  const area = wall.choose(Float64Array.from(line), reach, opened ?? undefined);
  if (area === undefined) return false;
  path?.setAttribute("d", area);
  count();
  return true;
}

function count() {
  if (!path?.getAttribute("d")) return;
  const counted = JSON.parse(wall.count());
  const head = document.createElement("b");
  head.textContent = `${counted.touches.length} of ${counted.of}`;
  const says = `have marked the area: ${counted.inside.length} with a mark wholly inside, ${counted.through.length} with a line through it.`;
  el("together-count").replaceChildren(head, says);
  // Names are opened on request, and then only if they are shown.
  const called = new Map(standings.map((s, n) => [s.answer, named ? s.name : `${n + 1}`]));
  const who = counted.touches.map((/** @type {number} */ answer) => called.get(answer));
  el("together-who").hidden = who.length === 0;
  const words = el("together-who").querySelector("p");
  if (words) words.textContent = who.join(", ");
}

/** The picture with all marks over it, and the area, as a backdrop: it says of nobody whose a mark is. */
button("together-stage").addEventListener("click", async () => {
  const image = /** @type {HTMLImageElement} */ (picture.querySelector("img"));
  const whole = document.createElement("canvas");
  [whole.width, whole.height] = [image.naturalWidth, image.naturalHeight];
  const context = whole.getContext("2d");
  if (!context) return;
  context.drawImage(image, 0, 0);
  context.drawImage(canvas, 0, 0, whole.width, whole.height);
  context.scale(whole.width / size.width, whole.height / size.height);
  context.lineWidth = size.width / 300;
  context.strokeStyle = "#d55e00";
  context.stroke(new Path2D(path?.getAttribute("d") ?? ""));
  const form = new FormData();
  const blob = await new Promise((/** @type {(blob: Blob | null) => void} */ done) => whole.toBlob(done));
  form.set("file", blob ?? new Blob(), "All together.png");
  const response = await fetch(`/lessons/${lesson}/backdrops`, { method: "POST", body: form }).catch(() => null);
  el("wall-says").textContent = response?.ok
    ? "On stage."
    : "Nothing was put on stage: the line to the server is down.";
});

/** Those that are laid over one another. */
let chosen = "";

/** Chooses those that are handed in, or all; whether they are others now. */
function chooseHands() {
  const only = input("wall-handed").checked;
  const all = standings.filter((s) => wall.known(s.answer) >= 0 && (!only || s.at !== null)).map((s) => s.answer);
  if (all.join() === chosen) return false;
  chosen = all.join();
  wall.count_only(Float64Array.from(all));
  return true;
}

function showAll() {
  apart = new Set(wall.apart());
  show();
  showTogether();
  count();
}

// ---- What is new -----------------------------------------------------------------------------

async function look() {
  const response = await fetch(`${base}/now`).catch(() => null);
  if (!response?.ok) return;
  const now = await response.json();
  standings = now.answers;
  el("wall-count").textContent = `${now.handed_in} of ${standings.length} handed in`;
  const key = button("wall-open");
  key.dataset.open = `${now.open}`;
  key.textContent = now.open ? "Close it" : "Open it again";
  show();
  // All of them once; from then on those that are in view.
  const wanted = standings.filter(({ answer }) => seen.has(answer) || wall.known(answer) < 0);
  const known = wanted.map(({ answer }) => [answer, wall.known(answer)]);
  if (known.length === 0) return;
  const drawn = await fetch(`${base}/drawn`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(known),
  }).catch(() => null);
  if (!drawn?.ok) return;
  const changed = wall.take(new Uint8Array(await drawn.arrayBuffer()));
  changed.forEach(paint);
  if (chooseHands() || changed.length > 0) showAll();
}

for (const [id, other, is] of /** @type {const} */ ([
  ["by-number", "by-name", false],
  ["by-name", "by-number", true],
]))
  el(id).addEventListener("click", () => {
    named = is;
    el(id).setAttribute("aria-checked", "true");
    el(other).setAttribute("aria-checked", "false");
    show();
  });
el("wall-sort").addEventListener("change", show);
el("wall-handed").addEventListener("change", () => {
  chooseHands();
  showAll();
});
button("wall-open").addEventListener("click", async () => {
  const open = button("wall-open").dataset.open === "true";
  await fetch(`${base}/${open ? "close" : "open"}`, {
    method: "POST",
    headers: { "content-type": "application/x-www-form-urlencoded" },
    body: "",
  }).catch(() => null);
  look();
});

for (;;) {
  if (document.visibilityState === "visible") await look();
  await new Promise((next) => setTimeout(next, EACH));
}
