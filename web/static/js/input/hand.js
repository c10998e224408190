// @ts-check
// What the presenter's hand holds: Touch or Mark, and in Mark which tool.

/** @import { Glass, InHand, Kind } from "../../glass/glass.js" */

/** A tool's key that was down for longer than this lent it. */
const LONG = 400;

/** What a hand holds first: the pen, with the first swatch. @type {InHand} */
export const FIRST = {
  touching: false,
  tool: "pen",
  swatch: 0,
  figure: 0,
  filled: false,
  dash: 0,
  sign: 0,
  ring: false,
  ripples: false,
  follows: null,
  locked: false,
};

export class Hand {
  /** @param {Glass} glass */
  constructor(glass) {
    this.glass = glass;
    /** @type {InHand} */
    this.held = FIRST;
    /** @type {((held: InHand) => void)[]} */
    this.listeners = [];
    /** @type {{ key: string, before: InHand, since: number, used: boolean, stays: boolean,
     *   back?: () => void } | null} */
    this.lent = null;
  }

  /** @param {(held: InHand) => void} listener */
  changed(listener) {
    this.listeners.push(listener);
  }

  /** @param {Partial<InHand>} what */
  take(what) {
    this.held = { ...this.held, ...what };
    this.glass.hold(this.held);
    for (const listener of this.listeners) listener(this.held);
  }

  /** @param {Kind} tool */
  holds(tool) {
    return !this.held.touching && this.held.tool === tool;
  }

  /**
   * Lends a tool for as long as its key is held; a short press without drawing keeps it.
   * @param {string} key
   * @param {() => void} take
   * @param {boolean} stays whether a short press keeps the tool
   * @param {() => void} [back] what else is to be as it was before
   */
  lend(key, take, stays, back) {
    if (this.lent) return;
    this.lent = { key, before: this.held, since: 0, used: false, stays, back };
    take();
    // From when it is in the hand: a machine that was slow to bring it makes no short press long.
    this.lent.since = performance.now();
  }

  /** What was lent has been used. */
  use() {
    if (this.lent) this.lent.used = true;
  }

  /**
   * @param {number} at when, in milliseconds of the page's time
   * @param {string} [key] the key that was let go; any, when the page was left
   */
  giveBack(at, key) {
    const { lent } = this;
    if (!lent || (key !== undefined && lent.key !== key)) return;
    this.lent = null;
    const { touching, tool, ring, ripples } = lent.before;
    if (this.held.follows) this.take({ follows: null });
    if (lent.stays && !lent.used && at - lent.since <= LONG) return;
    lent.back?.();
    this.take({ touching, tool, ring, ripples });
  }
}
