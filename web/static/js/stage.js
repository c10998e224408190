// @ts-check
// The stage: the presenter's screen. This file ties its parts together and does nothing else.

import init, { Glass } from "../glass/glass.js";
import "./focus.js";
import { Capture } from "./capture/capture.js";
import { proofDeeds, routes, takeCapture } from "./capture/proofs.js";
import { sign } from "./capture/shutter.js";
import { sayFaults } from "./faults.js";
import { prepareFolder } from "./folder.js";
import { prepareCrosshairOfHand } from "./input/crosshair.js";
import { listenToDrops } from "./input/dropping.js";
import { Hand } from "./input/hand.js";
import { listenToKeys } from "./input/keys.js";
import { prepareOverlays } from "./input/overlays.js";
import { listenToPointers } from "./input/pointers.js";
import { ScreenKeys } from "./input/screen_keys.js";
import { Selection } from "./input/selection.js";
import { Typing } from "./input/typing.js";
import { ask, hush, say, showLine } from "./messages.js";
import { grabWhole } from "./moving/long_page.js";
import { Moving } from "./moving/moving.js";
import { pagesOnStage } from "./moving/web_pages.js";
import { el, input, place } from "./page.js";
import { prepareAsk } from "./panels/ask.js";
import { HelpSheet } from "./panels/help.js";
import { prepareMore } from "./panels/more.js";
import { Order } from "./panels/order.js";
import { closePanels, panel } from "./panels/panels.js";
import { nameOf, pensBack, preparePeople, showCame, showLeft, showPaused, showPeople } from "./panels/people.js";
import { prepareRecord } from "./panels/record_panel.js";
import { Beneath } from "./picture/beneath.js";
import { canDecode, Frames, LOOK } from "./picture/frames.js";
import { Keeping } from "./picture/keeping.js";
import { Layers } from "./picture/layers.js";
import { Line } from "./picture/line.js";
import { playVideos } from "./picture/players.js";
import { Refresh } from "./picture/refresh.js";
import { prepareAids } from "./rail/aids.js";
import { AidsRow } from "./rail/aids_row.js";
import { prepareClocks } from "./rail/clocks.js";
import { prepareCover } from "./rail/cover.js";
import { prepareDivider } from "./rail/divider.js";
import { fullScreen, prepareFullScreen } from "./rail/full_screen.js";
import { prepareHide } from "./rail/hide.js";
import { prepareInHand } from "./rail/in_hand.js";
import { prepareInstruments } from "./rail/instruments.js";
import { prepareMagnifier } from "./rail/magnifier.js";
import { isLocked, prepareRail } from "./rail/rail.js";
import { prepareRow } from "./rail/row.js";
import { prepareShapes } from "./rail/shapes.js";
import { prepareSpotlight } from "./rail/spotlight.js";
import { Swatches } from "./rail/swatches.js";
import { prepareTools } from "./rail/tools.js";
import { Settings } from "./settings.js";
import { author, keepAuthor, nonce } from "./tab.js";

/** @import { Deed, Frame, Heard } from "../glass/glass.js" */

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
// Whoever remarks on a worksheet is the same on every page, and touches nothing but remarks.
const remarks = document.body.dataset.author;
const glass = new Glass(nonce(), remarks ?? (await author(lesson)));
if (remarks) glass.be_guest();
/** Where the picture area is, in CSS pixels of the mount. */
let shownArea = { left: 0, top: 0, width: 0, height: 0 };
const area = () => shownArea;

// ---- The picture -----------------------------------------------------------------------------

glass.set_still(matchMedia("(prefers-reduced-motion: reduce)").matches);
const refresh = new Refresh(glass, showFrame);
const settings = new Settings(glass, document.body.dataset.settings ?? "{}");
const keeping = new Keeping(lesson);
const beneath = new Beneath({
  glass,
  host: el("beneath"),
  base: `/lessons/${lesson}`,
  runs: true,
  changed: () => lookBeneath(),
});
const layers = new Layers(glass, wasm, el("picture"), `/lessons/${lesson}/placed`, beneath, refresh);
const play = playVideos({ glass, beneath, loud: true });

