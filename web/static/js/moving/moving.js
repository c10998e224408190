// @ts-check
// The moving backdrops of this stage: their sources, freezing them, and their pictures for captures
// and participants.

import { hush, say } from "../messages.js";
import { el } from "../page.js";
import { drawable } from "../picture/beneath.js";
import { blank } from "../picture/blank.js";
import { startCamera } from "./cameras.js";
import { canShowTab, drawn, markTab, ownTab, refusal, SharesItself, screen } from "./sources.js";
import { StreamSender } from "./streams.js";

/** @import { Glass, PaneShown as Pane } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Source } from "./sources.js" */

/** A picture of a backdrop at one instant, without loss. @typedef {{ canvas: HTMLCanvasElement, shows: number[] }} Grabbed */

export class Moving {
  /**
   * @param {{ glass: Glass, lesson: string, beneath: Beneath, flush: () => void, unsent: () => number, changed: () => void }} stage
   */
  constructor({ glass, lesson, beneath, flush, unsent, changed }) {
    this.glass = glass;
    this.lesson = lesson;
    this.beneath = beneath;
    this.flush = flush;
    this.unsent = unsent;
    this.changed = changed;
    // Any stage of this lesson is known by this, since each shows what another one shares.
    this.mark = `bozzetto:${location.origin}:${lesson}`;
    markTab(this.mark);
    /** @type {Map<string, Source>} */
    this.sources = new Map();
    /** @type {Map<string, StreamSender>} */
    this.senders = new Map();
    /** The browser's picture of this tab, once it has been allowed. @type {Source | null} */
    this.tab = null;
    /** Somebody has said "not now": asked again only when it is needed. */
    this.notNow = false;
    /** The picture area is being recorded. */
    this.recorded = false;
    this.watching = { stills: 0, streams: 0 };
    /** Backdrops that are being frozen. @type {Set<string>} */
    this.freezing = new Set();
    this.calls = el("pane-calls");
    this.calledFor = "";
    el("tab-allow").addEventListener("click", () => this.allow());
    el("tab-not-now").addEventListener("click", () => {
      this.answer(false);
      if (this.recorded) say("The web page is an empty area in the film.");
    });
    /** @type {((allowed: boolean) => void)[]} */
    this.waiting = [];
  }

  /** What is on stage has changed, or how it is seen. */
  show() {
    const { panes } = this.beneath;
    for (const pane of panes) {
      const source = this.sources.get(pane.id);
      if (!source) continue;
      const holder = this.beneath.holder(pane.id);
      holder.wrap.dataset.runs = "yes";
      holder.shows = null;
      holder.setLive(source.element);
      this.turn(pane.id);
    }
    this.send();
    this.callFor();
  }

  /** Holds everything that runs on stage. */
  freezeAll() {
    for (const pane of this.beneath.panes) {
      const runs = pane.kind !== "video" || this.glass.playing(pane.id)?.playing;
      if (pane.moves && pane.frozen === null && runs) this.toggle(pane);
    }
  }

  /** @param {{ stills: number, streams: number }} watching */
  watch(watching) {
    this.watching = watching;
    this.send();
    for (const sender of this.senders.values()) sender.again();
  }

  /** @param {string} id */
  key(id) {
    this.senders.get(id)?.key();
  }

  get watched() {
    return this.watching.stills + this.watching.streams > 0;
  }

  /** Starts and stops senders, so that what is on stage and watched is sent, and nothing else. */
  send() {
    const wanted = new Map(
      this.beneath.panes.filter((p) => p.streams && p.frozen === null && this.watched).map((p) => [p.id, p]),
    );
    for (const [id, sender] of this.senders) {
      if (wanted.has(id) && sender.source === this.sourceOf(wanted.get(id))) continue;
      sender.stop();
      this.senders.delete(id);
    }
    for (const pane of wanted.values()) {
      const source = this.sourceOf(pane);
      if (!source || this.senders.has(pane.id)) continue;
      const { glass, flush, unsent } = this;
      glass.stream_begins(pane.id, crypto.getRandomValues(new Uint32Array(1))[0]);
      this.senders.set(
        pane.id,
        new StreamSender({ glass, id: pane.id, source, unsent, flush, part: () => this.partOf(pane.id, true) }),
      );
    }
    // A page can only be shown by the browser's picture of this tab: asked for once.
    const page = this.beneath.panes.some((p) => p.kind === "page" && p.streams && p.frozen === null);
    if (page && !this.tab && !this.notNow) {
      if (this.watched) this.ask("Participants see it as a picture of this tab.");
      else if (this.recorded) this.ask("It is needed to record the page.");
    }
    // The page has left the stage before anybody answered: asked again when it comes back.
    if (!this.beneath.panes.some((p) => p.kind === "page")) this.dismiss(false);
  }

