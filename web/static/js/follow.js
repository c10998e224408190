// @ts-check
// Following: the stage on a participant's own screen, and what they can pick up.

import init, { Glass } from "../glass/glass.js";
import { listenToItsKeys, prepareCrosshair } from "./input/crosshair.js";
import { isTap, prepareOwnView } from "./input/own_view.js";
import { say, showLine } from "./messages.js";
import { el } from "./page.js";
import { showPlaces } from "./panels/asked.js";
import { prepareHandBar } from "./panels/hand_bar.js";
import { preparePenBar } from "./panels/pen_bar.js";
import { prepareScreenKey } from "./panels/screen_key.js";
import { prepareTakeAways } from "./panels/take_aways.js";
import { Beneath } from "./picture/beneath.js";
import { canDecode, Frames, LOOK } from "./picture/frames.js";
import { Layers } from "./picture/layers.js";
import { Line } from "./picture/line.js";
import { playVideos } from "./picture/players.js";
import { Refresh } from "./picture/refresh.js";
import { snapshot } from "./picture/snapshot.js";
import { nonce } from "./tab.js";

/** @import { Frame, Heard } from "../glass/glass.js" */

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
const glass = new Glass(nonce(), undefined);
const mount = el("mount");

// ---- The picture -----------------------------------------------------------------------------

glass.set_still(matchMedia("(prefers-reduced-motion: reduce)").matches);
const refresh = new Refresh(glass, showFrame);
const beneath = new Beneath({
  glass,
  host: el("beneath"),
  base: `/follow/${lesson}`,
  runs: false,
  changed: () => refresh.soon(),
});
const layers = new Layers(glass, wasm, el("picture"), `/follow/${lesson}/placed`, beneath, refresh, true);
const play = playVideos({ glass, beneath, loud: false });

/** All that is shown anew in a frame. @param {Frame} frame */
function showFrame({ view }) {
  if (view) {
    layOut();
    play();
  }
  layers.draw();
  penBar.overlays();
}

function layOut() {
  const { width, height } = mount.getBoundingClientRect();
  glass.set_room(width, height);
  const [x, y, glassWidth] = glass.own_view();
  layers.lay({ width, height, glassWidth, x, y });
  penBar.lay();
  handBar.lay();
  pointer.lay();
  showAsked();
  el("zoom-shown").textContent = `${Math.round(glass.zoomed() * 100)} %`;
}

// ---- What the server says --------------------------------------------------------------------

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
const { show: showTakeAways, markOpened } = prepareTakeAways(lesson, lookAtNews);
// Beside the sheet that a pen draws on, and through it while it lets them through, pointers do not draw.
const free = () => el("glass").hidden !== false;
prepareOwnView({ glass, mount, picture: layers.picture, refresh, free, means: (x, y) => placeAt(x, y) !== "" });
/** @param {() => unknown} deed */
const act = (deed) => {
  deed();
  line.flush();
  refresh.soon();
};
const handBar = prepareHandBar({ glass, act, say });
const screenKey = prepareScreenKey({
  glass,
  lesson,
  beneath,
  flush: () => line.flush(),
  unsent: () => line.unsent,
  say,
});
const penBar = preparePenBar({ glass, wasm, act, mount, seen });

/** The backdrops on stage. */
let shown = "";

/** @param {Heard[]} events */
function heard(events) {
  for (const event of events) {
    if (event.type === "welcome") {
      if (!canDecode()) glass.want_stills();
      // Also what came while the line was down.
      lookAtNews();
    } else if (event.type === "panes") {
      const panes = glass.panes_shown();
      const ids = panes.map((pane) => pane.id).join();
      if (ids !== shown) glass.zoom_whole();
      shown = ids;
      layOut();
      frames.tidy();
      play();
      // What is simulated says so to everybody.
      el("simulated").hidden = !panes.some((pane) => pane.simulated);
      screenKey.lay();
    } else if (event.type === "watching") {
      screenKey.watch();
    } else if (event.type === "wantKey") {
      screenKey.key(event.id);
    } else if (event.type === "frames") {
      frames.take();
    } else if (event.type === "paused") {
      el("paused").hidden = !event.paused;
      if (!event.paused) lookAtNews();
    } else if (event.type === "takeAways") {
      showTakeAways(event.items);
      showNews();
    } else if (event.type === "mine") {
      lookAtNews();
    } else if (event.type === "yours") {
      penBar.show(event.yours);
      handBar.show(event.yours.hand);
      screenKey.show(event.yours.screen);
    } else if (event.type === "sorry") {
      say(event.why);
    }
  }
  refresh.soon();
}