/** All that is shown anew in a frame. @param {Frame} frame */
function showFrame({ view, changed }) {
  if (view) {
    layers.placeBackdrop();
    play();
    moving.show();
  }
  layers.draw();
  showOverlays();
  showDrawing(glass.drawing());
  if (view) showAsked();
  if (!changed) return;
  tools.show();
  row.show();
  const laid = glass.laid();
  spotlight.show(laid);
  magnifier.show(laid);
  cover.show(laid);
  hide.show(laid);
  instruments.show(laid);
  clocks.show(laid);
  pages.show();
  order.showPlace();
  if (hand.holds("select")) selection.show();
  typing.show();
}

/** Does something, tells the server, and has it shown. @param {() => unknown} deed */
function act(deed) {
  deed();
  line.flush();
  refresh.soon();
}

const drawing = el("drawing");

/** Names beside the pens of participants. @param {{ id: number, x: number, y: number }[]} all */
function showDrawing(all) {
  const known = all.filter(({ id }) => nameOf(id) !== undefined);
  while (drawing.children.length > known.length) drawing.lastElementChild?.remove();
  known.forEach(({ id, x, y }, n) => {
    const shown = /** @type {HTMLElement} */ (
      drawing.children[n] ?? drawing.appendChild(document.createElement("span"))
    );
    shown.textContent = nameOf(id) ?? "";
    shown.style.transform = `translate(${area().left + x + 14}px, ${area().top + y + 14}px)`;
  });
}

/** What is on stage, or what it looks like, is otherwise: the back-row check and the swatches go by it. */
function lookBeneath() {
  beneath.show();
  moving.callFor();
  glass.set_beneath(beneath.pixels(32, 18).data);
  swatches.show();
  refresh.soon();
}

function layOut() {
  const mount = el("mount").getBoundingClientRect();
  const [left, top, width, height] = glass.place(mount.width, mount.height);
  shownArea = { left, top, width, height };
  for (const id of ["picture", "glass", "lassos", "pane-calls"]) place(el(id), [left, top, width, height]);
  layers.lay({ width, height });
  divider.place(shownArea);
  crosshair.lay();
  swatches.show();
  capture.close();
  typing.show();
  if (hand.holds("select")) selection.show();
}

// ---- What the server says --------------------------------------------------------------------

/** @param {Heard[]} events */
function heard(events) {
  for (const event of events) {
    switch (event.type) {
      case "welcome":
        keepAuthor(lesson, event.author);
        document.body.classList.add("ready");
        if (!canDecode()) glass.want_stills();
        break;
      case "lesson":
        order.show(event);
        showPaused(event.paused);
        returnToCapture();
        break;
      case "panes":
        layOut();
        moving.show();
        frames.tidy();
        play();
        lookBeneath();
        break;
      case "active":
        lookBeneath();
        break;
      case "frames":
        frames.take();
        break;
      case "watching":
        moving.watch(event);
        break;
      case "wantKey":
        moving.key(event.id);
        break;
      case "screenOver":
        moving.lost(event.id, "The participant's screen comes no more. What it showed last stays.", true);
        break;
      case "people":
        showPeople(event.people);
        break;
      case "came":
        showCame(event.person);
        break;
      case "left":
        showLeft(event.id);
        document.body.dispatchEvent(new Event("sent-away"));
        break;
      case "reach":
        pages.reached(event);
        break;
      case "mine":
        document.body.dispatchEvent(new Event("sent"));
        break;
      case "settings":
        settings.heard(event.json);
        break;
      case "typing":
        typing.begin();
        break;
      case "leftOut":
        say(
          `${event.count === 1 ? "A mark was" : `${event.count} marks were`} left out of this lesson: there is more to draw in it than a screen can show.`,
        );
        break;
      case "keeping":
        showLine(
          event.keeping
            ? null
            : "Nothing is being kept: the server's disk does not take it. Drawing goes on; what is drawn is held here until it can be kept.",
        );
        break;
      case "sorry":
        say(event.why);
        break;
    }
  }
  refresh.soon();
}

