// @ts-check
// Swatches on the rail, and the panel in which one is edited.

import { el, icon, input } from "../page.js";
import { closePanels, openPanel } from "../panels/panels.js";
import { print } from "../picture/printer.js";

/** @import { Glass, InitOutput, Rgb, Swatch } from "../../glass/glass.js" */
/** @import { Hand } from "../input/hand.js" */
/** @import { Settings } from "../settings.js" */

const MOST = 8;
/** Two presses within this many milliseconds are a double press. */
const TWICE = 400;

/** @param {Rgb} c */
const css = ({ r, g, b }) => `#${[r, g, b].map((v) => v.toString(16).padStart(2, "0")).join("")}`;
/** @param {string} hex @returns {Rgb} */
const rgb = (hex) => ({
  r: parseInt(hex.slice(1, 3), 16),
  g: parseInt(hex.slice(3, 5), 16),
  b: parseInt(hex.slice(5, 7), 16),
});

export class Swatches {
  /**
   * @param {{ glass: Glass, wasm: InitOutput, hand: Hand, settings: Settings, beneath: () => string, edits?: boolean }} stage
   *   `edits`: whether they can be made otherwise here
   */
  constructor({ glass, wasm, hand, settings, beneath, edits = true }) {
    this.edits = edits;
    this.glass = glass;
    this.wasm = wasm;
    this.hand = hand;
    this.settings = settings;
    this.beneath = beneath;
    /** @type {HTMLButtonElement[]} */
    this.keys = [];
    this.pressed = 0;
    /** Which swatch is being edited. */
    this.editing = 0;
    settings.changed(() => this.show());
    hand.changed(() => this.mark());
    el("swatches").addEventListener("keydown", (e) => this.arrow(e));
    if (edits) this.prepareEditor();
    this.show();
  }

  get all() {
    return this.glass.swatches();
  }

  /** Shows all swatches as they are now, and paints their samples. */
  show() {
    const all = this.all;
    if (this.keys.length !== all.length) {
      this.keys = all.map((_, i) => this.newKey(i));
      el("swatches").replaceChildren(...this.keys);
      el("swatches").classList.toggle("many", all.length > 6);
      if (this.hand.held.swatch >= all.length) this.hand.take({ swatch: all.length - 1 });
    }
    all.forEach(({ name, offered, short }, i) => {
      const key = this.keys[i];
      key.setAttribute("aria-label", short ? `${name}. ${short}` : name);
      key.title = this.edits ? `${name} (${i + 1}); press twice to edit${short ? `\n${short}` : ""}` : name;
      key.classList.toggle("short", short !== null);
      this.paint(/** @type {HTMLCanvasElement} */ (key.firstChild), offered);
    });
    this.mark();
    if (this.edits && !el("swatch-panel").hidden) this.fill();
  }

  /** @param {number} i */
  newKey(i) {
    const key = document.createElement("button");
    key.type = "button";
    key.setAttribute("role", "radio");
    key.append(document.createElement("canvas"));
    key.addEventListener("click", (e) => {
      const again = this.hand.holds("pen") && this.hand.held.swatch === i;
      if (again && e.timeStamp - this.pressed < TWICE) this.edit(i);
      this.pressed = e.timeStamp;
      this.pick(i);
    });
    return key;
  }

  /**
   * @param {HTMLCanvasElement} canvas
   * @param {Swatch} swatch
   */
  paint(canvas, swatch) {
    const [w, h, ratio] = [54, 60, devicePixelRatio];
    [canvas.width, canvas.height] = [w * ratio, h * ratio];
    const context = canvas.getContext("2d");
    if (!context) return;
    context.fillStyle = this.beneath();
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    this.glass.paint_swatch(swatch, w, h);
    print(context, this.glass, this.wasm);
    if (swatch.stay === null) return;
    // A corner of dots: this ink does not stay.
    context.globalCompositeOperation = "destination-out";
    for (let x = 3; x < w; x += 6)
      for (let y = h - 15; y < h; y += 6) {
        context.beginPath();
        context.arc(x, y, 1.6, 0, 7);
        context.fill();
      }
    context.globalCompositeOperation = "destination-over";
    context.fillStyle = "#59646f";
    context.fillRect(0, 0, w, h);
  }