  /** @param {Pane | undefined} pane @returns {Source | null} */
  sourceOf(pane) {
    if (!pane) return null;
    if (pane.kind === "page") return this.tab;
    return this.sources.get(pane.id) ?? null;
  }

  /**
   * The part of a source's pictures that is a backdrop's, and what of the backdrop it shows.
   * @param {string} id @param {boolean} even as encoders want it
   * @returns {import("./streams.js").Part | null}
   */
  partOf(id, even) {
    const pane = this.beneath.pane(id);
    const source = this.sourceOf(pane ?? undefined);
    if (!pane || !source) return null;
    const [w, h] = source.size;
    const { host, origin } = this.beneath;
    const { width, height } = host.getBoundingClientRect();
    // The tab's picture is of everything beneath the marks; the page's pane is cut out of it.
    const of = pane.kind === "page" ? [width, height, origin.x, origin.y] : [];
    const part = w && h ? this.glass.picture_part(id, w, h, new Float64Array(of), even) : [];
    return part.length ? { crop: [...part.slice(0, 4)], shows: Float64Array.from(part.slice(4)) } : null;
  }

  // ---- Pictures ------------------------------------------------------------------------------

  /**
   * The picture of a moving backdrop at this instant.
   * @param {Pane} pane
   * @returns {Promise<Grabbed | null>}
   */
  async grab(pane) {
    if (pane.kind === "page") return this.grabPage(pane);
    const { live } = this.beneath.holder(pane.id);
    const source = this.sources.get(pane.id);
    if (source) {
      const canvas = source.grab();
      return canvas && { canvas, shows: [0, 0, ...pane.window] };
    }
    if (!live || !drawable(live)) return null;
    const [width, height] =
      live instanceof HTMLVideoElement ? [live.videoWidth, live.videoHeight] : [live.clientWidth, live.clientHeight];
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = live instanceof HTMLCanvasElement ? [live.width, live.height] : [width, height];
    canvas.getContext("2d")?.drawImage(live, 0, 0, canvas.width, canvas.height);
    const whole = this.beneath.holder(pane.id).shows ?? pane.shows;
    return { canvas, shows: pane.kind === "video" ? pane.shows : whole };
  }

  /** @param {Pane} pane @returns {Promise<Grabbed | null>} */
  async grabPage(pane) {
    if (!this.tab && !(await this.ask("It is needed to freeze and to capture the page."))) return null;
    const { tab } = this;
    if (!tab) return null;
    await nextFrame(tab.element);
    const part = this.partOf(pane.id, false);
    if (!part) return null;
    const [x, y, w, h] = part.crop;
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [w, h];
    canvas.getContext("2d")?.drawImage(tab.element, x, y, w, h, 0, 0, w, h);
    return { canvas, shows: [...part.shows] };
  }

  /**
   * The pictures of all that moves on stage and is not held, for a capture; `null` when one of them
   * cannot be had.
   * @param {{ id: string, grab: () => Promise<Grabbed | null> }} [whole] a page of which more is wanted than is in view
   */
  async frames(whole) {
    /** @type {{ id: string, shows: number[], blob: Blob }[]} */
    const frames = [];
    for (const pane of this.beneath.panes.filter((p) => p.moves && p.frozen === null)) {
      const grabbed = await (pane.id === whole?.id ? whole.grab() : this.grab(pane));
      if (!grabbed && pane.kind === "page") return null;
      if (!grabbed) continue;
      const { canvas, shows } = grabbed;
      // What is hidden leaves this page with no picture.
      const hidden = this.glass.frame_hidden(pane.id, Float64Array.from(shows), canvas.width, canvas.height);
      const context = canvas.getContext("2d");
      if (context) blank(context, hidden);
      frames.push({ id: pane.id, shows, blob: await lossless(canvas) });
    }
    return frames;
  }

  // ---- Freezing ------------------------------------------------------------------------------

  /** Holds the picture of a backdrop, or lets it go on. @param {Pane} pane */
  async toggle(pane) {
    if (pane.kind === "video") {
      const playing = this.glass.playing(pane.id)?.playing ?? false;
      this.glass.play(pane.id, !playing);
    } else if (pane.frozen !== null) {
      this.glass.thaw(pane.id);
      this.key(pane.id);
    } else {
      return this.freeze(pane);
    }
    this.flush();
    this.changed();
    // What goes on and is not run here is called for.
    this.show();
  }

