// @ts-check
// The keyboard on the screen, for displays that have none: it comes when a finger or a pen begins a text.

import { el } from "../page.js";
import { isLocked } from "../rail/rail.js";

/** @import { Layout } from "../../glass/glass.js" */
/** @import { Settings } from "../settings.js" */

/** Where this browser keeps where the keyboard stands. */
const PLACE = "screen-keys";
/** How far an arrow key moves it, in CSS pixels. */
const STEP = 20;
/** Keys that wait for a letter, and the mark that they put on it. @type {Record<string, string>} */
const DEAD = {
  "\u0301": "\u0301",
  "\u0308": "\u0308",
  "´": "\u0301",
  "`": "\u0300",
  "^": "\u0302",
  "¨": "\u0308",
};
/** What keys show that are no letters, and are called. @type {Record<string, [string, string]>} */
const NAMED = {
  "{bksp}": ["⌫", "Delete"],
  "{enter}": ["↵", "New line"],
  "{shift}": ["⇧", "Shift"],
  "{lock}": ["⇪", "Capitals"],
  "{space}": [" ", "Space"],
  "{left}": ["←", "Left"],
  "{right}": ["→", "Right"],
  "\u0301": ["´", "Acute"],
  "\u0308": ["¨", "Diaeresis"],
};

/** The layout of the browser's own language. @returns {Layout} */
const own = () =>
  /** @type {Record<string, Layout>} */ ({ es: "spanish", de: "german", fr: "french" })[
    navigator.language.slice(0, 2)
  ] ?? "english";

export class ScreenKeys {
  /** @param {Settings} settings */
  constructor(settings) {
    this.settings = settings;
    this.box = el("screen-keys");
    this.asks = el("screen-keys-ask");
    this.field = /** @type {HTMLTextAreaElement} */ (el("typing"));
    /** Whether what pressed last was a finger or a pen. */
    this.byHand = false;
    /** Somebody has put it away while typing. */
    this.away = false;
    /** A mark that waits for its letter. */
    this.dead = "";
    /** The library's keyboard. @type {any} */
    this.keys = null;
    /** "default", "shift" for one letter, or "lock". */
    this.shifted = "default";
    addEventListener("pointerdown", (e) => (this.byHand = e.pointerType !== "mouse"), true);
    const select = /** @type {HTMLSelectElement} */ (el("screen-keys-layout"));
    select.addEventListener("change", () =>
      settings.change((s) => (s.screen_keys.layout = /** @type {Layout} */ (select.value))),
    );
    settings.changed(() => this.lay());
    el("screen-keys-away").addEventListener("click", () => {
      this.away = true;
      this.show(true);
    });
    el("screen-keys-yes").addEventListener("click", () => this.answer(true));
    el("screen-keys-no").addEventListener("click", () => this.answer(false));
    // The text keeps the caret, whatever is pressed here.
    for (const part of [this.box, this.asks])
      part.addEventListener("mousedown", (e) => {
        if (!(e.target instanceof HTMLSelectElement)) e.preventDefault();
      });
    this.listenToGrip();
  }

  /** @param {boolean} wanted */
  answer(wanted) {
    this.settings.change((s) => (s.screen_keys = { wanted, layout: own() }));
    this.show(true);
    this.field.focus({ preventScroll: true });
  }

  /** A text is begun or opened: by a finger or a pen, it may want the keyboard. */
  begin() {
    this.away = !this.byHand;
    this.dead = "";
    this.show(true);
  }

  /** Somebody types, or does not. @param {boolean} typing */
  show(typing) {
    const { wanted } = this.settings.now.screen_keys;
    const may = typing && !this.away && !isLocked();
    this.asks.hidden = !may || wanted !== null;
    const on = may && wanted === true;
    if (this.box.hidden === on) {
      this.box.hidden = !on;
      if (on) this.open();
    }
    // Where ours is, or is being asked after, the browser's own does not come up.
    this.field.inputMode = may && wanted !== false ? "none" : "";
  }

  async open() {
    const { x, y } = JSON.parse(localStorage.getItem(PLACE) ?? '{"x":0.5,"y":1}');
    this.place(x, y);
    if (!this.keys) {
      const { default: Keyboard } = await import(
        /** @type {string} */ (new URL("../../vendor/simple-keyboard.js", import.meta.url).href)
      );
      this.keys ??= new Keyboard(".simple-keyboard", {
        useButtonTag: true,
        preventMouseDownDefault: true,
        disableButtonHold: false,
        onKeyPress: (/** @type {string} */ key) => this.press(key),
        display: Object.fromEntries(Object.entries(NAMED).map(([key, [sign]]) => [key, sign])),
        mergeDisplay: true,
        buttonAttributes: Object.entries(NAMED).map(([key, [, name]]) => ({
          attribute: "aria-label",
          value: name,
          buttons: key,
        })),
      });
    }
    this.lay();
  }

