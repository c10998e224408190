// @ts-check
// Recording the lesson: what the recording is to be, how it goes, and what became of it. All that records is fetched when
// the panel is opened.

import { ask, say } from "../messages.js";
import { button, el, input, select } from "../page.js";
import { soundOnStage } from "../recording/on_stage.js";
import { clock, long, megabytes } from "../recording/words.js";
import { closePanels, panel } from "./panels.js";
import { Choices, choice, FAR, LIMITS } from "./record_choices.js";

/** @import { Wish } from "../../glass/recorder.js" */
/** @import { Glass } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Moving } from "../moving/moving.js" */
/** @import { Settings } from "../settings.js" */
/** @import { FilmRecorder } from "../recording/recorder.js" */
/** @import { Told } from "../recording/sending.js" */

/** Where the camera was last on this machine. */
const INSET = "recording-inset";
/** The corners that the camera goes to in turn, as shares of the picture. @type {[number, number][]} */
const CORNERS = [
  [0.88, 0.84],
  [0.12, 0.84],
  [0.12, 0.16],
  [0.88, 0.16],
];
/** With what a lesson begins. */
const FIRST = ["pointerdown", "keydown"];
/** How often the panel is shown anew, in milliseconds. */
const OFTEN = 250;
/** How often it is looked whether another tab still records, in milliseconds. */
const LOOKS = 5000;

/**
 * @param {{ lesson: string, glass: Glass, layers: { painted: number }, beneath: Beneath, moving: Moving, settings: Settings,
 *   paused: () => boolean }} stage
 */
