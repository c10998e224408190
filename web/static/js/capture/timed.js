// @ts-check
// Captures that are taken later, or again and again; the row says so, and stops them.

import { el } from "../page.js";

const SECOND = 1000;

export class Timed {
  /** @param {(requests: string[]) => Promise<boolean>} take takes what is on stage by then; whether it did */
  constructor(take) {
    this.take = take;
    /** @type {number | undefined} */
    this.timer = undefined;
    this.busy = false;
    el("timed-stop").addEventListener("click", () => this.stop());
  }

  /** @param {string} when `3`: after so many seconds; `every 5`: every so many @param {string[]} requests */
  begin(when, requests) {
    this.stop();
    const again = when.startsWith("every ");
    const seconds = Number(when.replace("every ", ""));
    let [left, taken] = [again ? 0 : seconds, 0];
    const tick = () => {
      if (left === 0 && !this.busy) {
        left = seconds;
        this.#take(requests).then((did) => (taken += did ? 1 : 0));
        if (!again) return this.stop();
      }
      el("timed-says").textContent = again ? `${taken} taken, the next in ${left} s` : `Taken in ${left} s`;
      left = Math.max(0, left - 1);
    };
    this.timer = window.setInterval(tick, SECOND);
    el("row-timed").hidden = false;
    tick();
  }

  /** Ends it; the row stays until what is being taken is there. */
  stop() {
    clearInterval(this.timer);
    this.timer = undefined;
    if (this.busy) el("timed-says").textContent = "The last is being taken";
    else el("row-timed").hidden = true;
  }

  /** @param {string[]} requests */
  async #take(requests) {
    this.busy = true;
    try {
      return await this.take(requests);
    } finally {
      this.busy = false;
      if (this.timer === undefined) el("row-timed").hidden = true;
    }
  }
}
