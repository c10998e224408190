// @ts-check
// Help: a line for each thing on the stage, found by typing or from the thing itself, with its key, which can be
// given anew.

import { named } from "../input/keys.js";
import { el, input } from "../page.js";
import { closePanels } from "./panels.js";

/** @import { Deed, Glass } from "../../glass/glass.js" */
/** @import { Settings } from "../settings.js" */

/** A press that lasts so long asks what a thing is, in milliseconds, unless it moves farther than so many pixels. */
const LONG = 700;
const STILL = 8;

/** @param {Event} e */
function nothing(e) {
  e.preventDefault();
  e.stopPropagation();
}

export class HelpSheet {
  /**
   * @param {Glass} glass
   * @param {Settings} settings
   */
  constructor(glass, settings) {
    this.glass = glass;
    this.settings = settings;
    this.sheet = /** @type {HTMLDialogElement} */ (el("help"));
    this.lines = /** @type {HTMLElement[]} */ ([...el("help-lines").children]);
    /** The deed that waits for its new key. @type {Deed | null} */
    this.waiting = null;
    el("help-close").addEventListener("click", () => this.sheet.close());
    el("keys-reset").addEventListener("click", () => {
      glass.reset_keys();
      settings.hasChanged();
      this.fill();
      this.says("All keys are as they were at first.");
    });
    el("help-find").addEventListener("input", () => this.find());
    this.sheet.addEventListener("keydown", (e) => this.give(e));
    this.sheet.addEventListener("close", () => (this.waiting = null));
    settings.changed(() => this.fill());
    this.fill();
    this.listen();
  }

  /** Opens it, at the line of something if that has one. @param {Element | null} [of] */
  open(of = null) {
    closePanels();
    input("help-find").value = "";
    this.find();
    this.says("");
    if (!this.sheet.open) this.sheet.showModal();
    const line = this.lineOf(of);
    for (const one of this.lines) one.classList.toggle("here", one === line);
    if (!line) return;
    line.scrollIntoView({ block: "center" });
    line.tabIndex = -1;
    /** @type {HTMLElement} */ (line.querySelector("button") ?? line).focus({ preventScroll: true });
  }

  /** The line about a control, or about what it is in. @param {Element | null} of @returns {HTMLElement | undefined} */
  lineOf(of) {
    const thing = of?.closest("[id]");
    if (!thing) return undefined;
    const line = this.lines.find((one) => (one.dataset.of ?? "").split(" ").includes(thing.id));
    return line ?? this.lineOf(thing.parentElement);
  }

  /** Shows the lines that have all words that were typed. */
  find() {
    const words = input("help-find").value.toLowerCase().split(/\s+/);
    for (const line of this.lines) {
      const said = (line.textContent ?? "").toLowerCase();
      line.hidden = !words.every((word) => said.includes(word));
    }
    el("help-none").hidden = this.lines.some((line) => !line.hidden);
  }

  /** @param {string} text */
  says(text) {
    el("keys-say").textContent = text;
  }

  /** Shows which keys there are, in the lines and in what the things say of themselves. */
  fill() {
    for (const { deed, words, key } of this.glass.keys()) {
      const line = this.lines.find((one) => one.dataset.deed === deed);
      if (!line) continue;
      const shown = this.glass.key_shown(key);
      for (const id of (line.dataset.of ?? "").split(" ")) {
        const thing = document.getElementById(id);
        if (thing?.title) thing.title = `${thing.title.replace(/ \([^()]*\)$/, "")}${shown && ` (${shown})`}`;
      }
      let give = line.querySelector("button");
      if (!give) {
        give = document.createElement("button");
        give.className = "key";
        give.addEventListener("click", () => {
          this.waiting = deed;
          this.fill();
          this.says(`Press the key for “${words}”; Esc leaves it as it is.`);
        });
        line.append(give);
      }
      give.dataset.deed = deed;
      give.textContent = this.waiting === deed ? "Press a key…" : shown || "No key";
      give.setAttribute("aria-label", `${words}: ${shown || "no key"}. Give it another key`);
    }
  }

  /** @param {KeyboardEvent} e */
  give(e) {
    const deed = this.waiting;
    // What is typed, wherever in the sheet, is to find something.
    const letter = e.key.length === 1 && e.key !== " " && !e.ctrlKey && !e.altKey && !e.metaKey;
    if (!deed && letter) input("help-find").focus();
    if (!deed || ["Shift", "Control", "Alt", "Meta", "Tab"].includes(e.key)) return;
    e.preventDefault();
    e.stopPropagation();
    this.waiting = null;
    if (e.key === "Escape") this.says("");
    else {
      const fault = this.glass.assign_key(deed, named(e));
      this.says(fault ?? `Kept: ${this.glass.key_shown(named(e))}.`);
      if (!fault) this.settings.hasChanged();
    }
    this.fill();
  }

  /** A long press on something opens its line, and presses it not. */
  listen() {
    /** @type {number | undefined} */
    let timer;
    let [x, y] = [0, 0];
    const stop = () => clearTimeout(timer);
    addEventListener("pointerdown", (e) => {
      stop();
      const thing = e.target instanceof Element ? e.target.closest("button, a") : null;
      if (!thing || this.sheet.open || !this.lineOf(thing)) return;
      [x, y] = [e.clientX, e.clientY];
      timer = window.setTimeout(() => {
        addEventListener("click", nothing, { capture: true });
        const over = () => setTimeout(() => removeEventListener("click", nothing, { capture: true }));
        for (const end of ["pointerup", "pointercancel"]) addEventListener(end, over, { once: true });
        this.open(thing);
      }, LONG);
    });
    addEventListener("pointermove", (e) => Math.hypot(e.clientX - x, e.clientY - y) > STILL && stop());
    for (const end of ["pointerup", "pointercancel"]) addEventListener(end, stop);
  }
}
