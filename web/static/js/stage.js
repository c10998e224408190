// @ts-check
// The stage: the presenter's screen. This file only ties its parts together.

import init, { Glass } from "../glass/glass.js";
import "./focus.js";
import { Beneath } from "./beneath.js";
import { CaptureBox, thousands } from "./capture_box.js";
import { prepareCrosshair } from "./crosshair.js";
import { prepareDivider } from "./divider.js";
import { fadingInk } from "./fading.js";
import { canDecode, Frames } from "./frames.js";
import { Hand } from "./hand.js";
import { Keeping } from "./keeping.js";
import { HelpSheet, named } from "./keys.js";
import { Layers } from "./layers.js";
import { Line } from "./line.js";
import { ask, hush, say, showLine } from "./messages.js";
import { prepareMore } from "./more.js";
import { Moving } from "./moving.js";
import { Order } from "./order.js";
import { button, el, place } from "./page.js";
import { closePanels, panel } from "./panels.js";
import { listenToPens } from "./pens.js";
import { prepareSendingAway, showCame, showLeft, showPaused, showPeople } from "./people.js";
import { playVideos } from "./players.js";
import { closeProof, takeCapture } from "./proofs.js";
import { isLocked, prepareRail } from "./rail.js";
import { prepareRow } from "./row.js";
import { Selection } from "./selection.js";
import { Settings } from "./settings.js";
import { prepareShapes } from "./shapes.js";
import { Swatches } from "./swatches.js";
import { Typing } from "./typing.js";
import { pagesOnStage } from "./web_pages.js";

/** The longest text that is taken from a clipboard or a file, in letters. */
const MOST_LETTERS = 3000;

const lesson = document.body.dataset.lesson ?? "";
const wasm = await init();
const glass = new Glass(crypto.getRandomValues(new Uint32Array(1))[0], await author());
const settings = new Settings(glass, document.body.dataset.settings ?? "{}");
const keeping = new Keeping(lesson);
const beneath = new Beneath({
  glass,
  host: el("beneath"),
  base: `/lessons/${lesson}`,
  runs: true,
  changed: () => lookBeneath(),
});
const layers = new Layers(glass, wasm, el("picture"), `/lessons/${lesson}/placed`, beneath);
const play = playVideos({ glass, beneath, loud: true });
const fades = fadingInk(glass, layers);
const hand = new Hand();
/** Where the picture area is, in CSS pixels of the mount. */
let area = { left: 0, top: 0, width: 0, height: 0 };

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

// ---- What the server says --------------------------------------------------------------------

