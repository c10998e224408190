// @ts-check
// What lies beneath the marks: an element of the page for each backdrop that is on stage, and for
// those that go on running behind it.

/** @import { Glass, PaneShown as Pane } from "../../glass/glass.js" */

/** A web page that has left the stage goes on running as long as no more than this many have. */
const RUNNING = 4;

/** How long a cover has to lie still before another picture is fetched, in milliseconds. */
const PULLED = 120;
/** When a picture is asked for again that could not be had, in milliseconds. */
const AGAIN = 1000;

/**
 * An element of a backdrop on stage, where it lies and the room it is seen in, in glass units; `page` differs when
 * the page or how it lies does.
 * @typedef {{ id: string, kind: string, element: Element, lies: number[], room: number[], page: string }} Shown
 */

/** One backdrop's elements: what it shows by itself, and over that the picture that it is held at. */
class Holder {
  /** @param {string} id */
  constructor(id) {
    this.id = id;
    this.wrap = document.createElement("div");
    this.wrap.className = "pane";
    this.wrap.dataset.backdrop = id;
    /** @type {HTMLElement | null} */
    this.live = null;
    /** The part of the backdrop that the live element shows, when that is not all. @type {number[] | null} */
    this.shows = null;
    /** @type {HTMLElement | null} */
    this.held = null;
    this.heldName = "";
    /** The enlarged part of a document's page. @type {HTMLImageElement | null} */
    this.part = null;
    /** Where it lies, and where the whole page lay then. @type {{ lies: number[], page: string }} */
    this.partAt = { lies: [], page: "" };
    /** The address of a picture that is to come, in which something else is covered. */
    this.awaited = "";
    this.used = 0;
    /** It came on stage while the line was down. */
    this.offline = false;
  }

  /** @param {HTMLElement | null} element */
  setLive(element) {
    if (this.live === element) return;
    this.live?.remove();
    this.live = element;
    if (element) this.wrap.prepend(element);
  }

  /** @param {HTMLElement | null} element @param {string} name */
  setHeld(element, name) {
    this.held?.remove();
    this.held = element;
    this.heldName = name;
    if (element) this.wrap.append(element);
    if (this.live) this.live.style.visibility = element ? "hidden" : "";
  }
}

export class Beneath {
  /**
   * @param {{ glass: Glass, host: HTMLElement, base: string, runs: boolean, changed: () => void }} stage
   *   `base` is where backdrops are found; `runs` whether this page runs web pages and cameras itself
   */
  constructor({ glass, host, base, runs, changed }) {
    this.glass = glass;
    this.host = host;
    this.base = base;
    this.runs = runs;
    this.changed = changed;
    /** @type {Map<string, Holder>} */
    this.holders = new Map();
    /** @type {Pane[]} */
    this.panes = [];
    this.css = 1;
    this.origin = { x: 0, y: 0 };
    this.uses = 0;
    this.lineUp = true;
    /** @type {number | undefined} */
    this.finer = undefined;
  }

  /** What is on stage, and as it is seen. */
  show() {
    this.panes = this.glass.panes_shown();
    for (const pane of this.panes) this.fill(this.holder(pane.id), pane);
    this.place();
    this.tidy();
  }

  /** @param {string} id */
  holder(id) {
    let holder = this.holders.get(id);
    if (!holder) {
      holder = new Holder(id);
      holder.offline = !this.lineUp;
      this.holders.set(id, holder);
      this.host.append(holder.wrap);
    }
    return holder;
  }

  /**
   * The line is up, or down. Once it is back, what could not come meanwhile is asked for again; a frame
   * does not say whether its page has come.
   * @param {boolean} up
   */
  line(up) {
    this.lineUp = up;
    if (!up) return;
    for (const holder of this.holders.values()) {
      const { live, offline } = holder;
      const failed =
        live instanceof HTMLImageElement
          ? live.complete && live.naturalWidth === 0
          : live instanceof HTMLVideoElement && live.error;
      if (failed || (offline && live instanceof HTMLIFrameElement)) holder.setLive(null);
      holder.offline = false;
    }
    this.show();
  }

  /** @param {string} id */
  pane(id) {
    return this.panes.find((p) => p.id === id) ?? null;
  }

  /** The pane that the hand was on last. */
  get active() {
    return this.panes.find((p) => p.active) ?? this.panes[0] ?? null;
  }

