// @ts-check
// What a recording is to be: chosen before it begins, kept on this machine, and what comes of that in numbers.

import { button, el, input, select } from "../page.js";
import { long, megabytes } from "../recording/words.js";

/** @import { Planned, Wish } from "../../glass/recorder.js" */
/** @import { Glass } from "../../glass/glass.js" */
/** @import { Settings } from "../settings.js" */
/** @import { How } from "../recording/recorder.js" */

/** What was chosen last on this machine. */
const KEPT = "recording";
/** What is chosen and kept, by its element. */
const CHOICES = ["what", "shown", "minutes", "mb", "codec", "microphone", "camera", "lead"];
/** Of these, what need not be filled in first. */
const READY = ["what", "shown", "minutes", "mb", "lead"];
/** What each codec is called, and what files it makes. @type {Record<string, string>} */
const CODECS = { h264: "H.264, in MP4", vp9: "VP9, in WebM or MP4", av1: "AV1, in WebM or MP4" };
/** What ends a recording. @type {Record<string, string>} */
export const LIMITS = { length: "its length", size: "its size", disk: "the server's disk" };
/** An end that is farther than this need not be said, in seconds. */
export const FAR = 12 * 3600;

/** What is chosen, by its element. @param {string} id */
export function choice(id) {
  return /** @type {HTMLInputElement | HTMLSelectElement} */ (el(`record-${id}`));
}

/** A number that is written in a field; nothing of it is 0. @param {string} id */
function number(id) {
  const value = Number(input(`record-${id}`).value.replace(",", "."));
  return Number.isFinite(value) && value > 0 ? value : 0;
}

/** What was chosen last. @returns {Record<string, any>} */
function kept() {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}");
  } catch {
    return {};
  }
}

export class Choices {
  /**
   * @param {{ glass: Glass, settings: Settings, all: string, goes: () => boolean }} of `all` is the address of the lesson's
   *   recordings; `goes` says whether one is made now
   */
  constructor({ glass, settings, all, goes }) {
    this.glass = glass;
    this.settings = settings;
    this.all = all;
    this.goes = goes;
    /** @type {typeof import("../../glass/recorder.js") | null} */
    this.rules = null;
    /** @type {Planned | null} */
    this.planned = null;
    /** What codecs this browser encodes. @type {{ codec: string, name: string }[]} */
    this.usable = [];
    /** How many bytes the server can keep. */
    this.room = Infinity;

    const last = kept();
    input("record-keys").checked = last.keys === true;
    for (const id of READY) if (last[id]) choice(id).value = last[id];
    const before = el("record-before");
    for (const event of ["input", "change"]) before.addEventListener(event, () => void this.chosen());
    select("record-place").addEventListener("change", () => {
      const place = (settings.now.places ?? [])[Number(select("record-place").value)];
      if (place) input("record-mb").value = `${place.bytes / 1e6}`;
      void this.chosen();
    });
    el("record-add-place").addEventListener("click", () => {
      const bytes = number("mb") * 1e6;
      const name = input("record-place-name").value.trim();
      if (!name || !bytes) return;
      settings.change((s) => (s.places = [...(s.places ?? []), { name, bytes }]));
      input("record-place-name").value = "";
      this.fillPlaces();
    });
  }

  /** All that choosing takes is here, and what can be chosen. */
  async prepare() {
    if (!this.rules) {
      const module = await import("../../glass/recorder.js");
      await module.default();
      this.rules = module;
      const response = await fetch(`${this.all}/room`).catch(() => null);
      if (response?.ok) this.room = Number(await response.text());
    }
    this.fillPlaces();
    await this.fillDevices();
    await this.chosen();
  }

  fillPlaces() {
    const places = (this.settings.now.places ?? []).map(
      (place, n) => new Option(`${place.name}, ${megabytes(place.bytes)}`, `${n}`),
    );
    select("record-place").replaceChildren(new Option("anywhere", ""), ...places);
  }

  async fillDevices() {
    const devices = (await navigator.mediaDevices?.enumerateDevices()) ?? [];
    for (const [id, kind, word] of /** @type {const} */ ([
      ["microphone", "audioinput", "Microphone"],
      ["camera", "videoinput", "Camera"],
    ])) {
      const of = devices.filter((d) => d.kind === kind);
      const before = choice(id).value || kept()[id] || "";
      const options = of.map((d, n) => new Option(d.label || `${word} ${n + 1}`, d.deviceId || "default"));
      select(`record-${id}`).replaceChildren(new Option("none", "none"), ...options);
      choice(id).value = before;
      // A microphone is what nearly everybody wants; a camera is asked for.
      if (!choice(id).value) choice(id).value = id === "camera" ? "none" : (options[0]?.value ?? "none");
    }
  }

