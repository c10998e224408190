// @ts-check
// The stage: the presenter's screen.

import init, { Glass } from "../glass/glass.js";
import { CaptureBox } from "./capture_box.js";
import { Keeping } from "./keeping.js";
import { Layers } from "./layers.js";
import { Line } from "./line.js";
import { closePanels, panel } from "./panels.js";
import { listenToPens } from "./pens.js";
import { print } from "./printer.js";
import { closeProof, takeCapture } from "./proofs.js";

/** @typedef {{ id: string | null, name: string, picture: boolean }} Backdrop */

/** @param {string} id */
const el = (id) => /** @type {HTMLElement} */ (document.getElementById(id));
/** @param {string} id */
const button = (id) => /** @type {HTMLButtonElement} */ (document.getElementById(id));

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
const glass = new Glass(crypto.getRandomValues(new Uint32Array(1))[0], await author());
const keeping = new Keeping(lesson);
const layers = new Layers(glass, wasm, el("picture"));

// ---- Who this tab is -------------------------------------------------------------------------

/** The author that this tab was before it was loaded again; not that of a tab it was copied from. */
async function author() {
  const known = sessionStorage.getItem(`author:${lesson}`) ?? undefined;
  if (!known || !navigator.locks) return known;
  return new Promise((resolve) => {
    navigator.locks.request(`author:${known}`, { ifAvailable: true }, (lock) => {
      resolve(lock ? known : undefined);
      return lock ? new Promise(() => {}) : undefined;
    });
  });
}

// ---- What is going on ------------------------------------------------------------------------

/** @type {{ order: Backdrop[], current: string | null, paused: boolean }} */
let state = { order: [], current: null, paused: false };
let touching = false;
let erasing = false;
let swatch = 0;
/** @type {{ key: string, back: () => void, used: boolean } | null} */
let lent = null;

/** @param {any[]} events */
function heard(events) {
  for (const event of events) {
    switch (event.type) {
      case "welcome":
        sessionStorage.setItem(`author:${lesson}`, event.author);
        document.body.classList.add("ready");
        break;
      case "lesson":
        state = event;
        showOrder();
        break;
      case "backdrop":
        layers.setPicture(event.picture ? `/lessons/${lesson}/backdrops/${event.id}/picture` : null);
        layOut();
        break;
      case "people":
        showPeople(event.people);
        break;
      case "keeping":
        showLine(event.keeping ? null : "Nothing is being kept: the server's disk does not take it. Drawing goes on; what is drawn is held here until it can be kept.");
        break;
      case "sorry":
        say(event.why);
        break;
    }
  }
  layers.drawSoon();
  showUndo();
}

for (const bytes of await keeping.all()) glass.resume(bytes);
const line = new Line({
  glass,
  address: `/lessons/${lesson}/live`,
  keeping,
  heard,
  says: (how) => {
    if (how === "up") showLine(null);
    if (how === "down") showLine("The line to the server is down. Drawing goes on; it is sent when the line is back.");
    if (how === "old") showLine("This page is from an older Bozzetto than the server.", "Load it again");
    if (how === "gone") showLine("This lesson has been deleted.", "Load it again");
  },
});

// ---- Messages --------------------------------------------------------------------------------

/** @type {number | undefined} */
let saying;

/** @param {string} text */
function say(text) {
  const says = el("says");
  says.textContent = text;
  says.hidden = false;
  clearTimeout(saying);
  saying = window.setTimeout(() => (says.hidden = true), 8000);
}

/**
 * @param {string | null} text
 * @param {string} [reload] the name of a key that loads the page again
 */
function showLine(text, reload) {
  const line = el("line");
  line.textContent = text ?? "";
  line.hidden = text === null;
  if (reload) {
    const key = document.createElement("button");
    key.className = "key";
    key.textContent = reload;
    key.addEventListener("click", () => location.reload());
    line.append(" ", key);
  }
}

// ---- Laying out ------------------------------------------------------------------------------

/** Where the picture area is, in CSS pixels of the mount. */
let place = { left: 0, top: 0, width: 0, height: 0 };

