// @ts-check
// The selection on the stage: the frame with its grips, and the bar of what can be done.

import { button, el, place } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

/** The least side of the frame, and that which has room for a grip in its middle, in CSS pixels. */
const LEAST = 88;
const ROOMY = 96;
/** Marks with less height or width than this, in CSS pixels, are only pulled along. */
const THIN = 40;
/** How much room the knob that turns needs above the frame. */
const KNOB = 64;

/** What marks look like as text on a clipboard. */
const CLIP = "bozzetto-marks:";

export class Selection {
  /**
   * @param {{ glass: Glass, act: (deed: () => unknown) => void,
   *   area: () => { left: number, top: number, width: number, height: number }, edit: () => void }} stage
   */
  constructor(stage) {
    this.stage = stage;
    this.glass = stage.glass;
    this.frame = el("selection");
    this.bar = el("selection-bar");
    const { glass } = this;
    /** @type {[string, () => void][]} */
    const deeds = [
      ["selection-copy", () => glass.duplicate_selection()],
      ["selection-front", () => glass.reorder_selection(true)],
      ["selection-back", () => glass.reorder_selection(false)],
      ["selection-hold", () => glass.hold_selection(!glass.selection_on_glass())],
      ["selection-restyle", () => glass.restyle_selection()],
      ["selection-delete", () => glass.delete_selection()],
    ];
    for (const [id, deed] of deeds) el(id).addEventListener("click", () => this.do(deed));
    el("selection-edit").addEventListener("click", stage.edit);
    el("selection-crop").addEventListener("click", () => this.do(() => glass.crop_selected(!glass.is_cropping())));
  }

  /** The parts of the frame that are taken hold of. @returns {NodeListOf<HTMLElement>} */
  get grips() {
    return this.frame.querySelectorAll("[data-grip]");
  }

  /** @param {() => void} deed */
  do(deed) {
    this.stage.act(deed);
    this.show();
  }

  /** Whether anything is selected. */
  get any() {
    return this.glass.selected() > 0;
  }

  clear() {
    if (!this.any) return false;
    this.stage.act(() => this.glass.clear_selection());
    this.show();
    return true;
  }

  /**
   * The frame stands off what is thin, so that it can be taken hold of between its grips.
   * @param {Float64Array} box x0, y0, x1, y1 in the picture area
   */
  frameTo([x0, y0, x1, y1]) {
    const { left, top } = this.stage.area();
    const [padX, padY] = [x1 - x0, y1 - y0].map((side) => Math.max(0, (LEAST - side) / 2));
    const [w, h] = [x1 - x0 + 2 * padX, y1 - y0 + 2 * padY];
    place(this.frame, [x0 - padX + left, y0 - padY + top, w, h]);
    const [thin, flat] = [x1 - x0 < THIN, y1 - y0 < THIN];
    this.frame.classList.toggle("thin", thin && !flat);
    this.frame.classList.toggle("flat", flat && !thin);
    this.frame.classList.toggle("narrow", w < ROOMY);
    this.frame.classList.toggle("low", h < ROOMY);
    this.frame.classList.toggle("high", y0 - padY + top < KNOB);
  }

  /** Shows what is selected now. */
  show() {
    const box = this.glass.selection_box();
    const any = box.length === 4;
    this.frame.hidden = !any;
    this.bar.hidden = !any || this.glass.is_pulled();
    if (!any) return;
    this.frameTo(box);
    if (this.bar.hidden) return;
    const onGlass = this.glass.selection_on_glass();
    const hold = el("selection-hold");
    hold.setAttribute("aria-pressed", `${onGlass}`);
    hold.title = onGlass
      ? "Held by the glass: have the backdrop hold it"
      : "Held by the backdrop: have the glass hold it";
    for (const id of ["selection-crop", "selection-replace"]) button(id).hidden = !this.glass.selected_picture();
    el("selection-crop").setAttribute("aria-pressed", `${this.glass.is_cropping()}`);
    this.frame.classList.toggle("crops", this.glass.is_cropping());
    button("selection-edit").hidden = !this.glass.selected_text();
    this.layBar();
  }

  /**
   * The bar stands below the frame's grips, or above, or amidst them: wherever there is room.
   */
  layBar() {
    const room = el("mount").getBoundingClientRect();
    const frame = this.frame.getBoundingClientRect();
    const [y0, y1] = [frame.top - room.top, frame.bottom - room.top];
    const [w, h] = [this.bar.offsetWidth, this.bar.offsetHeight];
    const below = y1 + 30;
    const above = y0 - 74 - h;
    const y = below + h < room.height ? below : above > 0 ? above : Math.max(8, (y0 + y1 - h) / 2);
    const middle = (frame.left + frame.right) / 2 - room.left - w / 2;
    this.bar.style.left = `${Math.max(8, Math.min(middle, room.width - w - 8))}px`;
    this.bar.style.top = `${y}px`;
  }

  /** @param {ClipboardEvent} e */
  copy(e) {
    const bytes = this.glass.copy_selection();
    if (!bytes.length) return false;
    let text = "";
    for (const byte of bytes) text += String.fromCharCode(byte);
    e.clipboardData?.setData("text/plain", CLIP + btoa(text));
    e.preventDefault();
    return true;
  }

  /**
   * Sets marks that were copied; `false` when these are none.
   * @param {string} text
   */
  paste(text) {
    return text.startsWith(CLIP) && this.set(text.slice(CLIP.length));
  }

  /**
   * Sets marks on what is on stage and selects them; `false` when these are none.
   * @param {string} packed in Base64
   */
  set(packed) {
    let done = false;
    try {
      const bytes = Uint8Array.from(atob(packed), (c) => c.charCodeAt(0));
      this.do(() => (done = this.glass.paste_marks(bytes)));
    } catch {
      return false;
    }
    return done;
  }
}