  /** @returns {Wish} */
  wish() {
    const set = (/** @type {string} */ id, by = 1) => (number(id) ? number(id) * by : null);
    return /** @type {Wish} */ (
      /** @type {unknown} */ ({
        shown: choice("shown").value,
        seconds: number("minutes") * 60 || null,
        bytes: number("mb") * 1e6 || null,
        aspect: choice("what").value === "area" ? 1 / this.glass.aspect() : 16 / 9,
        lines: set("lines") && Math.round(number("lines")),
        frames: set("frames") && Math.round(number("frames")),
        picture: set("picture", 1e6),
        sound: set("sound", 1e3),
        silent: choice("microphone").value === "none" && !input("record-films").checked,
        room: Number.isFinite(this.room) ? this.room : 1e15,
      })
    );
  }

  /** How it is made, as chosen. @returns {How | null} */
  how() {
    if (!this.planned) return null;
    const { width, height } = this.planned;
    const codec = this.usable.find((c) => c.codec === choice("codec").value)?.name ?? "";
    return { wish: this.wish(), codec, width, height, what: choice("what").value };
  }

  /** Plans it as a recording was made that is gone on with; says whether this browser can. @param {How} how */
  async goOn({ wish, codec, width, height }) {
    if (!this.rules) return false;
    this.planned = this.rules.plan(JSON.stringify(wish));
    const { picture, frames } = this.planned;
    return encodes(codec, width, height, picture, frames);
  }

  /** Shows what is recorded with what is chosen, and how long. */
  async chosen() {
    if (!this.rules || this.goes()) return;
    const all = Object.fromEntries(CHOICES.map((id) => [id, choice(id).value]));
    const before = choice("codec").value || kept().codec;
    localStorage.setItem(KEPT, JSON.stringify({ ...all, keys: input("record-keys").checked }));
    el("record-new-place").hidden = number("mb") === 0 || choice("place").value !== "";
    this.planned = this.rules.plan(JSON.stringify(this.wish()));
    const { codecs, width, height, frames, picture } = this.planned;
    const can = await Promise.all(codecs.map((c) => encodes(c.name, width, height, picture, frames)));
    this.usable = codecs.filter((_, n) => can[n]);
    select("record-codec").replaceChildren(...this.usable.map((c) => new Option(CODECS[c.codec], c.codec)));
    const isUsable = this.usable.some((c) => c.codec === before);
    choice("codec").value = isUsable ? before : (this.usable[0]?.codec ?? "");
    button("record-start").disabled = this.usable.length === 0;
    el("record-says").textContent = this.words(this.planned);
    el("record-says").classList.toggle("warns", this.planned.least !== undefined || this.usable.length === 0);
  }

  /** @param {Planned} plan */
  words({ height, frames, picture, sound, least, ends, usually }) {
    if (this.usable.length === 0) return "This browser encodes no film that fine. Choose fewer lines.";
    const much = sound ? ` and ${Math.round(sound / 1000)} kbit/s of sound` : ", without sound";
    const how = `${height} lines, ${frames} pictures a second, ${(picture / 1e6).toFixed(2)} Mbit/s at the most${much}.`;
    if (least !== undefined)
      return `That does not fit: so long a film takes ${megabytes(least)} at the least. As coarse as it gets: ${how}`;
    if (!usually || usually.seconds >= FAR) return how;
    const about = usually.by === "length" ? "" : "about ";
    const reaches = `${how} It reaches ${LIMITS[usually.by]} after ${about}${long(usually.seconds)}`;
    if (!ends || long(ends.seconds) === long(usually.seconds)) return `${reaches}.`;
    const other = ends.by === usually.by ? "" : `or ${LIMITS[ends.by]} `;
    return `${reaches}, ${other}after ${long(ends.seconds)} at the earliest.`;
  }
}

/** Whether this browser encodes such pictures. @param {string} codec @param {number} width @param {number} height @param {number} bitrate @param {number} framerate */
async function encodes(codec, width, height, bitrate, framerate) {
  const { videoConfig } = await import("../recording/recorder.js");
  const config = { ...videoConfig({ codec, width, height }), bitrate, framerate };
  return VideoEncoder.isConfigSupported(config).then(
    (s) => s.supported === true,
    () => false,
  );
}