function layOut() {
  const mount = el("mount").getBoundingClientRect();
  const aspect = glass.aspect();
  const width = Math.floor(Math.min(mount.width, mount.height / aspect));
  const height = Math.round(width * aspect);
  place = { left: Math.round((mount.width - width) / 2), top: Math.round((mount.height - height) / 2), width, height };
  for (const id of ["picture", "glass"]) {
    const style = el(id).style;
    style.left = `${place.left}px`;
    style.top = `${place.top}px`;
    style.width = `${width}px`;
    style.height = `${height}px`;
  }
  layers.lay({ width, height });
  paintSwatches();
  box?.close();
}

// ---- Swatches --------------------------------------------------------------------------------

const swatches = glass.swatches();
const swatchKeys = swatches.map((name, i) => {
  const key = document.createElement("button");
  key.type = "button";
  key.setAttribute("role", "radio");
  key.setAttribute("aria-label", name);
  key.title = `${name} (${i + 1})`;
  key.append(document.createElement("canvas"));
  key.addEventListener("click", () => pick(i));
  el("swatches").append(key);
  return key;
});

function paintSwatches() {
  swatchKeys.forEach((key, i) => {
    const canvas = /** @type {HTMLCanvasElement} */ (key.firstChild);
    const [w, h, ratio] = [54, 60, devicePixelRatio];
    [canvas.width, canvas.height] = [w * ratio, h * ratio];
    const context = canvas.getContext("2d");
    if (!context) return;
    context.fillStyle = glass.paper();
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    glass.paint_swatch(i, w, h);
    print(context, glass, wasm);
  });
}

/** @param {number} i */
function pick(i) {
  swatch = i;
  touching = false;
  erasing = false;
  showTools();
}

function showTools() {
  document.body.classList.toggle("touching", touching);
  el("glass").classList.toggle("erasing", erasing && !touching);
  el("touch").setAttribute("aria-checked", `${touching}`);
  el("mark").setAttribute("aria-checked", `${!touching}`);
  el("erase").setAttribute("aria-pressed", `${erasing && !touching}`);
  swatchKeys.forEach((key, i) => {
    key.setAttribute("aria-checked", `${i === swatch && !erasing && !touching}`);
    key.tabIndex = i === swatch ? 0 : -1;
  });
  if (!erasing || touching) el("eraser").hidden = true;
}

el("swatches").addEventListener("keydown", (e) => {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
  if (!step) return;
  pick((swatch + step + swatches.length) % swatches.length);
  swatchKeys[swatch].focus();
  e.preventDefault();
});

// ---- Tools -----------------------------------------------------------------------------------

/** @param {boolean} value */
function setTouching(value) {
  touching = value;
  showTools();
}

/** @param {boolean} value */
function setErasing(value) {
  erasing = value;
  touching = false;
  showTools();
}

function showUndo() {
  button("undo").disabled = !glass.can_undo();
  button("redo").disabled = !glass.can_redo();
}

/** @param {() => unknown} deed */
function act(deed) {
  deed();
  layers.draw();
  line.flush();
  showUndo();
}

el("touch").addEventListener("click", () => setTouching(true));
el("mark").addEventListener("click", () => setErasing(false));
el("erase").addEventListener("click", () => setErasing(!erasing || touching));
el("undo").addEventListener("click", () => act(() => glass.undo()));
el("redo").addEventListener("click", () => act(() => glass.redo()));
el("wipe").addEventListener("click", () => act(() => glass.wipe()));
el("previous").addEventListener("click", () => go(-1));
el("next").addEventListener("click", () => go(1));

listenToPens({
  sheet: el("glass"),
  glass,
  layers,
  line: () => line,
  tool: () => ({ marks: !touching, erases: erasing, swatch }),
  began: () => {
    closePanels();
    el("says").hidden = true;
    if (lent) lent.used = true;
  },
  ended: showUndo,
  eraser: (at) => {
    const ring = el("eraser");
    ring.hidden = at === null;
    if (!at) return;
    const size = glass.eraser_radius() * 2;
    Object.assign(ring.style, { left: `${at.x + place.left}px`, top: `${at.y + place.top}px`, width: `${size}px`, height: `${size}px` });
  },
});

// ---- Running order ---------------------------------------------------------------------------