const order = new Order(lesson, {
  goTo: (id) => act(() => glass.goto(id)),
  putBeside: (id) => act(() => glass.put_beside(id)),
  inUse: () => (order?.state.order.some((b) => b.id === beneath.active?.id) ? (beneath.active?.id ?? null) : null),
  turn: (by) => {
    const pane = beneath.active;
    const turned = pane?.kind === "document" ? glass.turn_page(pane.id, by) : false;
    if (turned) act(() => {});
    return turned;
  },
});

for (const bytes of await keeping.all()) glass.resume(bytes);
const line = new Line({
  glass,
  address: `/lessons/${lesson}/live`,
  keeping,
  heard,
  complains: say,
  says: (how) => {
    if (how === "up" || how === "down") beneath.line(how === "up");
    if (how === "up") showLine(null);
    if (how === "down") showLine("The line to the server is down. Drawing goes on; it is sent when the line is back.");
    if (how === "old") showLine("This page is from an older Bozzetto than the server.", "Load it again");
    if (how === "gone") showLine("This lesson has been deleted.", "Load it again");
    if (how === "out")
      showLine(
        "The session has ended: the passphrase has to be given again. What is not sent yet is kept here.",
        "Go in again",
      );
  },
});

const flush = () => line.flush();
const frames = new Frames({ glass, beneath, flush });
let stopped = false;
// Somebody else's picture: what is shared from here says for itself that it has ended.
setInterval(() => {
  const was = stopped;
  stopped = frames.hasStopped(true);
  if (stopped && !was) say("Nothing new comes from the camera or screen: this is its last picture.");
}, LOOK);
const moving = new Moving({
  glass,
  lesson,
  beneath,
  flush,
  unsent: () => line.unsent,
  changed: () => {
    lookBeneath();
    row.show();
  },
});
preparePeople({ glass, act, handGone: () => pages.letGo() });
if (!document.body.classList.contains("marking"))
  prepareRecord({ lesson, glass, layers, beneath, moving, settings, paused: () => order.state.paused });
const { show: showAsked } = prepareAsk(lesson, glass, area);

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
const typing = new Typing({ glass, act, flush, area, keys: new ScreenKeys(settings) });
const showOverlays = prepareOverlays({ glass, area });
const tools = prepareTools({
  glass,
  hand,
  act,
  wipe,
  typed: (which) => typing.history(which),
  lowered: () => settings.now.lowering_freezes && moving.freezeAll(),
});
const pages = pagesOnStage({
  glass,
  beneath,
  act,
  key: (e) => pressed(e),
  touching: () => hand.held.touching,
});
hand.changed(() => {
  if (hand.holds("text")) typing.restyle();
  else typing.end();
  if (!hand.holds("select") && !hand.held.touching) selection.clear();
  // However it was put down, the glass has its hold again.
  pages.show();
  refresh.soon();
});
listenToPointers({
  sheet: el("glass"),
  glass,
  grips: selection.grips,
  began: () => {
    closePanels();
    hush();
    hand.use();
    // The hand is on the glass now: keys are the stage's, not those of what was pressed before.
    if (document.activeElement instanceof HTMLButtonElement) document.activeElement.blur();
  },
  done: () => act(() => {}),
  scrolls: (dx, dy) => pages.scroll(dx, dy),
  grows: (e) => hand.held.touching || e.ctrlKey,
  locked: isLocked,
});
el("glass").addEventListener("contextmenu", (e) => e.preventDefault());
const crosshair = prepareCrosshairOfHand({ glass, hand, host: el("mount"), area });