export function prepareRecord({ lesson, glass, layers, beneath, moving, settings, paused }) {
  const all = `/lessons/${lesson}/recordings`;
  const recorder = recorderOf(lesson);
  /** @type {FilmRecorder | null} */
  let film = null;
  /** What broke off, and can be gone on with. @type {Told | null} */
  let broken = null;
  /** @type {typeof import("../recording/sound.js") | null} */
  let sounds = null;
  /** The microphone while nothing is recorded yet, for its meter. @type {import("../recording/sound.js").Sound | null} */
  let tried = null;
  /** It is binned with the next press. */
  let surely = false;
  let corner = 0;
  /** The camera as it is seen on the stage. @type {import("../recording/inset.js").CameraOnStage | null} */
  let inset = null;
  /** @type {import("../recording/keys_pressed.js").KeysPressed | null} */
  let pressed = null;
  const level = /** @type {HTMLMeterElement} */ (document.querySelector("#record-level"));
  /** Somebody has been told that nothing is heard. */
  let told = false;

  const choices = new Choices({ glass, settings, all, goes: () => film !== null });
  panel("record", "record-panel", () => void opened());
  if (!window.isSecureContext || !("VideoEncoder" in window)) {
    button("record-start").disabled = true;
    el("record-says").textContent = window.isSecureContext
      ? "This browser cannot encode films. Chrome and Edge can."
      : "This address is not secure (http from another machine), so the browser records nothing. Serving with --tls-self-signed puts that right.";
    if (input("record-by-itself").defaultChecked)
      say(`This lesson was to be recorded, and is not. ${el("record-says").textContent}`);
  } else {
    void lookForBroken();
    if (input("record-by-itself").defaultChecked) beginByItself();
  }
  input("record-by-itself").addEventListener("change", () => {
    const on = input("record-by-itself").checked;
    void ask(`${all}/by-itself`, new URLSearchParams({ on: `${on}` }));
  });
  select("record-microphone").addEventListener("change", () => void hear());
  el("record-start").addEventListener("click", () => void start(null));
  el("record-again").addEventListener("click", () => broken && void start(broken));
  el("record-keep").addEventListener("click", async () => {
    if (broken) await ask(`${all}/${broken.id}/end`, new URLSearchParams());
    showBroken(null);
    done("It is kept.");
  });
  el("record-halt").addEventListener("click", async () => {
    if (!film) return;
    if (film.halted) film.goOn();
    else await film.halt();
    show();
  });
  el("record-moment").addEventListener("click", async () => {
    const response = await ask(`/lessons/${lesson}/moments`, new URLSearchParams());
    if (!response?.ok) return;
    // A film can begin there.
    film?.beginAnew();
    say(`${await response.text()} is marked.`);
  });
  el("record-stop").addEventListener("click", () => void film?.stop());
  el("record-bin").addEventListener("click", () => void bin());
  el("record-camera-on").addEventListener("click", () => void (film?.camera ? dropCamera() : takeCamera()).then(show));
  el("record-camera-round").addEventListener("click", () => {
    if (!film?.camera) return;
    film.camera.inset.round = !film.camera.inset.round;
    inset?.lay();
    keepInset(film.camera.inset);
    show();
  });
  el("record-camera-corner").addEventListener("click", () => {
    corner = (corner + 1) % CORNERS.length;
    if (!film?.camera) return;
    film.camera.inset.at = [...CORNERS[corner]];
    inset?.lay();
    keepInset(film.camera.inset);
  });
  // A page on which nothing is recorded is left alone.
  setInterval(() => (film || tried) && show(), OFTEN);
  addEventListener("beforeunload", (e) => film && e.preventDefault());
  navigator.mediaDevices?.addEventListener("devicechange", () => void again());

  // ---- Before ----------------------------------------------------------------------------------

  async function opened() {
    done(null);
    if (button("record-start").disabled && !choices.planned && !window.isSecureContext) return;
    await prepare();
    if (!film) await hear();
  }

  /** All that recording takes is here, and what can be chosen. */
  async function prepare() {
    sounds ??= await import("../recording/sound.js");
    await choices.prepare();
  }

  /** The lesson was to be recorded from its beginning: that is the first press on the stage, which browsers ask for before they listen. */
  function beginByItself() {
    const first = async () => {
      for (const event of FIRST) removeEventListener(event, first, true);
      if (film || !input("record-by-itself").checked) return;
      await prepare();
      await start(null);
      say(film ? "The lesson is being recorded, as it was set before." : (el("record-done").textContent ?? ""));
    };
    for (const event of FIRST) addEventListener(event, first, true);
  }

  /** Listens to the microphone that is chosen, so that its meter shows whether it works. */
  async function hear() {
    tried?.stop();
    tried = null;
    el("record-meter").hidden = true;
    const device = choice("microphone").value;
    if (!sounds || device === "none" || film) return;
    const sound = new sounds.Sound(1);
    try {
      await sound.take(device === "default" ? "" : device);
      tried = sound;
      el("record-meter").hidden = false;
    } catch (e) {
      sound.stop();
      const { refusal } = await import("../moving/sources.js");
      el("record-says").textContent = refusal(e, "microphone");
      choice("microphone").value = "none";
    }
  }

  // ---- Beginning -------------------------------------------------------------------------------

  /** @param {Told | null} before what is gone on with */
  async function start(before) {
    if (film || !sounds || !choices.planned) return;
    button("record-start").disabled = true;
    tried?.stop();
    tried = null;
    try {
      await begin(before);
    } catch (e) {
      done(`The recording could not be started: ${e instanceof Error ? e.message : e}`);
    } finally {
      button("record-start").disabled = choices.usable.length === 0;
    }
    show();
  }

  /** @param {Told | null} before */
  async function begin(before) {
    const how = before ? before.how : choices.how();
    if (!sounds || !how) return;
    if (before && !(await choices.goOn(how)))
      return done("This browser does not encode as the one before did: it cannot be gone on with here, only kept.");
    const { planned } = choices;
    if (!planned) return;
    const pictures = await picturesOf(choice("what").value);
    if (!pictures) return;
    const sound = await soundOf(how.wish);
    const address = before ? `${all}/${before.id}/go-on` : all;
    const body = new URLSearchParams({ recorder, ...(before ? {} : { how: JSON.stringify(how) }) });
    const response = (await leadIn(Number(choice("lead").value))) ? await ask(address, body) : "stopped";
    if (response === "stopped" || !response?.ok) {
      pictures.stop();
      sound?.stop();
      if (response === "stopped") return;
      return done(response?.headers.get("x-bozzetto-says") ?? "The line to the server is down.");
    }
    const told = /** @type {Told} */ (await response.json());
    showBroken(null);
    input("record-by-itself").checked = false;
    try {
      const { FilmRecorder } = await import("../recording/recorder.js");
      film = new FilmRecorder({
        how,
        planned,
        told,
        address: `${all}/${told.id}`,
        recorder,
        pictures,
        sound,
        clock: () => glass.clock(),
        over: ended,
      });
      await film.start();
    } catch (e) {
      // What was to be gone on with can be kept; a new one has nothing in it.
      film = null;
      pictures.stop();
      sound?.stop();
      if (before) showBroken(before);
      else await ask(`${all}/${told.id}/delete`, new URLSearchParams());
      throw e;
    }
    if (choice("camera").value !== "none") await takeCamera();
    if (how.what === "area" && input("record-keys").checked) {
      const { KeysPressed } = await import("../recording/keys_pressed.js");
      pressed = new KeysPressed(el("keys-pressed"), () => glass.is_typing());
    }
    if (!el("record-panel").hidden) closePanels();
  }

  /** @param {string} what */
  async function picturesOf(what) {
    const { pictureArea, ofSource } = await import("../recording/pictures.js");
    const { screen, refusal, SharesItself } = await import("../moving/sources.js");
    const picture = el("picture");
    if (what === "area") {
      // A page that is framed is only to be had from the browser, which asks.
      const page = beneath.panes.some((p) => p.kind === "page" && p.frozen === null);
      const area = pictureArea({ glass, picture, layers, beneath, moving, paused, plate: el("keys-pressed") });
      if (page && !moving.tab) {
        // What is asked would lie beneath it.
        closePanels();
        await moving.ask("It is needed to record the page.");
      }
      return area;
    }
    try {
      const source = what === "screen" ? await screen(moving.mark) : await cameraSource();
      source.ended = () => void film?.stop(null, "What was being recorded has ended, and so has the recording.");
      return ofSource(source);
    } catch (e) {
      done(
        e instanceof SharesItself
          ? "That is the stage itself: record the picture area instead."
          : refusal(e, what === "screen" ? "screen" : "camera"),
      );
      return null;
    }
  }

  async function cameraSource() {
    const { Source, shownIn } = await import("../moving/sources.js");
    const device = choice("camera").value;
    const deviceId = ["none", "default", ""].includes(device) ? undefined : { exact: device };
    const video = { deviceId, height: { ideal: 720 } };
    const stream = await navigator.mediaDevices.getUserMedia({ video, audio: false });
    const [track] = stream.getVideoTracks();
    return new Source(track, await shownIn(stream), track.label);
  }

  /** @param {Wish} wish */
  async function soundOf(wish) {
    if (!sounds || wish.silent) return null;
    const sound = new sounds.Sound(wish.shown === "moving" ? 2 : 1);
    sound.lost = () =>
      say("The microphone is gone: the recording goes on without it. It is heard again when it is back.");
    const device = choice("microphone").value;
    if (device !== "none") {
      await sound.take(device === "default" ? "" : device).catch(async (e) => {
        const { refusal } = await import("../moving/sources.js");
        say(`${refusal(e, "microphone")} It is recorded without.`);
      });
    }
    return sound;
  }

  /** Counts down on stage; `false` where somebody stopped it by Escape. @param {number} seconds */
  async function leadIn(seconds) {
    const shown = el("lead-in");
    let goes = true;
    const stop = (/** @type {KeyboardEvent} */ e) => e.key === "Escape" && (goes = false);
    addEventListener("keydown", stop, true);
    if (seconds) closePanels();
    for (let left = seconds; left > 0 && goes; left--) {
      shown.textContent = `${left}`;
      shown.hidden = false;
      await new Promise((done) => setTimeout(done, 1000));
    }
    removeEventListener("keydown", stop, true);
    shown.hidden = true;
    return goes;
  }

  // ---- While -----------------------------------------------------------------------------------

  async function takeCamera() {
    if (!film) return;
    try {
      const source = await cameraSource();
      if (!film) return source.stop();
      const camera = { source, inset: keptInset() };
      film.camera = camera;
      if (film.how.what === "area") {
        const { CameraOnStage } = await import("../recording/inset.js");
        inset = new CameraOnStage(el("camera-inset"), el("picture"), camera, () => keepInset(camera.inset));
      }
      source.ended = () => {
        say("The camera has stopped: it was unplugged, or another program took it. The recording goes on.");
        void dropCamera();
      };
    } catch (e) {
      const { refusal } = await import("../moving/sources.js");
      say(refusal(e, "camera"));
    }
  }

  async function dropCamera() {
    inset?.stop();
    inset = null;
    film?.camera?.source.stop();
    if (film) film.camera = null;
  }

  /** A device has come or gone: a microphone that was lost is taken again. */
  async function again() {
    if (!el("record-panel").hidden) await choices.fillDevices();
    const sound = film?.sound;
    const device = choice("microphone").value;
    if (!sound || sound.microphone || device === "none") return;
    await sound.take(device === "default" ? "" : device).then(
      () => say("The microphone is back."),
      () => {},
    );
  }

  async function bin() {
    if (!film) return;
    if (!surely) {
      surely = true;
      show();
      return;
    }
    surely = false;
    const { id } = film.told;
    await film.stop();
    const response = await ask(`${all}/${id}/delete`, new URLSearchParams());
    if (!response?.ok) return;
    done("It is in the bin, for a day.", [
      "Have it again",
      async () => {
        if ((await ask(`${all}/${id}/restore`, new URLSearchParams()))?.ok) done("It is back.");
      },
    ]);
  }

  /** It has ended. @param {string | null} why @param {string | null} limit */
  function ended(why, limit) {
    const id = film?.told.id;
    void dropCamera();
    pressed?.stop();
    pressed = null;
    film = null;
    const by = limit ? `The recording has reached ${LIMITS[limit]} and has ended there. ` : "";
    const words = `${by}${why ? `${why} ` : ""}`;
    if (words) say(words.trim());
    done(`${words}It is kept.`, ["Look at it", () => void open(`${all}/${id}`, "_blank", "noopener")]);
    show();
  }

  // ---- Showing ---------------------------------------------------------------------------------

  /** Whether one was broken off; one that another tab records may be some time. */
  async function lookForBroken() {
    const response = await fetch(`${all}/unfinished?recorder=${recorder}`).catch(() => null);
    if (film || !response?.ok) return;
    const told = response.status === 200 ? /** @type {Told} */ (await response.json()) : null;
    showBroken(told);
    if (told?.elsewhere) setTimeout(lookForBroken, LOOKS);
  }

  /** What became of it, with a key for more. @param {string | null} words @param {[string, () => void]} [more] */
  function done(words, more) {
    const shown = el("record-done");
    shown.hidden = words === null;
    shown.textContent = words ? `${words} ` : "";
    if (!more) return;
    const key = document.createElement("button");
    key.className = "key";
    [key.textContent, key.onclick] = more;
    shown.append(key);
  }

  /** @param {Told | null} told */
  function showBroken(told) {
    broken = told?.elsewhere ? null : told;
    el("record-broken").hidden = told === null;
    el("record-broken-keys").hidden = broken === null;
    if (!told) return;
    el("record-broken").textContent = told.elsewhere
      ? "This lesson is being recorded in another tab."
      : `A recording of ${clock(told.lasts / 1e6)} was broken off. What had come is here.`;
    if (broken) say("A recording of this lesson was broken off. Record, on the rail, goes on with it or keeps it.");
  }

  function show() {
    const goes = film !== null;
    el("record").classList.toggle("goes", goes);
    el("record-before").hidden = goes;
    el("record-while").hidden = !goes;
    const now = performance.now();
    if (film?.sound)
      film.sound.hear(input("record-films").checked ? [...soundOnStage(), ...film.pictures.heard()] : []);
    if (tried && el("record-panel").hidden) {
      // Nobody looks at the meter: nothing is listened to.
      tried.stop();
      tried = null;
    }
    const sound = film?.sound ?? tried;
    if (film && sound?.microphone) {
      level.value = film.film.hears(sound.samples, now);
      const silent = film.film.is_silent(now);
      if (silent && !told) say("Nothing has been heard from the microphone for 10 seconds. Is it muted?");
      told = silent;
    } else if (tried && choices.rules) {
      level.value = choices.rules.on_meter(tried.samples);
    }
    el("record-meter").hidden = !sound?.microphone;
    if (!film) {
      el("record-word").textContent = "Record";
      surely = false;
      return;
    }
    const { seconds, bytes, ends, halted, camera } = film;
    el("record-word").textContent = halted ? "Paused" : clock(seconds);
    el("record-time").textContent = clock(seconds);
    el("record-written").textContent = megabytes(bytes);
    const little = ends && ends.seconds < (ends.seconds + seconds) / 5;
    el("record-left").textContent = ends && ends.seconds < FAR ? `${long(ends.seconds)} left` : "";
    el("record-left").classList.toggle("warns", little === true);
    if (little && !halted) el("record-word").textContent = `${long(ends.seconds)} left`;
    el("record-halt").setAttribute("aria-pressed", `${halted}`);
    el("record-halt-word").textContent = halted ? "Go on" : "Pause";
    el("record-bin-word").textContent = surely ? "Bin it, really" : "Bin";
    el("record-camera-keys").hidden = select("record-camera").options.length < 2;
    el("record-camera-on").setAttribute("aria-pressed", `${camera !== null}`);
    el("record-camera-round").setAttribute("aria-pressed", `${camera?.inset.round === true}`);
  }
}

/** Where the camera was last, on this machine. @returns {import("../recording/pictures.js").Inset} */
function keptInset() {
  const inset = { at: CORNERS[0], height: 0.25, round: false };
  try {
    return { ...inset, ...JSON.parse(localStorage.getItem(INSET) ?? "{}") };
  } catch {
    return inset;
  }
}

/** @param {import("../recording/pictures.js").Inset} inset */
function keepInset(inset) {
  localStorage.setItem(INSET, JSON.stringify(inset));
}

/** Who this tab is as a recorder, also after it was loaded again. @param {string} lesson */
function recorderOf(lesson) {
  const key = `recorder:${lesson}`;
  const known = sessionStorage.getItem(key);
  if (known) return known;
  const made = crypto.randomUUID?.() ?? `${Math.random()}`;
  sessionStorage.setItem(key, made);
  return made;
}