function showOrder() {
  const at = state.order.findIndex((b) => b.id === state.current);
  el("backdrop-name").textContent = state.order[at]?.name ?? "Nothing on stage";
  const next = state.order[at + 1];
  el("backdrop-place").textContent = `${at + 1} of ${state.order.length}${next ? ` · ${next.name} next` : ""}`;
  button("previous").disabled = at <= 0;
  button("next").disabled = !next;
  document.body.classList.toggle("paused", state.paused);
  el("pause").setAttribute("aria-pressed", `${state.paused}`);
  const says = el("pause").querySelector("span");
  if (says) says.textContent = state.paused ? "Go on showing it to them" : "Pause what they see";
  el("people").title = state.paused ? "Participants see nothing new: paused" : "Who is here, and how to join";
  if (!el("order-panel").hidden) fillOrder();
}

/** @param {number} step */
function go(step) {
  const at = state.order.findIndex((b) => b.id === state.current);
  const to = state.order[at + step];
  if (to?.id) goTo(to.id);
}

/** @param {string} id */
function goTo(id) {
  glass.lift_all();
  glass.goto(id);
  line.flush();
}

function fillOrder() {
  const items = state.order.map((b) => {
    const item = document.createElement("li");
    const key = document.createElement("button");
    const small = new Image();
    small.src = `/lessons/${lesson}/backdrops/${b.id}/thumbnail.png`;
    small.alt = "";
    key.append(small, b.name);
    key.setAttribute("aria-current", `${b.id === state.current}`);
    key.addEventListener("click", () => {
      closePanels();
      if (b.id) goTo(b.id);
    });
    item.append(key);
    return item;
  });
  el("order-list").replaceChildren(...items);
}

panel("order", "order-panel", fillOrder);
panel("people", "people-panel");
panel("more", "more-panel");

for (const key of document.querySelectorAll("[data-board]")) {
  key.addEventListener("click", async () => {
    closePanels();
    const body = new URLSearchParams({ ruling: /** @type {HTMLElement} */ (key).dataset.board ?? "plain" });
    await ask(`/lessons/${lesson}/boards`, body);
  });
}

const file = /** @type {HTMLInputElement} */ (document.getElementById("picture-file"));
el("add-picture").addEventListener("click", () => file.click());
file.addEventListener("change", () => {
  closePanels();
  bring([...(file.files ?? [])]);
  file.value = "";
});

addEventListener("paste", (e) => {
  const files = [...(e.clipboardData?.files ?? [])];
  if (files.length) bring(files);
});
addEventListener("dragover", (e) => e.preventDefault());
addEventListener("drop", (e) => {
  e.preventDefault();
  const files = [...(e.dataTransfer?.files ?? [])];
  if (files.length) bring(files);
  else say("Only picture files can be dropped here: PNG, JPEG, WebP or SVG.");
});

/**
 * Puts pictures on stage.
 * @param {File[]} files
 */
async function bring(files) {
  const body = new FormData();
  files.forEach((f) => body.append("picture", f, f.name));
  const response = await ask(`/lessons/${lesson}/pictures`, body);
  if (response?.status === 422) {
    /** @type {{ refused: { file: string, why: string }[] } | null} */
    const outcome = await response.json().catch(() => null);
    if (outcome) say(outcome.refused.map(({ file, why }) => `${file}: ${why}`).join(" "));
  }
}

/**
 * @param {string} address
 * @param {BodyInit} body
 */
async function ask(address, body) {
  try {
    const response = await fetch(address, { method: "POST", body });
    if (!response.ok && !response.headers.get("content-type")?.includes("json")) {
      say(response.headers.get("x-bozzetto-says") ?? "That did not work.");
    }
    return response;
  } catch {
    say("The line to the server is down. Try again when it is back.");
    return null;
  }
}

// ---- Participants ----------------------------------------------------------------------------

/** @param {{ name: string }[]} people */
function showPeople(people) {
  el("people-count").textContent = `${people.length}`;
  el("people-title").textContent = people.length === 0 ? "Nobody is here yet" : `${people.length} here`;
  el("people-list").replaceChildren(
    ...people.map(({ name }) => {
      const item = document.createElement("li");
      item.textContent = name;
      return item;
    }),
  );
}

el("pause").addEventListener("click", () => {
  glass.pause(!state.paused);
  line.flush();
});

