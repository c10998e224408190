// @ts-check
// What the presenter's hand holds: Touch or Mark, and in Mark which tool.

/** @typedef {"pen" | "erase" | "select" | "shape" | "stamp" | "text"} Tool */
/** @typedef {{ touching: boolean, tool: Tool, swatch: number, figure: number, filled: boolean,
 *   dash: number, sign: number }} Held */

/** A tool's key that was down for longer than this lent it. */
const LONG = 400;

export class Hand {
  constructor() {
    /** @type {Held} */
    this.held = { touching: false, tool: "pen", swatch: 0, figure: 0, filled: false, dash: 0, sign: 0 };
    /** @type {((held: Held) => void)[]} */
    this.listeners = [];
    /** @type {{ key: string, before: Held, since: number, used: boolean, stays: boolean } | null} */
    this.lent = null;
  }

  /** @param {(held: Held) => void} listener */
  changed(listener) {
    this.listeners.push(listener);
  }

  /** @param {Partial<Held>} what */
  take(what) {
    this.held = { ...this.held, ...what };
    for (const listener of this.listeners) listener(this.held);
  }

  /** @param {Tool} tool */
  holds(tool) {
    return !this.held.touching && this.held.tool === tool;
  }

  /**
   * Lends a tool for as long as its key is held; a short press without drawing keeps it.
   * @param {string} key
   * @param {() => void} take
   * @param {boolean} stays whether a short press keeps the tool
   */
  lend(key, take, stays) {
    if (this.lent) return;
    this.lent = { key, before: this.held, since: performance.now(), used: false, stays };
    take();
  }

  /** What was lent has been used. */
  use() {
    if (this.lent) this.lent.used = true;
  }

  /** @param {string} [key] the key that was let go; any, when the page was left */
  giveBack(key) {
    const { lent } = this;
    if (!lent || (key !== undefined && lent.key !== key)) return;
    this.lent = null;
    const { touching, tool } = lent.before;
    if (!lent.stays || lent.used || performance.now() - lent.since > LONG) this.take({ touching, tool });
  }
}