  /** @param {Pane} pane */
  async freeze(pane) {
    if (this.freezing.has(pane.id)) return;
    this.freezing.add(pane.id);
    try {
      const grabbed = await this.grab(pane);
      if (!grabbed) {
        if (pane.kind !== "page") say("There is no picture to freeze yet.");
        return;
      }
      // Held here at once; the server has it a moment later.
      const holder = this.beneath.holder(pane.id);
      holder.setHeld(grabbed.canvas, "…");
      this.beneath.lay(grabbed.canvas, this.glass.lies(pane.id, new Float64Array(grabbed.shows)), pane.room);
      const body = new FormData();
      body.append("frame", await lossless(grabbed.canvas), "frame.png");
      const response = await fetch(`/lessons/${this.lesson}/backdrops/${pane.id}/freeze`, {
        method: "POST",
        body,
      }).catch(() => null);
      if (!response?.ok) {
        holder.setHeld(null, "");
        return say(response?.headers.get("x-bozzetto-says") ?? "It was not frozen: the line to the server is down.");
      }
      const { picture } = await response.json();
      this.glass.freeze(pane.id, picture, new Float64Array(grabbed.shows));
      this.flush();
      this.changed();
    } finally {
      this.freezing.delete(pane.id);
    }
  }

  // ---- Starting ------------------------------------------------------------------------------

  /** Keys over panes that show nothing because this tab does not run them. */
  callFor() {
    const calls = this.beneath.panes.filter(
      (p) =>
        (p.kind === "camera" || p.kind === "share") &&
        !this.sources.has(p.id) &&
        p.frozen === null &&
        !this.beneath.holder(p.id).live,
    );
    // Made anew only when something is otherwise, so that a key that is being pressed stays.
    const now = JSON.stringify([
      this.beneath.css,
      this.beneath.origin,
      calls.map(({ id, name, room }) => [id, name, room]),
    ]);
    if (now === this.calledFor) return;
    this.calledFor = now;
    this.calls.replaceChildren(
      ...calls.map((pane) => {
        const card = document.createElement("div");
        card.className = "pane-call";
        const { css, origin } = this.beneath;
        const [x0, y0, x1, y1] = pane.room.map((v) => v * css);
        Object.assign(card.style, { left: `${(x0 + x1) / 2 + origin.x}px`, top: `${(y0 + y1) / 2 + origin.y}px` });
        const words = document.createElement("p");
        words.textContent = pane.kind === "camera" ? `${pane.name} is not running.` : "Nothing is being shared.";
        const key = document.createElement("button");
        key.className = "key lead";
        key.textContent = pane.kind === "camera" ? "Start it" : "Share a screen, window or tab…";
        key.addEventListener("click", () =>
          pane.kind === "camera" ? this.startCamera(pane.id, pane.simulated) : this.share(pane.id),
        );
        card.append(words, key);
        return card;
      }),
    );
  }

  /** @param {string} id @param {Source} source */
  run(id, source) {
    this.sources.get(id)?.stop();
    this.sources.set(id, source);
    source.element.addEventListener("resize", () => this.sized(id));
    this.sized(id);
    this.beneath.show();
    this.show();
    this.changed();
  }

  /** @param {string} id */
  sized(id) {
    const [width, height] = this.sources.get(id)?.size ?? [0, 0];
    if (!width || !height) return;
    this.glass.has_size(id, width, height);
    this.flush();
    this.beneath.show();
    this.changed();
  }

  /** Shows a camera's picture as it is turned. @param {string} id */
  turn(id) {
    const source = this.sources.get(id);
    if (!source) return;
    const { turn, mirror } = source.orientation;
    const [w, h] = source.size;
    const side = turn % 2;
    // The element is laid upright by its box; what it shows is turned within.
    source.element.style.transform = `${mirror ? "scaleX(-1) " : ""}rotate(${turn * 90}deg)${side ? ` scale(${h / w}, ${w / h})` : ""}`;
  }

  /**
   * @param {string} id @param {boolean} simulated
   * @param {{ deviceId?: string, height?: number }} [wanted]
   */
  async startCamera(id, simulated, wanted = {}) {
    try {
      const source = simulated
        ? drawn((await import("./bench_camera.js")).benchCamera(), "Simulated camera")
        : await startCamera(id, wanted);
      source.ended = () => this.lost(id, "The camera has stopped: it was unplugged, or another program took it.");
      this.run(id, source);
    } catch (e) {
      say(refusal(e, "camera"));
    }
  }