  /** Marks the one in hand. */
  mark() {
    const { swatch, touching, tool } = this.hand.held;
    const draws = !touching && tool !== "erase" && tool !== "select" && tool !== "laser";
    el("in-hand").textContent = this.inHand();
    this.keys.forEach((key, i) => {
      key.setAttribute("aria-checked", `${i === swatch && draws}`);
      key.tabIndex = i === swatch ? 0 : -1;
    });
  }

  /** What is in the hand, in words. */
  inHand() {
    const { swatch, touching, tool, figure, sign } = this.hand.held;
    if (touching) return "Touch";
    if (tool === "erase") return "Erase";
    if (tool === "select") return "Select";
    if (tool === "laser") return "Laser";
    const { name } = this.all[swatch] ?? this.all[0];
    if (tool === "text") return `Text · ${name}`;
    const word = tool === "shape" ? this.glass.figures()[figure] : tool === "stamp" ? this.glass.signs()[sign] : "";
    return word ? `${word[0].toUpperCase()}${word.slice(1)} · ${name}` : name;
  }

  /**
   * Takes a swatch into the hand; shapes, stamps and text go on with its colour.
   * @param {number} i
   */
  pick(i) {
    const { tool, swatch, touching } = this.hand.held;
    // Shapes, stamps and text go on in another colour; the swatch that they have already is meant
    // as a pen.
    const other = i !== swatch || this.glass.is_typing();
    const goesOn = (tool === "shape" || tool === "stamp" || tool === "text") && other && !touching;
    this.hand.take({ swatch: i, touching: false, tool: goesOn ? tool : "pen" });
  }

  /** @param {KeyboardEvent} e */
  arrow(e) {
    const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
    if (e.key === "Enter" || e.key === "F2") this.edit(this.hand.held.swatch);
    else if (step) {
      const n = this.keys.length;
      this.pick((this.hand.held.swatch + step + n) % n);
      this.keys[this.hand.held.swatch].focus();
    } else return;
    e.preventDefault();
    e.stopPropagation();
  }

  // ---- Editing -------------------------------------------------------------------------------

  /** @param {number} i */
  edit(i) {
    if (!this.edits) return;
    this.editing = i;
    openPanel("swatch-panel", this.keys[i]);
    this.fill();
  }

  /** @param {(swatch: Swatch) => void} change */
  change(change) {
    this.settings.change(({ swatches }) => change(swatches[this.editing]));
  }

