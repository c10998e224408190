// @ts-check
// A lesson shown again: played, sought, searched; heard where it was recorded.

import init, { Glass } from "../glass/glass.js";
import initReplay, { Replay } from "../glass/recorder.js";
import { prepareOwnView } from "./input/own_view.js";
import { say } from "./messages.js";
import { button, el, input, place, select } from "./page.js";
import { Beneath } from "./picture/beneath.js";
import { Layers } from "./picture/layers.js";
import { playVideos } from "./picture/players.js";
import { Refresh } from "./picture/refresh.js";
import { nonce } from "./tab.js";

/** @import { Frame } from "../glass/glass.js" */

/** What goes along with the lesson. @typedef {{ chapters: { at: number, name: string }[], parts: [number, number][] | null,
 *   films: { recording: number, clock: [number, number][], lasts: number, area: boolean }[] }} About */

/** By how much an arrow key goes on or back, in seconds. */
const STEP = 5;
/** What is tapped is shown from so long before it came, in seconds. */
const BEFORE = 1;
/** What is left of a recording is not begun with when it is less than this, in seconds. */
const LEAST = 0.2;
/** Backdrops that move by themselves, and are not played by this page. */
const STREAMS = ["camera", "share", "page"];

const { own = "", films: filmsAt = "" } = document.body.dataset;
if (document.getElementById("mount")) await begin();