// ---- The rail and its panels -----------------------------------------------------------------

const row = prepareRow({ glass, lesson, beneath, moving, act, wipe });
const swatches = new Swatches({ glass, wasm, hand, settings, beneath: () => glass.beneath() });
const divider = prepareDivider({ glass, act });
const help = new HelpSheet(glass, settings);
prepareShapes({ glass, wasm, hand });
prepareInHand({ hand, settings });
const aidsRow = new AidsRow();
const aids = prepareAids({ glass, hand, settings, row: aidsRow, take: tools.take });
const spotlight = prepareSpotlight({ glass, hand, row: aidsRow, act });
const magnifier = prepareMagnifier({ glass, hand, beneath, row: aidsRow, act });
prepareFolder(say);
const cover = prepareCover({ glass, beneath, row: aidsRow, act });
const hide = prepareHide({ glass, hand, row: aidsRow, beneath, isPaused: () => order.state.paused, act });
const instruments = prepareInstruments({ glass, hand, row: aidsRow, act, say });
const clocks = prepareClocks({ glass, row: aidsRow, act, say });
prepareFullScreen();
panel("people", "people-panel");
prepareMore({
  lesson,
  settings,
  backdrop: () => beneath.active?.id ?? order.state.current,
  read: (marks) => {
    tools.take("select");
    selection.set(marks);
  },
});
const lowers = input("lower-freezes");
lowers.checked = settings.now.lowering_freezes;
lowers.addEventListener("change", () => settings.change((s) => (s.lowering_freezes = lowers.checked)));
el("pause").addEventListener("click", () => act(() => glass.pause(!order.state.paused)));
el("help-key").addEventListener("click", () => help.open());
el("new-page").addEventListener("click", newPage);

/** The board in use goes on, on its last page. */
function newPage() {
  const pane = beneath.active;
  if (pane?.kind !== "board") return;
  closePanels();
  act(() => (glass.show_page(pane.id, pane.pages - 1), glass.turn_page(pane.id, 1)));
}

// ---- Capture ---------------------------------------------------------------------------------

/**
 * Takes captures, one after the other.
 * @param {string[]} requests as core writes them
 */
async function takeAll(requests) {
  for (const [n, request] of requests.entries()) {
    if (n > 0) say(`Page ${n + 1} of ${requests.length}`);
    if (!(await take(request))) return false;
  }
  return true;
}

/** Gives whether it was taken. @param {string} request */
async function take(request) {
  const long = longPage(request);
  const [moves] = await Promise.all([long ? wholePage(long) : moving.frames(), settled()]);
  if (!moves && long) {
    say("The page was not taken whole: see all of its width first, or it does not say how long it is. Take its pane.");
    return false;
  }
  if (!moves) {
    say(
      "Nothing was taken: the browser did not give its picture of the page. Allow it when it asks, or freeze the page first.",
    );
    return false;
  }
  sign(settings.now.capture, area());
  return takeCapture(lesson, request, moves, say);
}

/** The running page that a request is about the whole of. @param {string} request */
function longPage(request) {
  const { way, area } = JSON.parse(request);
  if (way !== "whole") return null;
  const box = [area.x0, area.y0, area.x1, area.y1].map((v) => v * beneath.css);
  const pane = beneath.pane(glass.whole_of(Float64Array.from(box)) ?? "");
  return pane?.kind === "page" && pane.frozen === null ? pane : null;
}

/**
 * Pictures of a page from top to end; participants keep what they saw meanwhile.
 * @param {import("../glass/glass.js").PaneShown} page
 */
async function wholePage(page) {
  const { paused } = order.state;
  if (!paused) act(() => glass.pause(true));
  try {
    await capture.fetch();
    const begin = capture.module?.LongPage.begin;
    if (!begin) return null;
    const grab = () => grabWhole({ moving, page, whereabouts: pages.whereabouts, begin });
    return await moving.frames({ id: page.id, grab });
  } finally {
    if (!paused) act(() => glass.pause(false));
  }
}