  /** @param {string} id */
  async share(id) {
    try {
      const source = await screen(this.mark);
      if (await this.isMirror(source)) {
        source.stop();
        throw new SharesItself();
      }
      source.ended = () => this.lost(id, "Sharing has ended. What it showed last stays; share again to go on.", true);
      source.stalls = (stalls) =>
        stalls &&
        say(
          "The shared window shows nothing new: perhaps it is minimised or on another desktop. Its last picture stays.",
        );
      // What it was held at when sharing ended is over, and what was said of that.
      hush();
      if (this.beneath.pane(id)?.frozen !== null) this.glass.thaw(id);
      this.run(id, source);
    } catch (e) {
      if (e instanceof SharesItself)
        return say(
          "This is the stage itself: shown on itself it would be a hall of mirrors. Choose another tab, a window or a screen.",
        );
      say(refusal(e, "screen"));
    }
  }

  /**
   * Whether what is shared is this stage: its empty pane changes its grey, and what is shared keeps
   * step.
   * @param {Source} source
   */
  async isMirror(source) {
    const [across, down] = [16, 9];
    const canvas = new OffscreenCanvas(across, down);
    const context = canvas.getContext("2d", { willReadFrequently: true });
    if (!context) return false;
    const pictures = [];
    const veil = document.createElement("div");
    veil.className = "veil";
    this.calls.prepend(veil);
    for (const grey of this.glass.mirror_greys()) {
      veil.style.background = `rgb(${grey} ${grey} ${grey})`;
      await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 90)));
      context.drawImage(source.element, 0, 0, across, down);
      const { data } = context.getImageData(0, 0, across, down);
      for (let i = 0; i < data.length; i += 4) pictures.push((data[i] + data[i + 1] + data[i + 2]) / 3);
    }
    veil.remove();
    return this.glass.is_mirror(new Float64Array(pictures), across * down);
  }

  /**
   * A source is gone; its last picture stays if that is asked for.
   * @param {string} id @param {string} why @param {boolean} [keep]
   */
  async lost(id, why, keep) {
    const pane = this.beneath.pane(id);
    if (keep && pane && pane.frozen === null) await this.freeze(pane);
    this.stop(id);
    say(why);
  }

  /** @param {string} id */
  stop(id) {
    this.senders.get(id)?.stop();
    this.senders.delete(id);
    this.sources.get(id)?.stop();
    this.sources.delete(id);
    const holder = this.beneath.holder(id);
    delete holder.wrap.dataset.runs;
    holder.setLive(null);
    this.show();
    this.changed();
  }

  // ---- The browser's picture of this tab -------------------------------------------------------

  /**
   * Asks for it, with a sentence why; `true` once it is allowed.
   * @param {string} why
   * @returns {Promise<boolean>}
   */
  ask(why) {
    if (this.tab) return Promise.resolve(true);
    if (!canShowTab()) {
      this.notNow = true;
      say(
        "This browser cannot give a picture of one part of a tab, so web pages cannot be shown to participants, frozen, captured or recorded here. Chrome and Edge can, on secure addresses.",
      );
      return Promise.resolve(false);
    }
    el("tab-why").textContent = why;
    el("tab-ask").hidden = false;
    return new Promise((resolve) => this.waiting.push(resolve));
  }

  async allow() {
    try {
      const tab = await ownTab(this.beneath.host);
      tab.ended = () => {
        this.tab = null;
        this.notNow = true;
        this.send();
        say("The browser no longer gives the picture of this tab: participants do not see the page any more.");
      };
      this.tab = tab;
      this.notNow = false;
      this.answer(true);
      this.send();
    } catch (e) {
      this.answer(false);
      say(
        e instanceof SharesItself
          ? "Something else than this tab was chosen. Choose this tab, so that participants see the page."
          : refusal(e, "picture of this tab"),
      );
    }
  }

  /** @param {boolean} allowed */
  answer(allowed) {
    if (!allowed) this.notNow = true;
    this.dismiss(allowed);
  }

  /** @param {boolean} allowed */
  dismiss(allowed) {
    el("tab-ask").hidden = true;
    for (const resolve of this.waiting.splice(0)) resolve(allowed);
  }
}

/** @param {HTMLCanvasElement} canvas @returns {Promise<Blob>} */
const lossless = (canvas) =>
  new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("no picture"))), "image/png"),
  );

/** Until a video shows a picture that was taken after now, or a moment has shown that nothing moves. @param {HTMLElement} element */
function nextFrame(element) {
  return new Promise((/** @type {(v?: unknown) => void} */ resolve) => {
    const timer = setTimeout(resolve, 250);
    if (element instanceof HTMLVideoElement) element.requestVideoFrameCallback(() => (clearTimeout(timer), resolve()));
  });
}
