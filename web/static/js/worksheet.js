// @ts-check
// A worksheet being marked by a participant: a sheet of their own, kept as it is drawn, and handed in.

import init, { clock_face, Glass } from "../glass/glass.js";
import "./focus.js";
import { prepareCrosshairOfHand } from "./input/crosshair.js";
import { Hand } from "./input/hand.js";
import { prepareOverlays } from "./input/overlays.js";
import { preparePictureKeys } from "./input/picture_keys.js";
import { listenToPointers } from "./input/pointers.js";
import { ScreenKeys } from "./input/screen_keys.js";
import { Selection } from "./input/selection.js";
import { Typing } from "./input/typing.js";
import { say, showLine } from "./messages.js";
import { button, el, isWriting, place } from "./page.js";
import { closePanels } from "./panels/panels.js";
import { Beneath } from "./picture/beneath.js";
import { Keeping } from "./picture/keeping.js";
import { Layers } from "./picture/layers.js";
import { Line } from "./picture/line.js";
import { Refresh } from "./picture/refresh.js";
import { prepareShapes } from "./rail/shapes.js";
import { Swatches } from "./rail/swatches.js";
import { prepareTools } from "./rail/tools.js";
import { Settings } from "./settings.js";
import { nonce } from "./tab.js";

/** @import { Frame, Heard } from "../glass/glass.js" */

const { lesson = "", sheet = "", drawnIn = "", person = "" } = document.body.dataset;
const base = `/follow/${lesson}/mine/${sheet}`;
const wasm = await init();
const glass = new Glass(nonce(), person);
glass.be_guest();
let shownArea = { left: 0, top: 0, width: 0, height: 0 };
const area = () => shownArea;

// ---- The picture -----------------------------------------------------------------------------

glass.set_still(matchMedia("(prefers-reduced-motion: reduce)").matches);
const refresh = new Refresh(glass, showFrame);
// Everybody begins with the same; nothing of it is kept elsewhere.
const settings = new Settings(glass, "{}", false);
const keeping = new Keeping(drawnIn);
const beneath = new Beneath({
  glass,
  host: el("beneath"),
  base,
  runs: false,
  changed: () => refresh.soon(),
});
const layers = new Layers(glass, wasm, el("picture"), `${base}/placed`, beneath, refresh);

/** All that is shown anew in a frame. @param {Frame} frame */
function showFrame({ view, changed }) {
  if (view) layers.placeBackdrop();
  layers.draw();
  showOverlays();
  if (!changed) return;
  tools.show();
  if (hand.holds("select")) selection.show();
  typing.show();
}

/** @param {() => unknown} deed */
function act(deed) {
  deed();
  line.flush();
  refresh.soon();
}

function layOut() {
  const { width, height } = el("mount").getBoundingClientRect();
  // It has all the room there is, whatever its shape.
  glass.fill_room(width, height);
  shownArea = { left: 0, top: 0, width, height };
  for (const id of ["picture", "glass", "lassos"]) place(el(id), [0, 0, width, height]);
  layers.lay({ width, height });
  beneath.show();
  crosshair.lay();
  swatches.show();
  typing.show();
  if (hand.holds("select")) selection.show();
}

// ---- What the server says --------------------------------------------------------------------

/** @param {Heard[]} events */
function heard(events) {
  for (const event of events) {
    if (event.type === "welcome") {
      document.body.classList.add("ready");
    } else if (event.type === "panes") {
      layOut();
    } else if (event.type === "typing") {
      typing.begin();
    } else if (event.type === "mine") {
      showStanding();
    } else if (event.type === "sorry") {
      say(event.why);
    } else if (event.type === "keeping") {
      showLine(event.keeping ? null : "Nothing is being kept just now. What is drawn is held here until it can be.");
    }
  }
  refresh.soon();
}

for (const bytes of await keeping.all()) glass.resume(bytes);
const line = new Line({
  glass,
  address: `${base}/live`,
  keeping,
  heard,
  complains: say,
  says: (how) => {
    if (how === "up") showLine(null);
    if (how === "down") showLine("The line is down. Go on; it is sent when the line is back.");
    if (how === "old") showLine("This page is from an older Bozzetto than the server.", "Load it again");
    if (how === "gone") showLine("This worksheet is not there any more.");
    if (how === "away") showLine("The presenter has sent you away from this lesson.");
    if (how === "up") {
      handInWaiting();
      showStanding();
    }
  },
});

// ---- The hand --------------------------------------------------------------------------------