  /**
   * @param {Holder} holder
   * @param {Pane} pane
   */
  fill(holder, pane) {
    holder.used = ++this.uses;
    holder.wrap.dataset.kind = pane.kind;
    const at = `${this.base}/backdrops/${pane.id}`;
    // Participants get pictures out of which is cut what is covered, and of a film nothing meanwhile.
    const cover = this.coverOf(pane);
    if (pane.kind === "picture") this.picture(holder, `${at}/picture${cover && `?cover=${cover}`}`);
    if (pane.kind === "document") this.page(holder, pane);
    if (pane.kind === "video" && cover) holder.setLive(null);
    else if (pane.kind === "video" && !holder.live) holder.setLive(video(`${at}/video`, () => this.changed()));
    if (pane.kind === "page" && this.runs && !holder.live) holder.setLive(frame(pane, this.sourceOf(pane)));
    const held = this.heldOf(pane);
    if (held === null && holder.heldName !== "") {
      holder.setHeld(null, "");
    } else if (held !== null && holder.heldName !== held) {
      this.hold(holder, held);
    }
  }

  /** What is covered of a picture that comes from the server; the stage has it whole. @param {Pane} pane */
  coverOf(pane) {
    return (!this.runs && pane.cover) || "";
  }

  /** The address of the picture that a backdrop is held at. @param {Pane | null} pane */
  heldOf(pane) {
    if (!pane || pane.frozen === null) return null;
    const cover = this.coverOf(pane);
    return pane.frozen + (cover && `?cover=${cover}`);
  }

  /**
   * Where a page of a document is found: whole, so many pixels wide, or a part of that.
   * @param {Pane} pane
   * @param {{ width: number, x?: number, y?: number, w?: number, h?: number }} part
   */
  pageAddress(pane, { width, x, y, w, h }) {
    const part = w === undefined ? "" : `&x=${x}&y=${y}&w=${w}&h=${h}`;
    const cover = this.coverOf(pane);
    return `${this.base}/backdrops/${pane.id}/pages/${pane.page}?width=${width}${part}${cover && `&cover=${cover}`}`;
  }

  /** @param {Holder} holder @param {string} address */
  picture(holder, address) {
    let image = /** @type {HTMLImageElement | null} */ (holder.live);
    const shown = image?.getAttribute("src") ?? "";
    if (image && shown !== address && (shown + address).includes("cover=")) return this.recover(holder, address);
    if (!image) {
      image = new Image();
      image.alt = "";
      image.draggable = false;
      image.addEventListener("load", () => this.changed());
      holder.setLive(image);
    }
    if (image.getAttribute("src") !== address) image.src = address;
  }

  /**
   * Something else is covered: what is shown stays until the other picture is here. While the cover is pulled
   * none is fetched.
   * @param {Holder} holder @param {string} address
   */
  recover(holder, address) {
    if (holder.awaited === address) return;
    holder.awaited = address;
    setTimeout(() => {
      if (holder.awaited !== address) return;
      const image = new Image();
      image.alt = "";
      image.draggable = false;
      image.addEventListener("load", () => {
        if (holder.awaited !== address) return;
        holder.awaited = "";
        holder.setLive(image);
        this.place();
        this.changed();
      });
      image.addEventListener("error", () => {
        if (holder.awaited !== address) return;
        // Something else was covered at that moment, or the line is down: what is wanted then is asked for again.
        holder.awaited = "";
        setTimeout(() => this.show(), AGAIN);
      });
      image.src = address;
    }, PULLED);
  }

  /**
   * A document's page: whole, and once it is enlarged and rests, the part that is seen.
   * @param {Holder} holder @param {Pane} pane
   */
  page(holder, pane) {
    const parts = this.glass.page_parts(pane.id, devicePixelRatio);
    if (!parts) return;
    const { whole } = parts;
    const base = `${this.base}/backdrops/${pane.id}/pages/${pane.page}`;
    const known = /** @type {HTMLImageElement | null} */ (holder.live)?.getAttribute("src") ?? "";
    const [page, asked] = known.split("?");
    const had = new URLSearchParams(asked);
    // A page that is here in more pixels than are needed stays.
    const width = page === base ? Math.max(Number(had.get("width")), whole) : whole;
    const address = this.pageAddress(pane, { width });
    if (known !== address) this.picture(holder, address);
    if (page !== base) holder.part?.remove();
    clearTimeout(this.finer);
    this.finer = window.setTimeout(() => this.enlarge(), 120);
  }

