// @ts-check
// Capturing: the ways stand in the row, and the sheet over the picture belongs to the one that is chosen.

import { button, el, select } from "../page.js";
import { AreaWay } from "./area_way.js";
import { BoxWay } from "./box_way.js";
import { OutlineWay } from "./outline_way.js";
import { Sight } from "./sight.js";
import { Timed } from "./timed.js";

/** @import { Cutter } from "../../glass/cut.js" */
/** @import { Glass, InitOutput } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Layers } from "../picture/layers.js" */

/** @typedef {"box" | "outline" | "pane" | "stage" | "whole"} WayName */
/**
 * One way of taking a capture. Places are in CSS pixels of the picture area.
 * @typedef {object} Way
 * @property {string} hint what to do first
 * @property {boolean} ready whether there is something to take
 * @property {() => void} open
 * @property {() => void} close
 * @property {(e: PointerEvent, x: number, y: number) => void} down
 * @property {(e: PointerEvent, x: number, y: number) => void} move
 * @property {(e: PointerEvent, x: number, y: number) => boolean} up whether this takes it
 * @property {(e: KeyboardEvent) => boolean} key whether it meant something
 * @property {() => string[]} requests what the server has to know, for each capture
 */

export class Capture {
  /**
   * @param {{ glass: Glass, wasm: InitOutput, beneath: Beneath, layers: Layers,
   *   size: () => { left: number, top: number, width: number, height: number },
   *   take: (requests: string[]) => Promise<boolean>, opened: (open: boolean) => void }} stage
   */
  constructor({ glass, wasm, beneath, layers, size, take, opened }) {
    this.glass = glass;
    this.size = size;
    this.take = take;
    this.opened = opened;
    this.sheet = el("box-sheet");
    /** What boxes are drawn with, as the stage was when this was opened; `null` until its module has come.
     * @type {Cutter | null} */
    this.cutter = null;
    /** @type {typeof import("../../glass/cut.js") | null} */
    this.module = null;
    /** @type {Promise<void> | undefined} */
    this.fetching = undefined;
    (window.requestIdleCallback ?? ((f) => setTimeout(f, 2000)))(() => this.fetch());
    const cutter = () => this.cutter;
    this.timed = new Timed((requests) =>
      this.take(requests.map((r) => JSON.stringify({ ...JSON.parse(r), stage: JSON.parse(glass.stage_asked()) }))),
    );
    this.sight = new Sight({ glass, wasm, beneath, layers, cutter, size });
    const shared = { glass, sight: this.sight, sheet: this.sheet, changed: () => this.show() };
    const asked = (/** @type {Float64Array} */ area) => glass.box_request(area, "box", devicePixelRatio);
    const drawn = () => el("capture-take").focus({ preventScroll: true });
    this.box = new BoxWay({ ...shared, cutter, asked, drawn });
    /** @type {Record<WayName, Way>} */
    this.ways = {
      box: this.box,
      outline: new OutlineWay(shared),
      pane: new AreaWay(shared, "pane"),
      stage: new AreaWay(shared, "stage"),
      whole: new AreaWay(shared, "whole"),
    };
    /** The way that was used last. @type {WayName} */
    this.name = "box";
    /** The pointer that is down. @type {number | null} */
    this.pointer = null;
    this.sheet.addEventListener("pointerdown", (e) => this.down(e));
    this.sheet.addEventListener("pointermove", (e) => this.move(e));
    this.sheet.addEventListener("pointerup", (e) => this.up(e));
    this.sheet.addEventListener("pointercancel", (e) => this.up(e));
    el("capture-take").addEventListener("click", () => this.finish());
    el("capture-leave").addEventListener("click", () => this.close());
    for (const name of /** @type {WayName[]} */ (Object.keys(this.ways)))
      el(`way-${name}`).addEventListener("click", () => this.open(name));
  }

  get isOpen() {
    return !this.sheet.hidden;
  }

  get way() {
    return this.ways[this.name];
  }

  /** @param {WayName} [name] another way than the last */
  open(name = this.name) {
    if (this.isOpen) this.way.close();
    // Enter is not for what was pressed before.
    const focused = document.activeElement;
    if (focused instanceof HTMLButtonElement && !focused.closest("#row-capture")) focused.blur();
    this.name = name;
    const { left, top, width, height } = this.size();
    Object.assign(this.sheet.style, { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` });
    this.sheet.hidden = false;
    this.cut();
    this.sheet.dataset.way = name;
    el("row").classList.add("captures");
    for (const other of Object.keys(this.ways)) {
      el(`way-${other}`).setAttribute("aria-pressed", `${other === name}`);
      const set = document.querySelector(`[data-for-way="${other}"]`);
      if (set instanceof HTMLElement) set.hidden = other !== name;
    }
    this.way.open();
    this.show();
    this.opened(true);
  }

  /** Fetches what boxes are drawn with; a line that is down is tried again when it is wanted. */
  async fetch() {
    this.fetching ??= (async () => {
      const module = await import("../../glass/cut.js");
      await module.default();
      this.module = module;
    })().catch(() => {
      this.fetching = undefined;
    });
    await this.fetching;
  }

  /** Makes what boxes are drawn with for the stage as it is. */
  cut() {
    this.cutter?.free();
    this.cutter = this.module && new this.module.Cutter(this.glass.cutting(devicePixelRatio));
    if (this.cutter) return;
    this.fetch().then(() => {
      if (!this.module || this.cutter || !this.isOpen) return;
      this.cut();
      this.sight.look();
      this.box.come();
    });
  }

  close() {
    if (!this.isOpen) return;
    this.way.close();
    this.sheet.hidden = true;
    this.pointer = null;
    el("row").classList.remove("captures");
    this.sight.close();
    this.opened(false);
  }

  finish() {
    if (!this.way.ready) return;
    const requests = this.way.requests();
    this.close();
    const when = select("capture-when").value;
    // The next one is taken at once again.
    select("capture-when").value = "";
    if (when) this.timed.begin(when, requests.slice(0, 1));
    else this.take(requests);
  }

  /** Keys while it is open; `true` when the key meant something. @param {KeyboardEvent} e */
  key(e) {
    const onControl = document.activeElement?.closest("#row-capture") ?? null;
    if (e.key === "Escape") this.close();
    else if (e.key === "Enter") {
      if ((onControl && onControl !== document.activeElement) || !this.way.ready) return false;
      this.finish();
    } else return this.way.key(e);
    return true;
  }

  show() {
    const { way } = this;
    el("capture-hint").textContent = way.hint;
    el("capture-hint").hidden = way.ready;
    button("capture-take").disabled = !way.ready;
    this.sheet.classList.toggle("has-box", way.ready);
  }

  /** @param {PointerEvent} e */
  place(e) {
    const { left, top } = this.sheet.getBoundingClientRect();
    return /** @type {const} */ ([e.clientX - left, e.clientY - top]);
  }

  /** @param {PointerEvent} e */
  down(e) {
    if (e.button !== 0 || this.pointer !== null) return;
    e.preventDefault();
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    this.sheet.setPointerCapture(e.pointerId);
    this.pointer = e.pointerId;
    this.way.down(e, ...this.place(e));
  }

  /** @param {PointerEvent} e */
  move(e) {
    if (this.pointer !== null && this.pointer !== e.pointerId) return;
    this.way.move(e, ...this.place(e));
  }

  /** @param {PointerEvent} e */
  up(e) {
    if (this.pointer !== e.pointerId) return;
    this.pointer = null;
    const takes = this.way.up(e, ...this.place(e));
    this.show();
    if (takes && e.type === "pointerup") this.finish();
  }
}
