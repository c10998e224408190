// @ts-check
// The sheet that shows the stage's keys and gives others.

import { named } from "../input/keys.js";
import { el } from "../page.js";
import { closePanels } from "./panels.js";

/** @import { Deed, Glass } from "../../glass/glass.js" */
/** @import { Settings } from "../settings.js" */

export class HelpSheet {
  /**
   * @param {Glass} glass
   * @param {Settings} settings
   */
  constructor(glass, settings) {
    this.glass = glass;
    this.settings = settings;
    this.sheet = /** @type {HTMLDialogElement} */ (el("help"));
    /** The deed that waits for its new key. @type {Deed | null} */
    this.waiting = null;
    el("help-close").addEventListener("click", () => this.sheet.close());
    el("keys-reset").addEventListener("click", () => {
      glass.reset_keys();
      settings.hasChanged();
      this.fill();
      this.says("All keys are as they were at first.");
    });
    this.sheet.addEventListener("keydown", (e) => this.give(e));
    this.sheet.addEventListener("close", () => (this.waiting = null));
  }

  open() {
    closePanels();
    this.fill();
    this.says("");
    this.sheet.showModal();
  }

  /** @param {string} text */
  says(text) {
    el("keys-say").textContent = text;
  }

  fill() {
    el("deeds").replaceChildren(
      ...this.glass.keys().map(({ deed, words, key }) => {
        const row = document.createElement("li");
        const give = document.createElement("button");
        give.className = "key";
        give.dataset.deed = deed;
        give.textContent = this.waiting === deed ? "Press a key…" : this.glass.key_shown(key);
        give.setAttribute("aria-label", `${words}: ${this.glass.key_shown(key)}. Give it another key`);
        give.addEventListener("click", () => {
          this.waiting = deed;
          this.fill();
          /** @type {HTMLElement | null} */ (el("deeds").querySelector(`[data-deed="${deed}"]`))?.focus();
          this.says(`Press the key for “${words}”; Esc leaves it as it is.`);
        });
        row.append(words, give);
        return row;
      }),
    );
  }

  /** @param {KeyboardEvent} e */
  give(e) {
    const deed = this.waiting;
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
    /** @type {HTMLElement | null} */ (el("deeds").querySelector(`[data-deed="${deed}"]`))?.focus();
  }
}
