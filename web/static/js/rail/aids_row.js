// @ts-check
// Which aids are in use, and whose settings the row shows.

import { el } from "../page.js";

/**
 * An aid: its chip in the row, what its settings are in, and what happens when these come and go.
 * @typedef {{ isOn: () => boolean, putAway: () => void, chip: HTMLElement, set: HTMLElement | null,
 *   opened?: () => void, closed?: () => void, stays?: () => boolean }} Aid `stays` of one that Esc does not put
 *   away
 */

/** Esc that is pressed again within this time, in milliseconds, puts away all. */
const TWICE = 600;

export class AidsRow {
  constructor() {
    /** @type {Map<string, Aid>} */
    this.known = new Map();
    /** Those in use, the one that was taken or looked at last at the end. @type {string[]} */
    this.inUse = [];
    /** Whether the row shows how the last of them is set: what belongs to the backdrop gives way then. */
    this.isOpen = false;
    this.putAwayAt = -TWICE;
    el("aid-away").addEventListener("click", (e) => this.putLastAway(e.timeStamp));
    // What was typed is done with Enter: keys are the stage's again.
    el("row-aids").addEventListener("keydown", ({ key, target }) => {
      if (key === "Enter" && target instanceof HTMLInputElement) target.blur();
    });
  }

  /** @param {string} id @param {Aid} aid */
  add(id, aid) {
    this.known.set(id, aid);
    aid.chip.addEventListener("click", () => {
      const again = this.isOpen && this.inUse.at(-1) === id;
      this.close();
      if (!again) this.open(id);
    });
  }

  /** @param {string} id */
  forget(id) {
    if (this.inUse.at(-1) === id) this.isOpen = false;
    this.known.delete(id);
    this.look();
  }

  /** How an aid is set is in the row from now on. @param {string} id */
  open(id) {
    this.inUse = [...this.inUse.filter((other) => other !== id), id];
    this.isOpen = true;
    this.known.get(id)?.opened?.();
    this.look();
  }

  /** What is on stage has the row again. */
  close() {
    if (!this.isOpen) return;
    this.isOpen = false;
    this.known.get(this.inUse.at(-1) ?? "")?.closed?.();
    this.look();
  }

  /** The aid whose settings are shown. */
  get shown() {
    return this.isOpen ? this.inUse.at(-1) : undefined;
  }

  /**
   * Puts away the aid that was taken or looked at last; all of them, when the last went a moment ago. `false` when there is
   * none.
   * @param {number} at when it was pressed, in milliseconds of the page's time: a busy page hears of it later
   */
  putLastAway(at) {
    const away = this.inUse.filter((id) => !this.known.get(id)?.stays?.());
    const last = away.at(-1);
    if (last === undefined) return false;
    const twice = at - this.putAwayAt < TWICE;
    this.putAwayAt = at;
    for (const id of twice ? away : [last]) this.known.get(id)?.putAway();
    this.look();
    return true;
  }

  /** Something may be in use that was not, or the other way round. */
  look() {
    const was = this.shown;
    this.inUse = this.inUse.filter((id) => this.known.get(id)?.isOn());
    for (const [id, aid] of this.known) if (aid.isOn() && !this.inUse.includes(id)) this.inUse.push(id);
    if (this.inUse.at(-1) !== was) this.isOpen = false;
    el("row-aids").hidden = this.inUse.length === 0;
    const stays = (/** @type {string} */ id) => this.known.get(id)?.stays;
    el("aid-away").hidden = stays(this.shown ?? "") !== undefined || this.inUse.every((id) => stays(id)?.());
    el("aids").setAttribute("aria-pressed", `${this.inUse.length > 0}`);
    const set = this.known.get(this.shown ?? "")?.set ?? null;
    el("row").classList.toggle("sets-aid", set !== null);
    for (const [id, { chip }] of this.known) {
      chip.hidden = !this.inUse.includes(id);
      chip.setAttribute("aria-expanded", `${this.shown === id}`);
    }
    const sets = /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("#row-aids .set"));
    for (const one of sets) one.hidden = one !== set;
  }
}

/**
 * A number that is set by a slider and by typing.
 * @param {string} id of the slider; the field has the same with `-number`
 * @param {() => number | undefined} get
 * @param {(v: number, done: boolean) => void} put `done` when it is not being pulled any more
 * @returns {() => void} shows it as it is now
 */
export function slider(id, get, put) {
  const fields = [/** @type {HTMLInputElement} */ (el(id)), /** @type {HTMLInputElement} */ (el(`${id}-number`))];
  const show = () => {
    const v = get();
    // What somebody is typing is theirs.
    for (const field of fields)
      if (v !== undefined && !(field.type === "number" && field === document.activeElement)) field.value = `${v}`;
  };
  for (const field of fields) {
    for (const event of field.type === "range" ? ["input", "change"] : ["change"]) {
      field.addEventListener(event, () => {
        const v = field.valueAsNumber;
        if (Number.isFinite(v)) put(v, event === "change");
        const now = get();
        if (field.type === "number" && now !== undefined) field.value = `${now}`;
        show();
      });
    }
  }
  return show;
}
