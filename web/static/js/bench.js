// @ts-check
// The bench: one capture is cut anew, hidden in part, made upright. What it comes to is the server's to make; each
// change is sent at once, and how it was before is a version.

import init, { Bench } from "../glass/cut.js";
import { BoxWay } from "./capture/box_way.js";
import { Loupe } from "./capture/loupe.js";
import { el, input, place, select } from "./page.js";

/** @import { Corner } from "./capture/loupe.js" */
/** @typedef {"cut" | "hide" | "flatten"} Mode */

const HINTS = {
  cut: "Move the box by its sides and corners, or draw another",
  hide: "Draw a box over what nobody is to see, or tap a figure",
  flatten: "Move the four corners to those of the sheet",
};

class BenchPage {
  /** @param {HTMLElement} at @param {HTMLImageElement} whole */
  constructor(at, whole) {
    this.at = at.dataset.at ?? "";
    this.picture = el("bench-picture");
    this.sheet = el("box-sheet");
    this.whole = whole;
    this.bench = new Bench(this.said());
    this.bench.resize(this.size.width);
    this.cutter = this.bench.cutter();
    /** Its pixels. */
    this.pixels = new OffscreenCanvas(whole.naturalWidth, whole.naturalHeight);
    this.pixels.getContext("2d", { willReadFrequently: true })?.drawImage(whole, 0, 0);
    this.loupe = new Loupe("#14181d");
    /** @type {Mode} */
    this.mode = "cut";
    /** The hidden part that is adjusted; -1 when the next box is a new one. */
    this.part = -1;
    /** @type {number | null} */
    this.pointer = null;
    /** What is being sent, and whether there is something newer. */
    this.sending = false;
    this.newer = false;
    this.box = new BoxWay({
      cutter: () => this.cutter,
      sight: {
        look: () => {},
        showLoupe: (/** @type {Corner | null} */ corner) => this.loupe.show(corner, [this.pixels], this.size),
      },
      changed: () => this.changed(),
    });
    this.sheet.hidden = false;
    this.sheet.dataset.way = "box";
    this.look();
    this.listen();
    this.open("cut");
    new ResizeObserver(() => this.resized()).observe(this.picture);
  }

  get size() {
    const { width, height } = this.picture.getBoundingClientRect();
    return { width, height };
  }

  /** What the server says of the capture. */
  said() {
    return el("bench-side").querySelector("[data-said]")?.getAttribute("data-said") ?? "";
  }

  rgba() {
    const { width, height } = this.pixels;
    const data = this.pixels.getContext("2d")?.getImageData(0, 0, width, height).data;
    return { rgba: new Uint8Array(data?.buffer ?? new ArrayBuffer(0)), width, height };
  }

  look() {
    const { rgba, width, height } = this.rgba();
    this.cutter.look_for_edges(rgba, width, height);
  }

  resized() {
    const scale = this.size.width;
    if (!scale) return;
    this.bench.resize(scale);
    this.cutter.free();
    this.cutter = this.bench.cutter();
    this.look();
    this.show();
  }

  listen() {
    for (const key of document.querySelectorAll("[data-mode]"))
      key.addEventListener("click", () =>
        this.open(/** @type {Mode} */ (/** @type {HTMLElement} */ (key).dataset.mode)),
      );
    el("bench-turn").addEventListener("click", () => {
      this.bench.turn();
      this.send();
    });
    el("show-again").addEventListener("click", () => {
      this.bench.show_again(this.part);
      this.choose(-1);
      this.send();
    });
    select("hide-how").addEventListener("change", () => {
      const area = this.bench.hidden_box(this.part);
      if (area.length === 0) return;
      this.bench.set_hidden(this.part, area, select("hide-how").value);
      this.warn();
      this.send();
    });
    el("flatten-find").addEventListener("click", () => this.findCorners());
    el("flatten-not").addEventListener("click", () => {
      this.bench.leave_as_seen();
      this.open("cut");
      this.send();
    });
    input("flatten-clean").addEventListener("change", () => {
      this.bench.set_clean(input("flatten-clean").checked);
      this.send();
    });
    // By key: a hand presses the sheet above them.
    el("hidden-parts").addEventListener("click", (e) => {
      const part = /** @type {HTMLElement} */ (e.target).dataset.part;
      if (part) this.choose(Number(part));
    });
    el("bench-side").addEventListener("change", (e) => {
      const tick = /** @type {HTMLInputElement} */ (e.target);
      if (!tick.dataset.part) return;
      this.bench.set_part(tick.dataset.part, tick.checked);
      this.send();
    });
    // The server has made it anew in another way: an older version.
    document.body.addEventListener("htmx:afterSwap", (e) => e.target === el("bench-side") && this.read());
    this.sheet.addEventListener("pointerdown", (e) => this.down(e));
    this.sheet.addEventListener("pointermove", (e) => this.pointer !== null && this.box.move(e, ...this.place(e)));
    for (const end of /** @type {const} */ (["pointerup", "pointercancel"]))
      this.sheet.addEventListener(end, (e) => this.up(e));
    for (const corner of el("sheet-corners").querySelectorAll("button")) this.listenToCorner(corner);
    addEventListener("keydown", (e) => this.key(e));
  }