  prepareEditor() {
    /** @type {[string, Rgb][]} */
    const palette = [...this.glass.palette(), ["White", { r: 255, g: 255, b: 255 }]];
    for (const [name, colour] of palette) {
      const key = document.createElement("button");
      key.type = "button";
      key.className = "colour";
      key.dataset.colour = css(colour);
      key.title = name;
      key.setAttribute("aria-label", name);
      key.style.background = css(colour);
      key.addEventListener("click", () => this.change((s) => (s.colour = colour)));
      el("swatch-colours").insertBefore(key, el("swatch-any-label"));
    }
    const any = input("swatch-any");
    any.addEventListener("input", () => this.change((s) => (s.colour = rgb(any.value))));
    const width = input("swatch-width");
    width.addEventListener("input", () => this.change((s) => (s.width = Number(width.value))));
    const stay = input("swatch-stay");
    stay.addEventListener("input", () => this.change((s) => (s.stay = Number(stay.value))));
    for (const key of document.querySelectorAll("[data-swatch]")) {
      const [what, value] = /** @type {HTMLElement} */ (key).dataset.swatch?.split(":") ?? [];
      key.addEventListener("click", () =>
        this.change((s) => {
          if (what === "tip") {
            s.tip = value === "Flat" || value === "Rimmed" ? value : "Round";
            s.rule = s.tip === "Flat" ? "Even" : "Lively";
            s.width = s.tip === "Flat" ? Math.max(s.width, 24) : Math.min(s.width, 16);
          } else if (what === "rule") s.rule = value === "Even" ? "Even" : "Lively";
          else if (what === "hold") s.hold = value === "glass" ? "glass" : "backdrop";
          else if (what === "stay") s.stay = value === "lasts" ? null : (s.stay ?? 4);
        }),
      );
    }
    el("swatch-left").addEventListener("click", () => this.shift(-1));
    el("swatch-right").addEventListener("click", () => this.shift(1));
    el("swatch-add").addEventListener("click", () => {
      const at = this.editing + 1;
      this.settings.change(({ swatches }) => swatches.splice(at, 0, { ...swatches[this.editing] }));
      this.follow(at);
    });
    el("swatch-remove").addEventListener("click", () => {
      this.settings.change(({ swatches }) => void swatches.splice(this.editing, 1));
      this.follow(Math.min(this.editing, this.keys.length - 1));
    });
    el("swatch-originals").addEventListener("click", () => {
      this.settings.change((s) => (s.swatches = this.glass.original_swatches()));
      this.follow(0);
    });
    el("swatch-legible").addEventListener("click", () => {
      const instead = this.glass.legible(this.editing);
      if (instead) this.settings.change(({ swatches }) => (swatches[this.editing] = instead));
    });
    el("swatch-done").addEventListener("click", closePanels);
  }

  /** @param {number} step */
  shift(step) {
    const to = this.editing + step;
    this.settings.change(({ swatches }) => {
      const [one] = swatches.splice(this.editing, 1);
      swatches.splice(to, 0, one);
    });
    this.follow(to);
  }

  /** @param {number} i */
  follow(i) {
    this.editing = i;
    this.pick(i);
    this.fill();
  }

  /** Shows in the panel what the swatch that is being edited is like. */
  fill() {
    const all = this.all;
    const shown = all[this.editing];
    if (!shown) return closePanels();
    const { name, swatch, short } = shown;
    el("swatch-name").textContent = `${this.editing + 1} · ${name}`;
    this.paint(/** @type {HTMLCanvasElement} */ (el("swatch-sample")), swatch);
    for (const key of document.querySelectorAll("[data-swatch]")) {
      const set = [
        `tip:${swatch.tip}`,
        `rule:${swatch.rule}`,
        `hold:${swatch.hold}`,
        `stay:${swatch.stay === null ? "lasts" : "fades"}`,
      ];
      key.setAttribute("aria-pressed", `${set.includes(/** @type {HTMLElement} */ (key).dataset.swatch ?? "")}`);
    }
    for (const key of document.querySelectorAll("#swatch-colours .colour")) {
      const is = /** @type {HTMLElement} */ (key).dataset.colour === css(swatch.colour);
      key.setAttribute("aria-pressed", `${is}`);
      key.replaceChildren(...(is ? [icon("check")] : []));
    }
    input("swatch-any").value = css(swatch.colour);
    input("swatch-width").value = `${swatch.width}`;
    el("swatch-width-shown").textContent = `${swatch.width}`;
    el("swatch-stay-row").hidden = swatch.stay === null;
    input("swatch-stay").value = `${swatch.stay ?? 4}`;
    el("swatch-stay-shown").textContent = `${swatch.stay ?? 4} s`;
    el("swatch-rule").hidden = swatch.tip === "Flat";
    el("swatch-short").hidden = short === null;
    el("swatch-short-why").textContent = short === null ? "" : `${short}.`;
    /** @type {[string, boolean][]} */
    const dead = [
      ["swatch-left", this.editing === 0],
      ["swatch-right", this.editing === all.length - 1],
      ["swatch-add", all.length >= MOST],
      ["swatch-remove", all.length === 1],
    ];
    for (const [id, is] of dead) /** @type {HTMLButtonElement} */ (el(id)).disabled = is;
  }
}