const hand = new Hand(glass);
const selection = new Selection({
  glass,
  act,
  area,
  edit: () => {
    tools.take("text");
    typing.openSelected();
  },
});
const typing = new Typing({ glass, act, flush: () => line.flush(), area, keys: new ScreenKeys(settings) });
const showOverlays = prepareOverlays({ glass, area });
const tools = prepareTools({
  glass,
  hand,
  act,
  wipe: act,
  typed: (which) => typing.history(which),
  lowered: () => {},
});
hand.changed(() => {
  if (hand.holds("text")) typing.restyle();
  else typing.end();
  if (!hand.holds("select") && !hand.held.touching) selection.clear();
  refresh.soon();
});
listenToPointers({
  sheet: el("glass"),
  glass,
  grips: selection.grips,
  began: () => {
    closePanels();
    hand.use();
    if (document.activeElement instanceof HTMLButtonElement) document.activeElement.blur();
  },
  done: () => act(() => {}),
  grows: (e) => hand.held.touching || e.ctrlKey,
});
el("glass").addEventListener("contextmenu", (e) => e.preventDefault());
const swatches = new Swatches({ glass, wasm, hand, settings, beneath: () => glass.beneath(), edits: false });
prepareShapes({ glass, wasm, hand });
const crosshair = prepareCrosshairOfHand({ glass, hand, host: el("mount"), area });
const keys = preparePictureKeys({
  glass,
  hand,
  selection,
  crosshair,
  undo: tools.undo,
  redo: tools.redo,
  act,
  area,
});
addEventListener("keydown", (e) => {
  if (isWriting(e.target) || e.altKey) return;
  const taken = e.ctrlKey || e.metaKey ? keys.commanded(e) : keys.ends(e) ? keys.leave() : keys.key(e);
  if (taken) e.preventDefault();
});

// ---- Handing in ------------------------------------------------------------------------------

/** It was pressed while the line was down: kept here, through a reload too. `insists` for also an empty one. */
const held = {
  name: `bozzetto-hands-in:${lesson}:${sheet}`,
  /** How, and when it was pressed first, in milliseconds since 1970. @returns {[string, number] | null} */
  get now() {
    const [how, since = `${Date.now()}`] = localStorage.getItem(this.name)?.split(" ") ?? [];
    return how ? [how, Number(since)] : null;
  },
  set now(how) {
    if (how) localStorage.setItem(this.name, how.join(" "));
    else localStorage.removeItem(this.name);
  },
};
/** When it is tried again while the line is slow, in milliseconds. */
const AGAIN = 5000;
/** @type {number | undefined} */
let again;
const key = button("hand-in");
key.addEventListener("click", () => handIn(key.dataset.asks === "yes"));

/** @param {boolean} insists also an empty one */
async function handIn(insists) {
  typing.end();
  line.flush();
  key.disabled = true;
  try {
    if (!(await comes(() => glass.pending() === 0))) return wait(insists);
    const waited = held.now ? Math.max(0, Date.now() - held.now[1]) : 0;
    const how = `insists=${insists}&waited=${waited}`;
    const response = await fetch(`${base}/hand-in?${how}`, { method: "POST" }).catch(() => null);
    if (!response) return wait(insists);
    const said = response.ok
      ? await response.json()
      : { words: response.headers.get("x-bozzetto-says") ?? "It was not handed in." };
    held.now = null;
    key.dataset.asks = said.asks ? "yes" : "";
    el("standing").textContent = said.words;
  } finally {
    key.disabled = false;
  }
}

/** Until when it is open, by this page's clock. @type {number | null} */
let until = null;

/** How it stands has changed: it was closed, opened or given back. */
async function showStanding() {
  const response = await fetch(`${base}/standing`).catch(() => null);
  if (!response?.ok) return;
  const { words, left, asks } = await response.json();
  el("asks").hidden = !asks;
  until = left === null ? null : performance.now() + left;
  showLeft();
  if (!held.now && !key.dataset.asks) el("standing").textContent = words;
}

/** How much time is left. */
function showLeft() {
  const left = Math.max(0, (until ?? 0) - performance.now());
  el("left").hidden = until === null;
  el("left").textContent = `${clock_face(left)} left`;
  if (until !== null && left === 0) {
    until = null;
    showStanding();
  }
}
setInterval(showLeft, 500);

/** @param {boolean} insists */
function wait(insists) {
  held.now = [insists ? "insists" : "asks", held.now?.[1] ?? Date.now()];
  el("standing").textContent = "The line is down: it is kept here, and handed in as soon as the line is back.";
  clearTimeout(again);
  again = window.setTimeout(handInWaiting, AGAIN);
}

function handInWaiting() {
  if (held.now && !key.disabled) handIn(held.now[0] === "insists");
}

/** @param {() => boolean} is @returns {Promise<boolean>} whether it comes to be so within some seconds */
async function comes(is) {
  for (let n = 0; n < 60 && !is(); n++) await new Promise((next) => setTimeout(next, 50));
  return is();
}

// ---- For elsewhere ----------------------------------------------------------------------------

el("copy-mine").addEventListener("click", async () => {
  await comes(() => glass.pending() === 0);
  const picture = fetch(`${base}/elsewhere?png=true`).then((r) => (r.ok ? r.blob() : Promise.reject(r)));
  // Over plain HTTP there is no clipboard.
  const written = navigator.clipboard?.write([new ClipboardItem({ "image/png": picture })]) ?? Promise.reject();
  el("standing").textContent = await written.then(
    () => "Copied. It can be pasted anywhere.",
    () => "It cannot be copied here: take the file instead.",
  );
});

// ---- Coming and going ------------------------------------------------------------------------

new ResizeObserver(layOut).observe(el("mount"));
addEventListener("pagehide", () => {
  glass.lift_all();
  line.flush();
  keeping.leave(glass.unacknowledged().map(({ key, bytes }) => ({ key: key ?? "", bytes })));
});
addEventListener("pageshow", (e) => e.persisted && location.reload());
// Across, a phone has no room for it: it is a press away.
const instruction = document.querySelector("#instruction details");
if (instruction && matchMedia("(orientation: landscape) and (max-height: 560px)").matches)
  instruction.removeAttribute("open");
hand.take({});
layOut();