  enlarge() {
    for (const pane of this.panes.filter((p) => p.kind === "document")) {
      const holder = this.holder(pane.id);
      const part = this.glass.page_parts(pane.id, devicePixelRatio)?.part;
      if (!part) {
        holder.part?.remove();
        holder.part = null;
        continue;
      }
      const { lies } = part;
      const src = this.pageAddress(pane, part);
      holder.partAt = { lies, page: pane.lies.join() };
      if (holder.part?.getAttribute("src") === src) {
        if (holder.part.isConnected) this.lay(holder.part, lies, pane.room);
        continue;
      }
      const image = new Image();
      image.alt = "";
      image.className = "part";
      image.addEventListener("load", () => {
        if (this.holder(pane.id).part !== image) return;
        holder.wrap.append(image);
        this.place();
      });
      holder.part?.remove();
      holder.part = image;
      image.src = src;
    }
  }

  /**
   * Shows the picture that a backdrop is held at.
   * @param {Holder} holder @param {string} name
   */
  hold(holder, name) {
    const image = new Image();
    image.alt = "";
    image.addEventListener("load", () => {
      // What was held here before the server had it stays until this is ready.
      if (this.heldOf(this.pane(holder.id)) !== name) return;
      holder.setHeld(image, name);
      this.place();
      this.changed();
    });
    image.src = `${this.base}/placed/${name}`;
    if (!holder.held) holder.setHeld(image, name);
    else holder.heldName = name;
  }

  /** Where things lie: `css` CSS pixels to a glass unit, the glass's corner at `x`, `y`.
   * @param {number} css @param {number} x @param {number} y */
  lie(css, x, y) {
    this.css = css;
    this.origin = { x, y };
    this.show();
  }

  place() {
    for (const holder of this.holders.values()) {
      const pane = this.pane(holder.id);
      holder.wrap.classList.toggle("away", !pane);
      holder.wrap.classList.toggle("active", !!pane?.active && this.panes.length > 1);
      if (!pane) continue;
      const { css, origin } = this;
      const [x0, y0, x1, y1] = pane.room.map((v) => v * css);
      Object.assign(holder.wrap.style, {
        left: `${x0 + origin.x}px`,
        top: `${y0 + origin.y}px`,
        width: `${x1 - x0}px`,
        height: `${y1 - y0}px`,
      });
      if (holder.live instanceof HTMLIFrameElement) this.layFrame(holder.live, pane);
      else if (holder.live) {
        this.lay(holder.live, this.liesOf(holder, pane), pane.room);
      }
      if (holder.held) this.lay(holder.held, pane.lies, pane.room);
      if (holder.part?.isConnected) {
        const { lies, page } = holder.partAt;
        if (page === pane.lies.join()) this.lay(holder.part, lies, pane.room);
        else holder.part.classList.add("old");
      }
    }
  }

  /** Where the live element of a backdrop lies. @param {Holder} holder @param {Pane} pane */
  liesOf(holder, pane) {
    return holder.shows ? this.glass.lies(pane.id, new Float64Array(holder.shows)) : this.wholeOf(pane);
  }

  /** What is seen of the backdrops on stage that have an element. @returns {Shown[]} */
  shown() {
    /** @type {Shown[]} */
    const all = [];
    for (const pane of this.panes) {
      const { id, kind, room } = pane;
      const holder = this.holder(id);
      const [element, lies] = holder.held ? [holder.held, pane.lies] : [holder.live, this.liesOf(holder, pane)];
      if (element) all.push({ id, kind, element, lies: [...lies], room, page: `${pane.page} ${pane.lies}` });
    }
    return all;
  }

  /** Where all of a backdrop lies, also while a part of it is held. @param {Pane} pane */
  wholeOf(pane) {
    if (pane.frozen === null) return pane.lies;
    return this.glass.lies(pane.id, new Float64Array([0, 0, pane.window[0], pane.window[1]]));
  }

  /** @param {HTMLElement} element @param {ArrayLike<number>} lies @param {number[]} room */
  lay(element, lies, room) {
    const { css } = this;
    const style = element.style;
    style.left = `${(lies[0] - room[0]) * css}px`;
    style.top = `${(lies[1] - room[1]) * css}px`;
    style.width = `${(lies[2] - lies[0]) * css}px`;
    style.height = `${(lies[3] - lies[1]) * css}px`;
    element.classList.remove("old");
  }