/** A wipe that waits for its capture: another press of the key is no second one. */
let wiping = false;

/** The stage is captured before a wipe, if that is wanted; it is wiped then in any case. @param {() => unknown} deed */
async function wipe(deed) {
  if (wiping) return;
  if (settings.now.capture.at_wipe) {
    wiping = true;
    await take(glass.box_request(glass.stage_box(), "stage", devicePixelRatio)).finally(() => (wiping = false));
  }
  act(deed);
}

/** The page was opened to see what a capture was taken of: once, not again when it is loaded anew. */
async function returnToCapture() {
  const id = new URL(location.href).searchParams.get("capture");
  if (!id) return;
  history.replaceState(null, "", location.pathname);
  const response = await fetch(`/lessons/${lesson}/captures/${encodeURIComponent(id)}/moment`).catch(() => null);
  let back = false;
  const then = new Uint8Array((await response?.arrayBuffer()) ?? []);
  if (response?.ok) act(() => (back = glass.return_to(then)));
  say(
    back ? "This is what was captured, with the marks of now." : "What was captured is not in the running order now.",
  );
}

/** @typedef {"box" | "outline" | "pane" | "stage" | "whole"} Taken */
routes.of = (way) => settings.now.capture.routes?.[/** @type {Taken} */ (way)] ?? "ask";
routes.set = (way, route) =>
  settings.change((s) => {
    const all = { ...s.capture.routes, [way]: route };
    s.capture = { ...s.capture, routes: all };
  });

// Captures as marks.
for (const [name, onPage] of /** @type {const} */ ([
  ["place-proof", false],
  ["page-proof", true],
])) {
  proofDeeds[name] = async (id) => {
    const kept = await placed(id);
    if (!kept) return false;
    const isBoard = () => beneath.active?.kind === "board";
    if (onPage && isBoard()) newPage();
    else if (onPage) {
      await order.note();
      if (!(await comes(isBoard))) return false;
    }
    const { width, height } = area();
    tools.take("select");
    selection.do(() => glass.place_picture(kept.picture, kept.width, kept.height, width / 2, height / 2));
    say(`Placed on ${el("backdrop-name").textContent}, and kept in Captures.`);
    return true;
  };
}
el("selection-replace").addEventListener("click", async () => {
  const kept = await placed("newest");
  if (kept) selection.do(() => glass.replace_picture(kept.picture, kept.width, kept.height));
});

/** A capture as a picture that can be placed. @param {string} id @returns {Promise<{ picture: string, width: number, height: number } | null>} */
async function placed(id) {
  const response = await ask(`/lessons/${lesson}/captures/${id}/place`, new URLSearchParams());
  return response?.ok ? response.json() : null;
}

const capture = new Capture({
  glass,
  wasm,
  beneath,
  layers,
  size: area,
  take: takeAll,
  opened: (open) => el("capture").setAttribute("aria-pressed", `${open}`),
});
el("capture").addEventListener("click", () => (capture.isOpen ? capture.close() : openCapture()));

/** @param {import("./capture/capture.js").WayName} [way] another way than the last */
function openCapture(way) {
  closePanels();
  act(() => glass.lift_all());
  capture.open(way);
}

/** Until everything that was drawn has reached the server, or half a second has shown that it will
 *  not soon: then what it has is captured. */
const settled = () => comes(() => glass.pending() === 0, 500);

/** Waits until something is so; `false` when it is not within so many milliseconds. @param {() => boolean} is */
function comes(is, most = 5000) {
  const until = performance.now() + most;
  return new Promise((/** @type {(is: boolean) => void} */ resolve) => {
    const look = () => (is() || performance.now() > until ? resolve(is()) : setTimeout(look, 10));
    look();
  });
}

// ---- Keys, and what comes from elsewhere -----------------------------------------------------