  /** @param {HTMLButtonElement} corner */
  listenToCorner(corner) {
    const number = Number(corner.dataset.corner);
    corner.addEventListener("pointerdown", (e) => {
      e.preventDefault();
      corner.focus();
      corner.setPointerCapture(e.pointerId);
    });
    corner.addEventListener("pointermove", (e) => {
      if (!corner.hasPointerCapture(e.pointerId)) return;
      const [x, y] = this.place(e);
      this.moveCorner(number, x, y);
      this.loupe.show({ x, y, right: number === 1 || number === 2, low: number > 1 }, [this.pixels], this.size);
    });
    corner.addEventListener("lostpointercapture", () => {
      this.loupe.show(null, [], this.size);
      this.sendCorners();
    });
    corner.addEventListener("keydown", (e) => {
      const [dx, dy] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key] ?? [0, 0];
      if (!dx && !dy) return;
      e.preventDefault();
      const far = e.shiftKey ? 10 : 1;
      const corners = this.bench.corners();
      this.moveCorner(number, corners[2 * number] + dx * far, corners[2 * number + 1] + dy * far);
      this.sendCorners();
    });
  }

  /** @param {number} number @param {number} x @param {number} y */
  moveCorner(number, x, y) {
    this.bench.set_corner(number, x, y);
    this.showCorners();
  }

  sendCorners() {
    if (this.bench.can_flatten()) this.send();
    else this.hint("These four corners do not go round a sheet. Move them to its corners.");
  }

  findCorners() {
    const { rgba, width, height } = this.rgba();
    const found = this.bench.flatten(rgba, width, height);
    this.showCorners();
    this.hint(
      found
        ? "The corners were found; move them if they lie wrong"
        : "No clear corners were found: move these to the sheet's",
    );
    if (found) this.send();
  }

  /** @param {Mode} mode */
  open(mode) {
    this.mode = mode;
    for (const key of document.querySelectorAll("[data-mode]"))
      key.setAttribute("aria-pressed", `${/** @type {HTMLElement} */ (key).dataset.mode === mode}`);
    this.hint(HINTS[mode]);
    this.part = -1;
    this.box.area = mode === "cut" && this.bench.corners().length === 0 ? this.bench.box_now() : null;
    if (mode === "flatten" && this.bench.corners().length === 0) this.findCorners();
    this.show();
  }

  /** Takes hold of a hidden part, or of none. @param {number} part */
  choose(part) {
    if (this.mode !== "hide") this.open("hide");
    this.part = part;
    const area = this.bench.hidden_box(part);
    this.box.area = area.length ? area : null;
    if (this.box.area) select("hide-how").value = this.bench.hidden_how(part);
    this.show();
  }

  /** The box is another one, by hand, by key or by number. */
  changed() {
    // While a hand pulls it, it is not yet what is meant.
    if (this.pointer === null) this.take();
    this.showSet();
  }

  /** What the box is for happens. */
  take() {
    const { area } = this.box;
    if (!area || area[2] - area[0] < 1 || area[3] - area[1] < 1) return;
    if (this.mode === "cut") this.bench.recut(area);
    else if (this.part >= 0) this.bench.set_hidden(this.part, area, select("hide-how").value);
    else {
      this.bench.hide(area, select("hide-how").value);
      this.part = this.bench.hidden() - 1;
    }
    this.showHidden();
    this.warn();
    this.send();
  }

  /** Says so when there is writing beneath a part that is not filled. */
  warn() {
    if (this.mode !== "hide" || this.part < 0) return;
    const { rgba, width, height } = this.rgba();
    const risky = this.bench.hidden_how(this.part) !== "fill" && this.bench.has_writing(this.part, rgba, width, height);
    this.hint(risky ? "There is writing beneath: Fill hides it for certain" : HINTS.hide);
  }

  /** @param {PointerEvent} e */
  place(e) {
    const { left, top } = this.picture.getBoundingClientRect();
    return /** @type {const} */ ([e.clientX - left, e.clientY - top]);
  }

  /** @param {PointerEvent} e */
  down(e) {
    if (e.button !== 0 || this.pointer !== null || this.mode === "flatten") return;
    e.preventDefault();
    const target = /** @type {HTMLElement} */ (e.target);
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    if (this.mode === "hide" && target !== this.box.box && !target.dataset.grip) {
      // What is pressed beside the part in hand is another part, or the beginning of a new one. The parts lie beneath
      // the sheet, which has the press.
      const part = this.partAt(e.clientX, e.clientY);
      if (part >= 0) return this.choose(part);
      this.part = -1;
      this.box.area = null;
    }
    this.sheet.setPointerCapture(e.pointerId);
    this.pointer = e.pointerId;
    this.box.down(e, ...this.place(e));
  }

  /** The hidden part at a place of the window; -1 for none. @param {number} x @param {number} y */
  partAt(x, y) {
    const under = document.elementsFromPoint(x, y).find((e) => e instanceof HTMLElement && e.dataset.part);
    return under instanceof HTMLElement ? Number(under.dataset.part) : -1;
  }

  /** @param {PointerEvent} e */
  up(e) {
    if (this.pointer !== e.pointerId) return;
    this.box.up(e, ...this.place(e));
    this.pointer = null;
    this.changed();
  }

  /** @param {KeyboardEvent} e */
  key(e) {
    const on = document.activeElement;
    if (on instanceof HTMLElement && on.closest("input, select, button, a, [data-corner], dialog")) return;
    if (this.mode === "flatten") return;
    if (e.key === "Delete" && this.part >= 0) el("show-again").click();
    else if (e.key === "Escape" && this.mode === "hide") this.choose(-1);
    else if (!this.box.key(e)) return;
    e.preventDefault();
  }

  /** @param {string} text */
  hint(text) {
    el("bench-hint").textContent = text;
  }

  show() {
    this.box.show();
    this.showSet();
    this.showHidden();
    this.showCorners();
  }

  showSet() {
    this.sheet.classList.toggle("has-box", this.box.ready || this.mode === "hide");
    this.sheet.classList.toggle("hides", this.mode === "hide");
    this.sheet.hidden = this.mode === "flatten";
    el("hide-set").hidden = this.mode !== "hide";
    el("show-again").hidden = this.part < 0;
    el("flatten-set").hidden = this.mode !== "flatten";
    el("box-last").hidden = true;
    el("box-set").hidden = this.mode !== "cut" || !this.box.ready;
  }

  /** The parts that are hidden, over the whole picture. */
  showHidden() {
    const parts = Array.from({ length: this.bench.hidden() }, (_, n) => {
      const [x0, y0, x1, y1] = this.bench.hidden_box(n);
      const part = document.createElement("button");
      part.dataset.part = `${n}`;
      part.className = n === this.part ? "chosen" : "";
      part.setAttribute("aria-label", `Hidden part ${n + 1}, by ${this.bench.hidden_how(n)}`);
      place(part, [x0, y0, x1 - x0, y1 - y0]);
      return part;
    });
    el("hidden-parts").replaceChildren(...parts);
  }

  showCorners() {
    const corners = this.bench.corners();
    const shown = this.mode === "flatten" && corners.length === 8;
    el("sheet-corners").hidden = !shown;
    const lines = /** @type {SVGElement} */ (/** @type {Element} */ (document.getElementById("sheet-lines")));
    lines.toggleAttribute("hidden", !shown);
    input("flatten-clean").checked = this.bench.clean();
    if (!shown) return;
    const at = [0, 1, 2, 3].map((n) => [corners[2 * n], corners[2 * n + 1]]);
    const d = `M${at.map(([x, y]) => `${x} ${y}`).join("L")}Z`;
    for (const path of lines.querySelectorAll("path")) path.setAttribute("d", d);
    for (const [n, corner] of [...el("sheet-corners").querySelectorAll("button")].entries())
      Object.assign(corner.style, { left: `${at[n][0]}px`, top: `${at[n][1]}px` });
  }

  /** Sends what is wanted now; of several changes that come meanwhile only the last one. */
  async send() {
    if (this.sending) {
      this.newer = true;
      return;
    }
    this.sending = true;
    el("bench-side").setAttribute("aria-busy", "true");
    do {
      this.newer = false;
      await this.post();
    } while (this.newer);
    this.sending = false;
    el("bench-side").removeAttribute("aria-busy");
  }

  async post() {
    const headers = { "content-type": "application/json" };
    try {
      const response = await fetch(`${this.at}/cut`, { method: "POST", body: this.bench.json(), headers });
      if (!response.ok) {
        this.hint(response.headers.get("x-bozzetto-says") ?? "That did not work.");
        return;
      }
      const side = el("bench-side");
      side.innerHTML = await response.text();
      /** @type {{ htmx?: { process: (element: Element) => void } }} */ (window).htmx?.process(side);
      document.body.dispatchEvent(new Event("remade"));
    } catch {
      this.hint("The line to the server is down. It is kept here; change something when it is back.");
    }
  }

  /** Takes over what the server has. */
  read() {
    const said = this.said();
    document.body.dispatchEvent(new Event("remade"));
    // It stays as it is from now on: there is nothing to work on.
    if (!said) return location.reload();
    this.bench.free();
    this.bench = new Bench(said);
    this.bench.resize(this.size.width);
    this.open(this.mode === "flatten" && this.bench.corners().length === 0 ? "cut" : this.mode);
  }
}

const at = document.getElementById("bench");
const whole = document.getElementById("whole");
if (at && whole instanceof HTMLImageElement) {
  await Promise.all([init(), whole.decode()]);
  new BenchPage(at, whole);
  document.body.classList.add("ready");
}
// A page that was put aside by the browser does not know what was marked meanwhile.
addEventListener("pageshow", (e) => e.persisted && location.reload());