// ---- Capture ---------------------------------------------------------------------------------

/** @type {CaptureBox | undefined} */
const box = new CaptureBox({
  glass,
  size: () => place,
  take: async (request) => {
    await settled();
    await takeCapture(lesson, request, say);
  },
  opened: (open) => el("capture").setAttribute("aria-pressed", `${open}`),
});

el("capture").addEventListener("click", () => (box.isOpen ? box.close() : openBox()));

function openBox() {
  closePanels();
  glass.lift_all();
  line.flush();
  box?.open();
}

/** Until everything that was drawn has reached the server, or half a second has shown that it will
 *  not soon: then what it has is captured. */
function settled() {
  const until = performance.now() + 500;
  return new Promise((/** @type {(v?: unknown) => void} */ resolve) => {
    const look = () => (glass.pending() === 0 || performance.now() > until ? resolve() : setTimeout(look, 10));
    look();
  });
}

// ---- Keys ------------------------------------------------------------------------------------

function fullScreen() {
  if (document.fullscreenElement) document.exitFullscreen();
  else document.documentElement.requestFullscreen().catch(() => say("The browser did not allow full screen."));
}
el("full-screen").addEventListener("click", fullScreen);
document.addEventListener("fullscreenchange", () => {
  const says = el("full-screen").querySelector("span");
  if (says) says.textContent = document.fullscreenElement ? "Leave full screen" : "Full screen";
});

/**
 * Lends a tool for as long as its key is held; a short press without drawing keeps it.
 * @param {string} key
 * @param {() => void} take
 * @param {boolean} stays whether a short press keeps the tool
 */
function lend(key, take, stays) {
  if (lent) return;
  const before = { touching, erasing };
  const since = performance.now();
  take();
  const back = () => {
    const held = performance.now() - since > 400 || lent?.used;
    if (held || !stays) {
      ({ touching, erasing } = before);
      showTools();
    }
  };
  lent = { key, back, used: false };
}

/** @type {Record<string, () => void>} */
const KEYS = {
  d: () => setErasing(false),
  c: openBox,
  z: fullScreen,
  PageUp: () => go(-1),
  PageDown: () => go(1),
};

addEventListener("keydown", (e) => {
  const target = /** @type {HTMLElement} */ (e.target);
  if (target.matches("input, textarea, select")) {
    if (e.key === "Escape") target.blur();
    return;
  }
  if (box.isOpen && box.key(e)) return e.preventDefault();
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  if (e.ctrlKey || e.metaKey) {
    if (key === "z") act(() => (e.shiftKey ? glass.redo() : glass.undo()));
    else if (key === "y") act(() => glass.redo());
    else return;
    return e.preventDefault();
  }
  if (e.altKey) return;
  if (key === "Escape") {
    if (!closePanels()) closeProof();
  } else if (key === " " && !target.closest("button, a, summary")) {
    if (!e.repeat) lend(key, () => setTouching(true), false);
  } else if (key === "e") {
    if (!e.repeat) lend(key, () => setErasing(!erasing || touching), true);
  } else if (/^[1-5]$/.test(key) && swatches[Number(key) - 1]) {
    pick(Number(key) - 1);
  } else if (KEYS[key] && !e.repeat) {
    KEYS[key]();
  } else {
    return;
  }
  e.preventDefault();
});
addEventListener("keyup", (e) => {
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  if (lent?.key !== key) return;
  lent.back();
  lent = null;
});
addEventListener("blur", () => {
  lent?.back();
  lent = null;
});

// ---- Coming and going ------------------------------------------------------------------------

addEventListener("resize", layOut);
new ResizeObserver(layOut).observe(el("mount"));
layers.image.addEventListener("load", () => layers.drawSoon());
addEventListener("pagehide", () => {
  glass.lift_all();
  line.flush();
  keeping.leave(glass.unacknowledged().map(({ key, bytes }) => ({ key: key ?? "", bytes })));
});
// A page that was put aside by the browser and comes back has lost its line.
addEventListener("pageshow", (e) => e.persisted && location.reload());

el("insecure").hidden = window.isSecureContext;
showTools();
showUndo();
layOut();
performance.mark("ready-to-draw");
