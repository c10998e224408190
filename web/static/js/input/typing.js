// @ts-check
// Typing on the glass: a field without letters of its own lies over what the engine has laid out.

import { el } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { ScreenKeys } from "./screen_keys.js" */
/** The module that lays out. @typedef {typeof import("../../glass/text.js")} Layout */

const SMALLER = 0.8;
/** How far an arrow key moves the wrap width, in units. */
const STEP = 20;
/** When letters that could not be fetched are fetched again, in milliseconds. */
const AGAIN = 2000;

export class Typing {
  /**
   * @param {{ glass: Glass, act: (deed: () => unknown) => void, keys: ScreenKeys,
   *   flush: () => void, area: () => { left: number, top: number, width: number, height: number } }} stage
   */
  constructor(stage) {
    this.stage = stage;
    this.glass = stage.glass;
    this.text = /** @type {HTMLTextAreaElement} */ (el("typing"));
    this.bar = el("typing-bar");
    /** Fetched when it is first wanted, or when there is time. @type {Layout | null} */
    this.layout = null;
    /** @type {number | undefined} */
    this.telling = undefined;
    /** Fonts that are here, or on their way. @type {Set<string>} */
    this.fonts = new Set();
    /** Fonts that could not be fetched. @type {Set<string>} */
    this.failed = new Set();
    /** @type {Promise<void> | null} */
    this.fetching = null;
    (window.requestIdleCallback ?? ((f) => setTimeout(f, 2000)))(() => this.fetch());

    this.text.addEventListener("input", () => this.typed({}));
    this.text.addEventListener("keydown", (e) => {
      if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) this.end();
      e.stopPropagation();
      if (e.key === "Escape") this.end();
    });
    el("typing-done").addEventListener("click", () => this.end());
    el("typing-smaller").addEventListener("click", () => this.resize((size) => size * SMALLER));
    el("typing-larger").addEventListener("click", () => this.resize((size) => size / SMALLER));
    el("typing-fit").addEventListener("click", () => this.resize(() => this.glass.text_good_size()));
    this.listenToWrap();
  }

  get field() {
    return this.glass.text_field();
  }

  fetch() {
    this.fetching ??= (async () => {
      const module = await import("../../glass/text.js");
      await module.default();
      this.layout = module;
      if (this.glass.is_typing()) this.typed({});
    })();
    return this.fetching;
  }

  /**
   * Begins a text with words that are there already.
   * @param {string} words @param {number} x @param {number} y
   */
  async write(words, x, y) {
    await this.fetch();
    this.glass.text_begin(x, y);
    this.begin();
    this.text.value = words;
    this.typed({});
  }

  openSelected() {
    if (this.glass.text_open_selected()) this.begin();
  }

  /** A text has been begun or opened, or typing is over. */
  begin() {
    this.fetch();
    const { field } = this;
    this.show();
    if (!field) return;
    this.text.value = field.content;
    this.stage.keys.begin();
    this.focus();
  }

  /** Ends typing; `false` when nobody was. */
  end() {
    if (!this.glass.is_typing()) {
      this.text.hidden = this.bar.hidden = true;
      this.stage.keys.show(false);
      return false;
    }
    this.stage.act(() => this.glass.text_end());
    this.show();
    return true;
  }

  restyle() {
    if (!this.glass.is_typing()) return;
    this.stage.act(() => this.glass.text_restyle());
    this.show();
  }

  /** @param {(size: number) => number} to */
  resize(to) {
    const { field } = this;
    if (field) this.typed({ size: Math.round(Math.min(Math.max(to(field.size), 8), 400)) });
    this.focus();
  }

  /**
   * Undoes or redoes within what is being typed; `false` when nobody types.
   * @param {"undo" | "redo"} which
   */
  history(which) {
    if (!this.glass.is_typing()) return false;
    this.focus();
    // Deprecated, and the only way to a field's own history.
    document.execCommand(which);
    return true;
  }

  /** The keyboard is the text's. */
  focus() {
    this.text.focus({ preventScroll: true });
  }

  /**
   * What is in the field is laid out anew.
   * @param {{ size?: number, wrap?: number }} change
   */
  typed(change) {
    const { field, layout } = this;
    if (!field) return;
    const {
      size,
      wrap,
      x,
      y,
      width,
      room: [right, left],
    } = { ...field, ...change };
    if (layout) {
      const laidOut = layout.lay_out(this.text.value, size, wrap ?? 0, x, y, width, right, left);
      this.glass.text_typed(laidOut);
      this.tellIn(0);
      for (const name of layout.fonts_wanted().split(" ").filter(Boolean)) this.fetchFont(name);
    }
    this.stage.act(() => {});
    this.show();
  }

  /** What is typed is told to everybody after the key's own work, a long text a moment later. @param {number} wait */
  tellIn(wait) {
    clearTimeout(this.telling);
    this.telling = window.setTimeout(() => {
      const more = this.glass.text_tell(performance.now());
      this.stage.flush();
      if (more > 0) this.tellIn(more);
    }, wait);
  }

  /**
   * A letter has been typed that is in this font. The field gets it too, so that its caret stands
   * where the letters do.
   * @param {string} name
   */
  async fetchFont(name) {
    const { layout } = this;
    if (!layout || this.fonts.has(name)) return;
    this.fonts.add(name);
    try {
      const response = await fetch(new URL(`../../fonts/text/${name}.ttf`, import.meta.url));
      if (!response.ok) throw new Error(name);
      const bytes = await response.arrayBuffer();
      const face = await new FontFace(`Letters ${name}`, bytes.slice(0)).load();
      document.fonts.add(face);
      this.text.style.fontFamily = `${getComputedStyle(this.text).fontFamily}, ${face.family}`;
      layout.font_came(name, new Uint8Array(bytes));
      this.failed.delete(name);
    } catch {
      this.fonts.delete(name);
      this.failed.add(name);
      // What is typed next asks for it again; who waits for the letters need not type for that.
      setTimeout(() => this.glass.is_typing() && this.typed({}), AGAIN);
    }
    if (this.failed.has(name)) this.show();
    else this.typed({});
  }

  /** Lays the field over the text, and the bar beside it. */
  show() {
    const { field, text, bar } = this;
    text.hidden = bar.hidden = !field;
    if (!field) return this.stage.keys.show(false);
    const { left, top } = this.stage.area();
    const [a, b, c, d, e, f] = field.matrix;
    const x = a * field.x + c * field.y + e + left;
    const y = b * field.x + d * field.y + f + top;
    const { r, g, b: blue } = field.colour;
    // As wide as its lines, with some room for the caret, and never so wide that it breaks them elsewhere.
    const backwards = this.layout?.runs_to_the_left(text.value) ?? false;
    const room = Math.max(backwards ? field.room[1] : field.room[0], field.size * 2);
    const wide = this.layout ? Math.min(Math.max(field.width + field.size * 0.6, field.size * 4), room) : room;
    const begins = backwards && !field.wrap ? field.width - wide : 0;
    Object.assign(text.style, {
      transform: `matrix(${[a, b, c, d, x + a * begins, y + b * begins]})`,
      fontSize: `${field.size}px`,
      width: `${field.wrap ?? wide}px`,
      height: `${Math.max(field.height, field.size * 1.25)}px`,
      caretColor: `rgb(${r} ${g} ${blue})`,
    });
    // Until the module that lays out is here, the field shows its own letters.
    text.classList.toggle("unread", this.layout === null);
    el("typing-size").textContent = `${Math.round(field.size)}`;
    el("typing-fit").hidden = !field.short;
    el("typing-good").textContent = `${Math.round(this.glass.text_good_size())}`;
    const missing = el("typing-missing");
    const offline = this.failed.size > 0;
    missing.hidden = field.missing === "" && !offline;
    missing.textContent = offline
      ? "Some letters could not be fetched: the line is down."
      : `No font here has ${[...field.missing].join(" ")}`;
    const mount = el("mount").getBoundingClientRect();
    const below = y + field.height * d + 14;
    const h = bar.offsetHeight;
    bar.style.left = `${Math.max(8, Math.min(x, mount.width - bar.offsetWidth - 8))}px`;
    bar.style.top = `${below + h < mount.height ? below : Math.max(8, y - h - 14)}px`;
  }

  /** The key that is dragged to where lines are to break. */
  listenToWrap() {
    const key = el("typing-wrap");
    /** @type {{ x: number, width: number } | null} */
    let drag = null;
    const now = () => {
      const { field } = this;
      return field ? (field.wrap ?? Math.max(field.width, field.size * 3)) : 0;
    };
    /** @param {number} wrap */
    const set = (wrap) => this.typed({ wrap: Math.max(wrap, (this.field?.size ?? 8) * 2) });
    key.addEventListener("pointerdown", (e) => {
      key.setPointerCapture(e.pointerId);
      drag = { x: e.clientX, width: now() };
    });
    key.addEventListener("pointermove", (e) => {
      const { field } = this;
      if (drag && field) set(drag.width + (e.clientX - drag.x) / Math.hypot(field.matrix[0], field.matrix[1]));
    });
    for (const end of ["pointerup", "pointercancel"]) key.addEventListener(end, () => (drag = null));
    key.addEventListener("keydown", (e) => {
      const step = { ArrowLeft: -STEP, ArrowRight: STEP }[e.key];
      if (step) set(now() + step);
    });
  }
}
