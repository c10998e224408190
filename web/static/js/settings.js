// @ts-check
// The presenter's settings: held by the glass, kept by the server.

import { ask } from "./messages.js";

/** @import { Glass } from "../glass/glass.js" */

/**
 * @typedef {{ r: number, g: number, b: number }} Rgb
 * @typedef {{ tip: "Round" | "Flat", colour: Rgb, width: number, rule: "Even" | "Lively",
 *   hold: "backdrop" | "glass", stay: number | null }} Swatch
 * @typedef {{ swatches: Swatch[], room: { display_width: number, farthest_seat: number },
 *   rail: { edge: "bottom" | "left" | "right", along: number, folded: boolean },
 *   finger: "draws" | "moves", lowering_freezes: boolean, eraser: number, keys: Record<string, string> }} Kept
 */

export class Settings {
  /**
   * @param {Glass} glass
   * @param {string} json
   */
  constructor(glass, json) {
    this.glass = glass;
    glass.set_settings(json);
    /** @type {(() => void)[]} */
    this.listeners = [];
    /** @type {number | undefined} */
    this.waiting = undefined;
    addEventListener("pagehide", () => this.waiting && this.keep());
  }

  /** @returns {Kept} */
  get now() {
    return JSON.parse(this.glass.settings());
  }

  /** @param {() => void} listener */
  changed(listener) {
    this.listeners.push(listener);
  }

  /** @param {(settings: Kept) => void} change */
  change(change) {
    const settings = this.now;
    change(settings);
    this.glass.set_settings(JSON.stringify(settings));
    this.hasChanged();
  }

  /** The glass has changed them itself. */
  hasChanged() {
    for (const listener of this.listeners) listener();
    clearTimeout(this.waiting);
    this.waiting = window.setTimeout(() => this.keep(), 300);
  }

  keep() {
    clearTimeout(this.waiting);
    this.waiting = undefined;
    ask("/settings/kept", this.glass.settings(), { "content-type": "application/json" }, true);
  }
}