  /** The keys of the layout that is set. */
  async lay() {
    if (!this.keys) return;
    const { layout = "english" } = this.settings.now.screen_keys;
    const { default: known } = await import(
      /** @type {string} */ (new URL(`../../vendor/simple-keyboard-layouts/${layout}.js`, import.meta.url).href)
    );
    /** Without what a text has no use for, and with arrows. @param {string[]} rows */
    const fitted = (rows) => [...rows.slice(0, 4).map((row) => row.replace("{tab} ", "")), "@ {space} {left} {right}"];
    this.keys.setOptions({
      layout: { default: fitted(known.layout.default), shift: fitted(known.layout.shift) },
      layoutName: this.shifted === "default" ? "default" : "shift",
    });
    /** @type {HTMLSelectElement} */ (el("screen-keys-layout")).value = layout;
    const [x, y] = this.at ?? [0.5, 1];
    this.place(x, y);
    if (this.hides()) this.place(x, y < 0.5 ? 1 : 0);
  }

  /** Whether it lies over what is typed. */
  hides() {
    const [a, b] = [this.box, this.field].map((one) => one.getBoundingClientRect());
    return a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
  }

  /** @param {string} key */
  press(key) {
    const { field } = this;
    if (key === "{shift}" || key === "{lock}") {
      const to = key === "{shift}" ? "shift" : "lock";
      this.shift(this.shifted === to ? "default" : to);
      return;
    }
    const { selectionStart: from, selectionEnd: to, value } = field;
    if (key === "{left}" || key === "{right}") {
      const at = key === "{left}" ? before(value, from) : after(value, to);
      field.setSelectionRange(at, at);
      return;
    }
    if (key === "{bksp}") {
      if (this.dead) this.dead = "";
      else this.put("", from === to ? before(value, from) : from, to);
      return;
    }
    if (key in DEAD && !this.dead) {
      this.dead = key;
      return;
    }
    const letter = key === "{enter}" ? "\n" : key === "{space}" ? " " : key;
    this.put(this.marked(letter), from, to);
    if (this.shifted === "shift") this.shift("default");
  }

  /** A letter with the mark that waited for it, or the mark and then the letter. @param {string} letter */
  marked(letter) {
    const { dead } = this;
    this.dead = "";
    if (!dead) return letter;
    const one = (letter + DEAD[dead]).normalize("NFC");
    if (one.length === 1) return one;
    const [sign = dead] = NAMED[dead] ?? [];
    return letter === " " || letter === dead ? sign : sign + letter;
  }

  /** @param {string} words @param {number} from @param {number} to */
  put(words, from, to) {
    this.field.setRangeText(words, from, to, "end");
    this.field.dispatchEvent(new InputEvent("input", { bubbles: true }));
  }

  /** @param {string} to */
  shift(to) {
    this.shifted = to;
    this.keys.setOptions({ layoutName: to === "default" ? "default" : "shift" });
  }

  /** Where it stands: 0 to the left or at the top, 1 to the right or at the bottom. @param {number} x @param {number} y */
  place(x, y) {
    const mount = el("mount").getBoundingClientRect();
    const within = (/** @type {number} */ v) => Math.max(0, Math.min(v, 1));
    this.at = [within(x), within(y)];
    this.box.style.left = `${this.at[0] * Math.max(0, mount.width - this.box.offsetWidth)}px`;
    this.box.style.top = `${this.at[1] * Math.max(0, mount.height - this.box.offsetHeight)}px`;
  }

  listenToGrip() {
    const grip = el("screen-keys-grip");
    /** @type {{ x: number, y: number } | null} */
    let from = null;
    /** @param {number} left @param {number} top */
    const move = (left, top) => {
      const mount = el("mount").getBoundingClientRect();
      const share = (/** @type {number} */ v, /** @type {number} */ room) => (room > 0 ? v / room : 0);
      this.place(share(left, mount.width - this.box.offsetWidth), share(top, mount.height - this.box.offsetHeight));
      const [x, y] = this.at ?? [0.5, 1];
      localStorage.setItem(PLACE, JSON.stringify({ x, y }));
    };
    grip.addEventListener("pointerdown", (e) => {
      grip.setPointerCapture(e.pointerId);
      from = { x: e.clientX - this.box.offsetLeft, y: e.clientY - this.box.offsetTop };
    });
    grip.addEventListener("pointermove", (e) => from && move(e.clientX - from.x, e.clientY - from.y));
    for (const end of ["pointerup", "pointercancel"]) grip.addEventListener(end, () => (from = null));
    grip.addEventListener("keydown", (e) => {
      const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      if (!step) return;
      e.preventDefault();
      move(this.box.offsetLeft + STEP * step[0], this.box.offsetTop + STEP * step[1]);
    });
  }
}

/** What a reader takes for letters, and where they begin. @param {string} words */
const letters = (words) => [...new Intl.Segmenter().segment(words)];
/** Where the letter before a place begins. @param {string} words @param {number} at */
const before = (words, at) => letters(words.slice(0, at)).at(-1)?.index ?? 0;
/** Where the letter after a place ends. @param {string} words @param {number} at */
const after = (words, at) => at + (letters(words.slice(at))[0]?.segment.length ?? 0);