/** The part of the picture that is in view, in CSS pixels of its room. */
function seen() {
  const [x, y, wide, high] = glass.own_view();
  const [left, top] = [Math.max(0, x), Math.max(0, y)];
  const [right, bottom] = [Math.min(mount.clientWidth, x + wide), Math.min(mount.clientHeight, y + high)];
  return { left, top, right, bottom, width: right - left, height: bottom - top };
}

// A picture of what is seen is kept, and is their own.
el("snapshot").addEventListener("click", async () => {
  const picture = await snapshot(el("picture"), seen());
  const form = new FormData();
  form.set("picture", picture ?? new Blob(), "snapshot.png");
  const response = await fetch(`/follow/${lesson}/snapshots`, { method: "POST", body: form }).catch(() => null);
  const why = response ? response.headers.get("x-bozzetto-says") : "The line is down.";
  say(response?.ok ? "Kept under Mine, to be written on." : (why ?? "It was not kept."));
});

/** Places with which a question was answered, once they are shown. */
function showAsked() {
  const [x, y, width, height] = glass.own_view();
  showPlaces(glass, [x, y, width, height], true);
}
/** What was shown last there: the same is not read out again. */
let askedLast = "";
el("asked").addEventListener("htmx:beforeSwap", (e) => {
  const { detail } = /** @type {CustomEvent<{ serverResponse: string, shouldSwap: boolean }>} */ (e);
  detail.shouldSwap &&= detail.serverResponse !== askedLast;
  askedLast = detail.serverResponse;
});
el("asked").addEventListener("htmx:afterSwap", () => {
  showAsked();
  mount.classList.toggle("asks", asksForPlace() !== null);
  // Until it is answered that comes before a pen or a hand that was passed.
  mount.classList.toggle("awaits", asksForPlace()?.dataset.unanswered !== undefined);
  if (!asksForPlace()) pointer.hide();
});
/** What asks for a place on the picture, if anything does. @returns {HTMLElement | null} */
const asksForPlace = () => document.querySelector("#asked [data-place]");
/** The answer that a place of the window is, where one is wanted; beside the picture there is none. @param {number} clientX @param {number} clientY */
function placeAt(clientX, clientY) {
  if (!asksForPlace()) return "";
  const { left, top } = mount.getBoundingClientRect();
  const [x, y, width, height] = glass.own_view();
  return glass.spot_at((clientX - left - x) / width, (clientY - top - y) / height).join(" ");
}
/** A place on the picture is an answer, where one is wanted. @param {number} clientX @param {number} clientY */
function answerWithPlace(clientX, clientY) {
  const asked = asksForPlace();
  const reply = placeAt(clientX, clientY);
  if (!asked || !reply) return;
  /** @type {{ htmx?: { ajax: (verb: string, path: string, how: object) => void } }} */ (window).htmx?.ajax(
    "POST",
    `/follow/${lesson}/asked/${asked.dataset.question}`,
    { target: "#asked", values: { reply } },
  );
}
/** Where the picture was pressed last. @type {{ x: number, y: number } | null} */
let pressed = null;
mount.addEventListener("pointerdown", ({ clientX: x, clientY: y }) => (pressed = { x, y }), true);
mount.addEventListener("click", (e) => {
  const drawn = e.target instanceof Element && e.target.closest("#glass, #reach");
  // A mouse that has moved the picture has clicked, too.
  if (!drawn && isTap(pressed, e)) answerWithPlace(e.clientX, e.clientY);
});
const pointer = prepareCrosshair({
  host: mount,
  area: seen,
  tell: (what, x, y) => what === "pointerup" && answerWithPlace(x, y),
  free: () => asksForPlace() !== null,
  taps: () => true,
});
listenToItsKeys(mount, pointer);

/** What is handed out, given and asked is told as news only: it is fetched. */
function lookAtNews() {
  showNews();
  for (const id of ["asked", "files-and-links"]) el(id).dispatchEvent(new Event("news"));
}

/** Counts at the places what is new there. */
async function showNews() {
  const response = await fetch(`/follow/${lesson}/news`).catch(() => null);
  if (!response?.ok) return;
  const { mine, take_aways: takeAways, opened, screen_aside: aside } = await response.json();
  screenKey.aside(aside);
  markOpened(opened);
  for (const [place, count] of Object.entries({ Mine: mine, "Take-aways": takeAways })) {
    const shown = /** @type {HTMLElement} */ (document.querySelector(`[data-count="${place}"]`));
    shown.hidden = count === 0;
    shown.textContent = `${count}`;
  }
}

// A picture that has stopped says so; while the lesson is paused or the line down, that is said instead.
setInterval(() => (el("stopped").hidden = !frames.hasStopped() || !el("paused").hidden || !el("line").hidden), LOOK);
new ResizeObserver(layOut).observe(mount);
layOut();