/** @param {any[]} events */
function heard(events) {
  for (const event of events) {
    switch (event.type) {
      case "welcome":
        sessionStorage.setItem(`author:${lesson}`, event.author);
        document.body.classList.add("ready");
        if (!canDecode()) glass.want_stills();
        break;
      case "lesson":
        order.show(event);
        showPaused(event.paused);
        break;
      case "panes":
        layOut();
        moving.show();
        frames.tidy();
        play();
        lookBeneath();
        break;
      case "seen":
        layers.viewSoon();
        play();
        seenSoon();
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
      case "settings":
        settings.heard(event.json);
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
  layers.drawSoon();
  showState();
}

const order = new Order(lesson, {
  goTo: (id) => {
    glass.goto(id);
    line.flush();
  },
  putBeside: (id) => {
    glass.put_beside(id);
    line.flush();
  },
  inUse: () => (order?.state.order.some((b) => b.id === beneath.active?.id) ? beneath.active.id : null),
  turn: (by) => {
    const id = beneath.active?.id;
    const turned = !!id && beneath.active?.kind === "document" && glass.turn_page(id, by);
    if (turned) act(moved);
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

const frames = new Frames({ glass, beneath, flush: () => line.flush() });
const moving = new Moving({
  glass,
  lesson,
  beneath,
  flush: () => line.flush(),
  unsent: () => line.unsent,
  changed: () => {
    beneath.show();
    lookBeneath();
    row.show();
  },
});
const pages = pagesOnStage({ glass, beneath, act, moved, key: (e) => pressed(e), touching: () => hand.held.touching });
prepareSendingAway((id) => {
  glass.send_away(id);
  line.flush();
});
const row = prepareRow({ glass, lesson, beneath, moving, act: (deed) => act(() => (deed(), beneath.show(), moved())) });

// ---- Doing -----------------------------------------------------------------------------------

/** @param {() => unknown} deed */
function act(deed) {
  deed();
  layers.draw();
  line.flush();
  showState();
}

/** What the rail and the selection show of the sheets. */
function showState() {
  button("undo").disabled = !glass.can_undo() && !glass.is_laying() && !glass.is_typing();
  button("redo").disabled = !glass.can_redo() && !glass.is_typing();
  const by = glass.zoomed();
  el("whole").hidden = glass.is_whole();
  el("zoom-by").textContent = `${by.toFixed(by < 10 ? 1 : 0)}×`;
  if (hand.holds("select")) selection.show();
  if (!glass.is_typing()) typing.show();
  row.show();
  order.showPlace();
  fades();
}

const selection = new Selection({
  glass,
  act,
  drawWet: () => layers.drawWet(),
  area: () => area,
  swatch: () => hand.held.swatch,
  edit: () => {
    take("text");
    typing.openSelected();
  },
});

const typing = new Typing({
  glass,
  act,
  drawWet: () => layers.drawWet(),
  flush: () => line.flush(),
  area: () => area,
  swatch: () => hand.held.swatch,
});
const swatches = new Swatches({ glass, wasm, hand, settings, beneath: () => glass.beneath() });
prepareShapes({ glass, wasm, hand });

/** The back-row check and the swatches' cards go by what is on stage. */
function lookBeneath() {
  glass.set_beneath(beneath.sample());
  swatches.show();
  layers.drawSoon();
}

const { endPolyline } = listenToPens({
  sheet: el("glass"),
  glass,
  layers,
  hand,
  flush: () => line.flush(),
  began: (at) => {
    closePanels();
    hush();
    hand.use();
    if (glass.touch_pane(at.x, at.y)) {
      beneath.show();
      lookBeneath();
    }
    // The hand is on the glass now: keys are the stage's, not those of what was pressed before.
    if (document.activeElement instanceof HTMLButtonElement) document.activeElement.blur();
  },
  ended: showState,
  eraser: (at) => {
    const ring = el("eraser");
    ring.hidden = at === null;
    const size = glass.eraser_radius() * 2;
    if (at) place(ring, [at.x + area.left, at.y + area.top, size, size]);
  },
  moved,
  readOut: (at) => {
    const out = el("read-out");
    out.textContent = at ? glass.read_out() : "";
    out.hidden = out.textContent === "";
    if (at) Object.assign(out.style, { left: `${at.x + area.left + 18}px`, top: `${at.y + area.top - 34}px` });
  },
  fingerMoves: () => settings.now.finger === "moves",
  locked: isLocked,
  scrolls: (dx, dy) => pages.scroll(dx, dy),
  others: { select: selection.begin, text: typing.tap },
});

const crosshair = prepareCrosshair({ glass, hand, sheet: el("glass"), area: () => area });

/** The picture is seen elsewhere. */
function moved() {
  layers.viewSoon();
  typing.show();
  showState();
  play();
  seenSoon();
}

let seeing = false;
/** What runs beneath follows with the next picture, however many fingers move it until then. */
function seenSoon() {
  if (seeing) return;
  seeing = true;
  requestAnimationFrame(() => {
    seeing = false;
    moving.show();
    row.show();
    pages.show();
  });
}

// ---- Tools -----------------------------------------------------------------------------------

hand.changed(({ touching, tool }) => {
  document.body.classList.toggle("touching", touching);
  const sheet = el("glass");
  for (const t of ["erase", "select", "stamp", "text"]) sheet.classList.toggle(t, tool === t && !touching);
  el("touch").setAttribute("aria-checked", `${touching}`);
  el("mark").setAttribute("aria-checked", `${!touching}`);
  el("touch").tabIndex = touching ? 0 : -1;
  el("mark").tabIndex = touching ? -1 : 0;
  for (const t of ["erase", "select", "text"]) el(t).setAttribute("aria-pressed", `${tool === t && !touching}`);
  if (!hand.holds("erase")) el("eraser").hidden = true;
  // However it was put down, the glass has its hold again.
  pages.show();
  if (glass.is_laying()) endPolyline();
  if (hand.holds("text")) typing.restyle();
  else typing.end();
  if (hand.holds("select")) selection.show();
  else if (!hand.held.touching) selection.clear();
});

/** Takes back the last point of what is being set, the last words of what is being typed, or a change. */
function undo() {
  if (typing.history("undo")) return;
  if (glass.is_laying()) glass.polyline_back();
  else glass.undo();
  act(() => {});
}

function redo() {
  if (!typing.history("redo") && !glass.is_laying()) act(() => glass.redo());
}

/** @param {boolean} touching */
const setTouching = (touching) => {
  const lowered = hand.held.touching && !touching;
  hand.take({ touching });
  pages.show();
  if (lowered && settings.now.lowering_freezes) {
    for (const pane of beneath.panes)
      if (pane.moves && pane.frozen === null && (pane.kind !== "video" || JSON.parse(glass.playing(pane.id)).playing))
        moving.toggle(pane);
  }
};
/** @param {import("./hand.js").Tool} tool */
const take = (tool) => hand.take({ tool, touching: false });
const takePen = () => take("pen");

el("touch").addEventListener("click", () => setTouching(true));
el("mark").addEventListener("click", () => setTouching(false));
for (const [id, other] of [
  ["touch", "mark"],
  ["mark", "touch"],
]) {
  el(id).addEventListener("keydown", (e) => {
    if (!e.key.startsWith("Arrow")) return;
    setTouching(other === "touch");
    el(other).focus();
    e.preventDefault();
    e.stopPropagation();
  });
}
el("erase").addEventListener("click", () => take("erase"));
el("select").addEventListener("click", () => take("select"));
el("text").addEventListener("click", () => take("text"));
el("undo").addEventListener("click", undo);
el("redo").addEventListener("click", redo);
el("wipe").addEventListener("click", () => act(() => glass.wipe()));
el("whole").addEventListener("click", () => act(() => (glass.zoom_whole(), moved())));
panel("people", "people-panel");
const lowers = /** @type {HTMLInputElement} */ (el("lower-freezes"));
lowers.checked = settings.now.lowering_freezes;
lowers.addEventListener("change", () => settings.change((s) => (s.lowering_freezes = lowers.checked)));
prepareMore({
  lesson,
  settings,
  backdrop: () => beneath.active?.id ?? order.state.current,
  read: (marks) => {
    take("select");
    selection.set(marks);
  },
});
el("pause").addEventListener("click", () => {
  glass.pause(!order.state.paused);
  line.flush();
});

const divider = prepareDivider({ glass, act: (deed) => act(() => (deed(), moved())) });

// ---- Laying out ------------------------------------------------------------------------------

function layOut() {
  const mount = el("mount").getBoundingClientRect();
  const [left, top, width, height] = glass.place(mount.width, mount.height);
  area = { left, top, width, height };
  for (const id of ["picture", "glass", "lasso", "pane-calls"]) place(el(id), [left, top, width, height]);
  layers.lay({ width, height });
  divider.place(area);
  pages.show();
  swatches.show();
  box.close();
  typing.show();
  if (hand.holds("select")) selection.show();
}

// ---- Capture ---------------------------------------------------------------------------------

const box = new CaptureBox({
  glass,
  size: () => area,
  take: async (request) => {
    const [moves] = await Promise.all([moving.frames(), settled()]);
    if (!moves)
      return say(
        "Nothing was taken: the browser did not give its picture of the page. Allow it when it asks, or freeze the page first.",
      );
    await takeCapture(lesson, request, moves, say);
  },
  opened: (open) => el("capture").setAttribute("aria-pressed", `${open}`),
});

el("capture").addEventListener("click", () => (box.isOpen ? box.close() : openBox()));

function openBox() {
  closePanels();
  glass.lift_all();
  line.flush();
  box.open();
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

// ---- Pasting and dropping --------------------------------------------------------------------

for (const how of /** @type {const} */ (["copy", "cut"])) {
  addEventListener(how, (e) => {
    if (!hand.holds("select") || isTyping(e.target) || !selection.copy(e)) return;
    if (how === "cut") selection.do(() => glass.delete_selection());
  });
}
addEventListener("paste", (e) => {
  if (isLocked() || isTyping(e.target)) return;
  // Otherwise the field that takes what was pasted gets it a second time.
  e.preventDefault();
  const files = [...(e.clipboardData?.files ?? [])];
  if (files.length && files.some((f) => !f.type.startsWith("image/"))) return void order.bring(files);
  if (files.length) return void placePictures(files, area.width / 2, area.height / 2);
  const text = e.clipboardData?.getData("text/plain") ?? "";
  const before = hand.held.tool;
  take("select");
  if (selection.paste(text)) return;
  take(before);
  write(text, area.width / 4, area.height / 4);
});

/**
 * Words from elsewhere become a text that is being typed.
 * @param {string} words @param {number} x @param {number} y
 */
function write(words, x, y) {
  if (words.trim() === "") return;
  if (words.length > MOST_LETTERS)
    return say(
      `This text has ${thousands(words.length)} letters; ${thousands(MOST_LETTERS)} are the most that can be read on a stage. Paste a part of it, or bring it as a picture or a PDF.`,
    );
  take("text");
  typing.end();
  typing.write(words, x, y);
}
addEventListener("dragover", (e) => e.preventDefault());
addEventListener("drop", (e) => {
  e.preventDefault();
  if (isLocked()) return;
  const files = [...(e.dataTransfer?.files ?? [])];
  const onRail = e.target instanceof Element && e.target.closest("#rail, #order-panel");
  const pictures = files.every((f) => f.type.startsWith("image/"));
  const [x, y] = [e.clientX - area.left - el("mount").getBoundingClientRect().left, e.clientY - area.top];
  if (files.length === 1 && files[0].type === "text/plain" && !onRail)
    files[0].text().then((words) => write(words, x, y));
  else if (files.length && (onRail || !pictures)) order.bring(files);
  else if (files.length) placePictures(files, x, y);
  else if (e.dataTransfer?.getData("text/plain")) write(e.dataTransfer.getData("text/plain"), x, y);
  else say("Only files can be dropped here: pictures, PDF documents, videos, web pages.");
});

/**
 * Places pictures on what is on stage, each a little further on.
 * @param {File[]} files
 * @param {number} x
 * @param {number} y
 */
async function placePictures(files, x, y) {
  for (const [i, file] of files.entries()) {
    const body = new FormData();
    body.append("picture", file, file.name);
    const response = await ask(`/lessons/${lesson}/placed`, body);
    if (!response?.ok) continue;
    /** @type {{ picture: string, width: number, height: number, note?: string }} */
    const kept = await response.json();
    if (kept.note) say(`${file.name}: ${kept.note}`);
    take("select");
    selection.do(() => glass.place_picture(kept.picture, kept.width, kept.height, x + i * 24, y + i * 24));
  }
}

// ---- Keys ------------------------------------------------------------------------------------

const help = new HelpSheet(glass, settings);
el("help-key").addEventListener("click", () => help.open());
el("full-screen").addEventListener("click", fullScreen);

function fullScreen() {
  if (document.fullscreenElement) document.exitFullscreen();
  else document.documentElement.requestFullscreen().catch(() => say("The browser did not allow full screen."));
}
document.addEventListener("fullscreenchange", () => {
  const says = el("full-screen").querySelector("span");
  if (says) says.textContent = document.fullscreenElement ? "Leave full screen" : "Full screen";
});

/** The board in use goes on, on its last page. */
function newPage() {
  const pane = beneath.active;
  if (pane?.kind !== "board") return;
  closePanels();
  act(() => (glass.show_page(pane.id, pane.pages - 1), glass.turn_page(pane.id, 1)));
}
el("new-page").addEventListener("click", newPage);

/** What keys do that may be given to something else. @type {Record<string, (key: string) => void>} */
const DEEDS = {
  touch: (key) => hand.lend(key, () => setTouching(true), false),
  draw: takePen,
  erase: (key) => hand.lend(key, () => take("erase"), true),
  select: (key) => hand.lend(key, () => take("select"), true),
  shapes: (key) => hand.lend(key, () => take("shape"), true),
  stamps: (key) => hand.lend(key, () => take("stamp"), true),
  text: (key) => hand.lend(key, () => take("text"), true),
  box: openBox,
  freeze: () => beneath.active?.moves && moving.toggle(beneath.active),
  note: () => order.note(),
  "new-page": newPage,
  pane: () => {
    if (beneath.panes.length < 2) return;
    glass.choose_pane(beneath.panes.findIndex((p) => !p.active));
    beneath.show();
    lookBeneath();
    showState();
  },
  previous: () => order.step(-1),
  next: () => order.step(1),
  "full-screen": fullScreen,
  help: () => help.open(),
};

/** What one chooses or pulls with, not writes in. */
const CHOOSES = 'select, input:is([type="range"], [type="checkbox"], [type="color"])';
const MOVES_IT = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", "Enter", " "];
/** @param {EventTarget | null} target */
const isTyping = (target) =>
  target instanceof Element && target.matches("input, textarea, [contenteditable]") && !target.matches(CHOOSES);

/**
 * Keys that mean something while Touch or a selection is in the hand; `true` when this one did.
 * @param {KeyboardEvent} e
 */
function handKey(e) {
  const arrow = e.key.startsWith("Arrow");
  if (hand.holds("select") && selection.any) {
    if (arrow) selection.do(() => glass.nudge_selection(e.key, e.shiftKey));
    else if (e.key === "Delete" || e.key === "Backspace") selection.do(() => glass.delete_selection());
    else return false;
    return true;
  }
  if (!hand.held.touching) return false;
  const { width, height } = area;
  const step = 60;
  if (e.key === "+" || e.key === "=") glass.zoom_by(1.25, width / 2, height / 2);
  else if (e.key === "-") glass.zoom_by(0.8, width / 2, height / 2);
  else if (e.key === "0") glass.zoom_whole();
  else if (e.key === "ArrowLeft") glass.move_by(step, 0);
  else if (e.key === "ArrowRight") glass.move_by(-step, 0);
  else if (e.key === "ArrowUp") glass.move_by(0, step);
  else if (e.key === "ArrowDown") glass.move_by(0, -step);
  else return false;
  act(moved);
  return true;
}

addEventListener("keydown", (e) => pressed(e));

/** @param {KeyboardEvent} e */
function pressed(e) {
  const target = /** @type {HTMLElement} */ (e.target);
  if (isLocked() || help.sheet.open) return;
  if (isTyping(target)) {
    if (e.key === "Escape" && !typing.end()) closePanels();
    return;
  }
  const bare = !e.ctrlKey && !e.metaKey && !e.altKey;
  // Letters go on with the text that is being typed, whatever was pressed meanwhile.
  if (glass.is_typing() && bare && e.key.length === 1 && e.key !== " ") return typing.focus();
  if (target instanceof Element && target.matches(CHOOSES) && bare && MOVES_IT.includes(e.key)) return;
  if (box.isOpen && box.key(e)) return e.preventDefault();
  if (e.ctrlKey || e.metaKey) {
    const key = e.key.toLowerCase();
    if (key === "z" && !e.shiftKey) undo();
    else if (key === "z" || key === "y") redo();
    else if (key === "a" && hand.holds("select")) selection.do(() => glass.select_all());
    else return;
    return e.preventDefault();
  }
  if (e.altKey) return;
  const key = named(e);
  const deed = glass.deed_of(key);
  const onControl = target instanceof Element && target.closest("button, a, summary") !== null;
  if (e.key === "Escape" || (e.key === "Enter" && glass.is_laying() && !crosshair.shows())) {
    if (glass.is_laying()) endPolyline();
    else if (crosshair.hide()) selection.show();
    else if (!closePanels() && !selection.clear()) closeProof();
  } else if (handKey(e) || (!onControl && crosshair.key(e))) {
    // Done.
  } else if (/^[1-8]$/.test(key)) {
    if (!swatches.keys[Number(key) - 1]) return;
    swatches.pick(Number(key) - 1);
  } else if (deed && DEEDS[deed] && !(key === "Space" && onControl)) {
    if (!e.repeat) DEEDS[deed](key);
  } else {
    return;
  }
  e.preventDefault();
}
/**
 * A control that was used by hand, not by keyboard, lets the keyboard go: it is the stage's again, or the
 * text's that is being typed.
 */
function letGo() {
  const active = document.activeElement;
  if (
    !(active instanceof HTMLElement) ||
    !active.matches(`button, ${CHOOSES}`) ||
    !active.closest("#rail, #selection-bar, #typing-bar")
  )
    return;
  active.blur();
  if (glass.is_typing()) typing.focus();
}
document.addEventListener("click", (e) => e.detail > 0 && !(e.target instanceof HTMLSelectElement) && letGo());
document.addEventListener(
  "change",
  (e) => e.target instanceof HTMLSelectElement && !e.target.matches(":focus-visible") && letGo(),
);
addEventListener("keyup", (e) => hand.giveBack(named(e)));
addEventListener("blur", () => hand.giveBack());

// ---- Coming and going ------------------------------------------------------------------------

prepareRail({ settings, laidOut: layOut, locked: takePen });
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
showState();
performance.mark("ready-to-draw");