  /**
   * A web page is laid out for its pane and enlarged as a whole, so that everybody's is alike.
   * @param {HTMLIFrameElement} element @param {Pane} pane
   */
  layFrame(element, pane) {
    const [width, height] = pane.window;
    const scale = pane.scale * this.css;
    const at = this.glass.lies(
      pane.id,
      new Float64Array([pane.scroll[0], pane.scroll[1], pane.scroll[0] + width, pane.scroll[1] + height]),
    );
    Object.assign(element.style, {
      width: `${width}px`,
      height: `${height}px`,
      transformOrigin: "0 0",
      transform: `translate(${(at[0] - pane.room[0]) * this.css}px, ${(at[1] - pane.room[1]) * this.css}px) scale(${scale})`,
    });
  }

  /** Where a web page is loaded from: its files have a key, which each loading asks for anew. @param {Pane} pane */
  sourceOf({ id, served }) {
    const at = `${this.base}/backdrops/${id}`;
    return served ? `${at}/frame/${served.split("/").map(encodeURIComponent).join("/")}` : `${at}/address`;
  }

  /** Backdrops that were left long ago let go what they hold in memory. */
  tidy() {
    const away = [...this.holders.values()].filter((h) => !this.pane(h.id)).sort((a, b) => b.used - a.used);
    for (const holder of away.slice(RUNNING)) {
      if (holder.wrap.dataset.runs) continue;
      holder.wrap.remove();
      this.holders.delete(holder.id);
    }
  }

  /**
   * What the backdrop in use looks like; empty for a drawn one, a page, or one that is not here yet. All of
   * it, or the picture that it is held at.
   * @param {number} most how wide, in pixels, and how high at the most
   * @param {number} [high] exactly as high instead
   * @returns {{ data: Uint8Array, width: number, height: number }}
   */
  pixels(most, high) {
    const holder = this.active && this.holders.get(this.active.id);
    const shown = holder?.held ?? holder?.live;
    const nothing = { data: new Uint8Array(), width: 0, height: 0 };
    if (!shown || !drawable(shown)) return nothing;
    const [w, h] = sizeOf(shown);
    const by = Math.min(most / w, most / h, 1);
    const [width, height] = high ? [most, high] : [w * by, h * by].map((v) => Math.max(1, Math.round(v)));
    const context = new OffscreenCanvas(width, height).getContext("2d", { willReadFrequently: true });
    if (!context) return nothing;
    // Pictures lie on white, as on paper.
    if (!high) {
      context.fillStyle = "#fff";
      context.fillRect(0, 0, width, height);
    }
    context.drawImage(shown, 0, 0, width, height);
    return { data: new Uint8Array(context.getImageData(0, 0, width, height).data.buffer), width, height };
  }
}

/**
 * Whether an element has a picture that can be drawn just now.
 * @param {Element} element
 * @returns {element is HTMLImageElement | HTMLVideoElement | HTMLCanvasElement}
 */
export function drawable(element) {
  if (element instanceof HTMLImageElement) return element.complete && element.naturalWidth > 0;
  if (element instanceof HTMLVideoElement) return element.readyState >= 2 && element.videoWidth > 0;
  return element instanceof HTMLCanvasElement && element.width > 0;
}

/** @param {HTMLImageElement | HTMLVideoElement | HTMLCanvasElement} element in its own pixels */
function sizeOf(element) {
  if (element instanceof HTMLImageElement) return [element.naturalWidth, element.naturalHeight];
  if (element instanceof HTMLVideoElement) return [element.videoWidth, element.videoHeight];
  return [element.width, element.height];
}

/** @param {string} src @param {() => void} loaded */
function video(src, loaded) {
  const video = document.createElement("video");
  video.playsInline = true;
  video.preload = "auto";
  video.disablePictureInPicture = true;
  video.addEventListener("loadeddata", loaded);
  video.src = src;
  return video;
}

/**
 * A web page in a frame without an origin. One of elsewhere is in a frame of its own in there.
 * @param {Pane} pane @param {string} source
 */
function frame(pane, source) {
  const frame = document.createElement("iframe");
  frame.title = pane.name;
  if (pane.served) frame.setAttribute("sandbox", "allow-scripts allow-forms allow-pointer-lock");
  frame.referrerPolicy = "no-referrer";
  frame.src = source;
  return frame;
}
