// @ts-check
// The presenter's settings: held by the glass, kept by the server.

import { ask } from "./messages.js";

/** @import { Glass, Settings as Stored } from "../glass/glass.js" */
/** What was stored may lack a field; what the glass gives does not. @typedef {Required<Stored>} Kept */

export class Settings {
  /**
   * @param {Glass} glass
   * @param {string} json
   * @param {boolean} [kept] whether the server keeps them
   */
  constructor(glass, json, kept = true) {
    this.glass = glass;
    this.isKept = kept;
    glass.set_settings(JSON.parse(json));
    /** The settings as the server has them, as far as is known here. */
    this.known = this.now;
    /** @type {(() => void)[]} */
    this.listeners = [];
    /** @type {number | undefined} */
    this.waiting = undefined;
    addEventListener("pagehide", () => this.waiting && this.keep());
  }

  get now() {
    return /** @type {Kept} */ (this.glass.settings());
  }

  /** @param {() => void} listener */
  changed(listener) {
    this.listeners.push(listener);
  }

  /** @param {(settings: Kept) => void} change */
  change(change) {
    const settings = this.now;
    change(settings);
    this.glass.set_settings(settings);
    this.hasChanged();
  }

  /** The glass has changed them itself. */
  hasChanged() {
    for (const listener of this.listeners) listener();
    clearTimeout(this.waiting);
    this.waiting = window.setTimeout(() => this.keep(), 300);
  }

  /** What was set here and is not kept yet: the fields that differ. */
  get unkept() {
    const same = (/** @type {unknown} */ a, /** @type {unknown} */ b) => JSON.stringify(a) === JSON.stringify(b);
    const known = /** @type {Record<string, unknown>} */ (/** @type {unknown} */ (this.known));
    return Object.fromEntries(Object.entries(this.now).filter(([field, value]) => !same(value, known[field])));
  }

  keep() {
    clearTimeout(this.waiting);
    this.waiting = undefined;
    if (!this.isKept) return;
    const [fields, before] = [this.unkept, this.known];
    this.known = { ...this.known, ...fields };
    ask("/settings/kept", JSON.stringify(fields), { "content-type": "application/json" }, true).then((response) => {
      // Kept when the server next says how it knows them: see `heard`.
      if (!response?.ok) this.known = before;
    });
  }

  /** The server says what they are now; what is being set here meanwhile stays. @param {string} json */
  heard(json) {
    const [fields, before] = [this.unkept, JSON.stringify(this.now)];
    this.glass.set_settings(JSON.parse(json));
    this.known = this.now;
    this.glass.set_settings({ ...this.known, ...fields });
    if (JSON.stringify(this.now) !== before) for (const listener of this.listeners) listener();
    if (Object.keys(fields).length && this.waiting === undefined) this.keep();
  }
}