async function begin() {
  const told = Promise.all([fetch(`${own}/lived`), fetch(`${own}/about`)]);
  const [wasm] = await Promise.all([init(), initReplay()]);
  const [lived, aboutIt] = await told;
  if (!lived.ok || !aboutIt.ok) return say("The lesson cannot be had now. Load the page again.");
  const replay = new Replay(new Uint8Array(await lived.arrayBuffer()));
  /** @type {About} */
  const about = await aboutIt.json();
  for (const { clock, lasts } of about.films) replay.add_film(Float64Array.from(clock.flat()), lasts);
  for (const { at } of about.chapters) replay.add_chapter(at);
  const glass = new Glass(nonce(), undefined);
  const mount = el("mount");
  const film = /** @type {HTMLVideoElement} */ (el("film"));
  const heard = /** @type {HTMLInputElement | null} */ (document.getElementById("heard"));

  // ---- The picture ---------------------------------------------------------------------------

  const refresh = new Refresh(glass, showFrame);
  const beneath = new Beneath({ glass, host: el("beneath"), base: own, runs: false, changed: () => refresh.soon() });
  const layers = new Layers(glass, wasm, el("picture"), `${own}/placed`, beneath, refresh, true);
  let playing = false;
  const speed = () => Number(select("speed").value);
  const play = playVideos({ glass, beneath, loud: false, speed: () => (playing ? speed() : 0) });

  /** @param {Frame} frame */
  function showFrame({ view }) {
    if (view) layOut();
    layers.draw();
  }

  function layOut() {
    const { width, height } = mount.getBoundingClientRect();
    glass.set_room(width, height);
    const [x, y, glassWidth, glassHeight] = glass.own_view();
    layers.lay({ width, height, glassWidth, x, y });
    place(film, [x, y, glassWidth, glassHeight]);
    el("zoom-shown").textContent = `${Math.round(glass.zoomed() * 100)} %`;
    play();
  }

  // ---- Time ----------------------------------------------------------------------------------

  /** What is shown, in seconds. */
  let shown = 0;
  /** The recording that is heard, counted from 0; -1 for none. */
  let running = -1;
  let before = performance.now();

  function setGaps() {
    const lesson = replay.to_lesson(shown);
    replay.set_gaps(input("skip").checked, heard?.checked ?? false, Float64Array.from(about.parts?.flat() ?? []));
    input("at").max = `${replay.seconds()}`;
    el("whole").textContent = time(replay.seconds());
    for (const chapter of document.querySelectorAll("#chapters .chapter")) {
      const at = Number(/** @type {HTMLElement} */ (chapter).dataset.at);
      /** @type {HTMLElement} */ (chapter.firstElementChild).textContent = time(replay.to_shown(at));
    }
    seek(replay.to_shown(lesson));
  }

  /** @param {Uint8Array} message */
  const tell = (message) => void glass.receive(message);

  /** Shows another moment. @param {number} to */
  function seek(to) {
    shown = Math.min(Math.max(to, 0), replay.seconds());
    const lesson = replay.to_lesson(shown);
    glass.set_clock(lesson);
    tell(replay.seek(lesson));
    running = -1;
    film.pause();
    listen(lesson);
    show();
  }

  /** Has the recording go on that shows this moment, if one does and is to be heard. @param {number} lesson */
  function listen(lesson) {
    const [found = -1, second = 0] = heard?.checked ? replay.film_at(lesson) : [];
    const left = found < 0 ? 0 : about.films[found].lasts / 1e6 - second;
    if (left < LEAST) {
      if (running >= 0) film.pause();
      running = -1;
      return;
    }
    if (running !== found) {
      const address = `${filmsAt}/${about.films[found].recording}/files/film.mp4`;
      if (film.getAttribute("src") !== address) film.src = address;
      film.currentTime = second;
      running = found;
    }
    film.playbackRate = speed();
    if (playing && film.paused) {
      film.play().catch((e) => {
        // It was paused before it had begun.
        if (e instanceof DOMException && e.name === "AbortError") return;
        // This browser does not play it, or not yet: what was drawn is shown all the same.
        running = -1;
        if (heard) heard.checked = false;
        setGaps();
      });
    }
  }

  /** A frame. @param {number} now */
  function tick(now) {
    requestAnimationFrame(tick);
    const passed = Math.max(0, now - before);
    before = now;
    if (playing) goOn(passed / 1000);
    else glass.set_clock(replay.to_lesson(shown));
  }

  /** @param {number} passed in seconds */
  function goOn(passed) {
    if (running >= 0 && !film.ended) {
      // What is heard says how far it is, so that both are at the same moment.
      if (!film.seeking) shown = Math.max(shown, replay.to_shown(replay.of_film(running, film.currentTime)));
    } else {
      shown += passed * speed();
    }
    if (shown >= replay.seconds()) {
      shown = replay.seconds();
      setPlaying(false);
    }
    const lesson = replay.to_lesson(shown);
    glass.set_clock(lesson);
    for (let message; (message = replay.next(lesson)); ) tell(message);
    if (playing) listen(lesson);
    show();
  }

  /** @param {boolean} goes */
  function setPlaying(goes) {
    playing = goes;
    el("play").hidden = goes;
    el("pause").hidden = !goes;
    if (!goes) film.pause();
    else if (shown >= replay.seconds()) seek(0);
    if (goes) listen(replay.to_lesson(shown));
    play();
  }

  /** All that says where it is. */
  function show() {
    const panes = glass.panes_shown();
    const moves = panes.some((pane) => STREAMS.includes(pane.kind) && pane.frozen === null);
    const isSeen = moves && running >= 0 && about.films[running].area;
    film.hidden = !isSeen;
    el("moved").hidden = !moves || isSeen;
    input("at").value = `${shown}`;
    input("at").setAttribute("aria-valuetext", `${time(shown)} of ${time(replay.seconds())}`);
    el("time").textContent = time(shown);
    const lesson = replay.to_lesson(shown);
    const all = /** @type {HTMLElement[]} */ ([...document.querySelectorAll("#chapters .chapter")]);
    const now = all.findLast((chapter) => Number(chapter.dataset.at) <= lesson);
    for (const chapter of all) {
      if (chapter === now) chapter.setAttribute("aria-current", "true");
      else chapter.removeAttribute("aria-current");
    }
    refresh.soon();
  }

  /** Plays from a moment of the lesson. @param {number} lesson @param {number} [earlier] in seconds */
  function playFrom(lesson, earlier = 0) {
    seek(replay.to_shown(lesson) - earlier);
    setPlaying(true);
  }

  // ---- Hands ---------------------------------------------------------------------------------

  el("play").addEventListener("click", () => (setPlaying(true), el("pause").focus()));
  el("pause").addEventListener("click", () => (setPlaying(false), el("play").focus()));
  input("at").addEventListener("input", () => seek(Number(input("at").value)));
  select("speed").addEventListener("change", () => listen(replay.to_lesson(shown)));
  input("skip").addEventListener("change", setGaps);
  heard?.addEventListener("change", setGaps);
  document.addEventListener("keydown", (e) => {
    const typed = /** @type {Element} */ (e.target).closest(
      "input:not([type=checkbox]), select, textarea, button, summary",
    );
    if (typed || e.ctrlKey || e.metaKey || e.altKey) return;
    if (e.key === " ") setPlaying(!playing);
    else if (e.key === "PageUp") seek(shown - STEP);
    else if (e.key === "PageDown") seek(shown + STEP);
    else return;
    e.preventDefault();
  });
  for (const list of ["chapters", "found"]) {
    el(list).addEventListener("click", (e) => {
      const chapter = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest(".chapter"));
      if (chapter) playFrom(Number(chapter.dataset.at), list === "found" ? BEFORE : 0);
    });
  }
  prepareOwnView({ glass, mount, picture: layers.picture, refresh });
  // A mark that is pressed is shown as it came.
  mount.addEventListener("click", (e) => {
    const { left, top } = mount.getBoundingClientRect();
    const [x, y, width, height] = glass.own_view();
    const at = replay.made_at(replay.to_lesson(shown), (e.clientX - left - x) / width, (e.clientY - top - y) / height);
    if (at !== undefined) playFrom(at, BEFORE);
  });
  el("search").addEventListener("submit", (e) => e.preventDefault());
  input("words").addEventListener("input", () => {
    const found = replay.search(input("words").value).all;
    const lines = found.map(({ at, words }) => {
      const line = document.createElement("li");
      const key = document.createElement("button");
      key.className = "chapter";
      key.dataset.at = `${at}`;
      const when = document.createElement("span");
      when.textContent = time(replay.to_shown(at));
      const what = document.createElement("bdi");
      what.textContent = words;
      key.append(when, what);
      line.append(key);
      return line;
    });
    if (lines.length === 0 && input("words").value.trim()) {
      const none = document.createElement("li");
      none.className = "small-line";
      none.textContent = "Nothing of that was typed or on stage.";
      lines.push(none);
    }
    el("found").replaceChildren(...lines);
  });
  const handOut = /** @type {HTMLFormElement | null} */ (document.querySelector("#hand-out form"));
  handOut?.addEventListener("submit", () => {
    const chosen = /** @type {NodeListOf<HTMLInputElement>} */ (handOut.querySelectorAll("[data-chapter]:checked"));
    const field = /** @type {HTMLInputElement} */ (handOut.elements.namedItem("chapters"));
    field.value = [...chosen].map((chapter) => chapter.dataset.chapter).join();
  });

  tell(replay.welcome());
  new ResizeObserver(layOut).observe(mount);
  layOut();
  setGaps();
  const from = Number(location.hash.match(/^#at=(\d+)$/)?.[1] ?? 0);
  seek(from ? replay.to_shown(from) : 0);
  button("play").disabled = false;
  mount.classList.add("ready");
  requestAnimationFrame(tick);
}

/** Minutes and seconds. @param {number} seconds */
function time(seconds) {
  const all = Math.floor(seconds);
  return `${Math.floor(all / 60)}:${String(all % 60).padStart(2, "0")}`;
}