/** What keys do that may be given to something else. @type {Record<Deed, (key: string, shift: boolean) => unknown>} */
const deeds = {
  touch: (key) => hand.lend(key, () => tools.setTouching(true), false),
  draw: () => tools.take("pen"),
  erase: (key) => hand.lend(key, () => tools.take("erase"), true),
  select: (key) => hand.lend(key, () => tools.take("select"), true),
  shapes: (key) => hand.lend(key, () => tools.take("shape"), true),
  stamps: (key) => hand.lend(key, () => tools.take("stamp"), true),
  text: (key) => hand.lend(key, () => tools.take("text"), true),
  laser: (key) => hand.lend(key, aids.laser, true),
  ring: (key) => hand.lend(key, aids.ring, true),
  ripples: (key) => hand.lend(key, aids.ripples, true),
  spotlight: spotlight.lend,
  magnifier: magnifier.lend,
  cover: (_key, shift) => (shift ? hide.key() : cover.key()),
  ruler: instruments.ruler,
  compasses: instruments.compasses,
  protractor: instruments.protractor,
  measure: instruments.measure,
  countdown: clocks.countdown,
  stopwatch: clocks.stopwatch,
  box: (_, shift) => {
    openCapture("box");
    if (shift) capture.box.again();
  },
  "capture-outline": () => openCapture("outline"),
  "capture-pane": () => openCapture("pane"),
  "capture-stage": (_, shift) => (shift ? openCapture("whole") : (openCapture("stage"), capture.finish())),
  freeze: () => beneath.active?.moves && moving.toggle(beneath.active),
  note: () => order.note(),
  "new-page": newPage,
  pane: () => beneath.panes.length > 1 && act(() => glass.choose_pane(beneath.panes.findIndex((p) => !p.active))),
  previous: () => order.step(-1),
  next: () => order.step(1),
  "full-screen": fullScreen,
  "pens-back": pensBack,
  help: () => help.open(document.activeElement),
};
// A capture's picture or a worksheet that is marked: nothing is captured there, and nothing else comes on stage.
const marked = document.body.classList.contains("marking");
if (marked) {
  for (const deed of /** @type {Deed[]} */ ([
    "box",
    "capture-outline",
    "capture-pane",
    "capture-stage",
    "note",
    "new-page",
  ]))
    deeds[deed] = () => {};
  const form = document.querySelector("#marked");
  form?.addEventListener("submit", async (e) => {
    e.preventDefault();
    if (await comes(() => glass.pending() === 0)) /** @type {HTMLFormElement} */ (form).submit();
    else say("The line to the server is down: what was drawn last is not there yet. It stays on this page.");
  });
}
const pressed = listenToKeys({
  glass,
  hand,
  selection,
  typing,
  capture,
  help,
  swatches,
  crosshair,
  aids: aidsRow,
  deeds,
  undo: tools.undo,
  redo: tools.redo,
  act,
  area,
});
listenToDrops({
  lesson,
  glass,
  hand,
  selection,
  typing,
  take: tools.take,
  bring: (files) => void (marked ? say("Only marks come onto it.") : order.bring(files)),
  area,
});

sayFaults(say);

// ---- Coming and going ------------------------------------------------------------------------

prepareRail({
  settings,
  laidOut: layOut,
  locked: (locked) => hand.take(locked ? { locked, touching: false, tool: "pen" } : { locked }),
});
new ResizeObserver(layOut).observe(el("mount"));
addEventListener("pagehide", () => {
  glass.lift_all();
  line.flush();
  keeping.leave(glass.unacknowledged().map(({ key, bytes }) => ({ key: key ?? "", bytes })));
});
// A page that was put aside by the browser and comes back has lost its line.
addEventListener("pageshow", (e) => e.persisted && location.reload());

el("insecure").hidden = window.isSecureContext;
hand.take({});
performance.mark("ready-to-draw");
