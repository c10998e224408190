// @ts-check
// The running order on the stage, and what is put on it.

import { ask, say, showLine } from "../messages.js";
import { button, el, icon, input } from "../page.js";
import { closePanels, panel } from "./panels.js";

/** @typedef {{ id: string, name: string, kind: string, pages: number }} Backdrop */
/** @typedef {{ order: Backdrop[], current: string | null, beside: string | null, paused: boolean }} Lesson */

export class Order {
  /**
   * @param {string} lesson
   * @param {{ goTo: (id: string) => void, putBeside: (id: string) => void, turn: (by: number) => boolean, inUse: () => string | null }} stage
   *   `turn` turns a page of the document on stage, if it has one that far
   */
  constructor(lesson, { goTo, putBeside, turn, inUse }) {
    this.lesson = lesson;
    this.goTo = goTo;
    this.putBeside = putBeside;
    this.turn = turn;
    this.inUse = inUse;
    /** @type {Lesson} */
    this.state = { order: [], current: null, beside: null, paused: false };
    /** The note that was begun last, and what was on stage before. @type {{ note: string | null, before: string } | null} */
    this.noting = null;
    /** What was asked back into the running order, and goes on stage when it is there. @type {string | null} */
    this.coming = null;
    /** What was removed last, to be offered back once it is gone from the stage. @type {{ id: string, name: string, said: boolean } | null} */
    this.removed = null;
    panel("order", "order-panel", () => {
      for (const id of ["address-form", "order-rename-form", "order-removed"]) el(id).hidden = true;
      this.fill();
    });
    el("previous").addEventListener("click", () => this.go(-1));
    el("next").addEventListener("click", () => this.go(1));
    for (const key of document.querySelectorAll("[data-board]")) {
      key.addEventListener("click", () => {
        closePanels();
        const body = new URLSearchParams({ ruling: /** @type {HTMLElement} */ (key).dataset.board ?? "plain" });
        body.set("surface", /** @type {HTMLSelectElement} */ (el("board-surface")).value);
        body.set("spacing", /** @type {HTMLSelectElement} */ (el("board-spacing")).value);
        if (input("board-halved").checked) body.set("halved", "yes");
        ask(`/lessons/${lesson}/boards`, body);
      });
    }
    for (const key of document.querySelectorAll("[data-source]")) {
      key.addEventListener("click", () => {
        closePanels();
        ask(
          `/lessons/${lesson}/sources`,
          new URLSearchParams({ what: /** @type {HTMLElement} */ (key).dataset.source ?? "" }),
        );
      });
    }
    this.prepareAddress();
    this.prepareOne();
    const file = input("picture-file");
    el("add-picture").addEventListener("click", () => file.click());
    file.addEventListener("change", () => {
      closePanels();
      this.bring([...(file.files ?? [])]);
      file.value = "";
    });
  }

  /** What can be done with the backdrop on stage: with two, with the one that the hand was on last. */
  prepareOne() {
    const form = el("order-rename-form");
    /** @param {string} id @param {string} what @param {URLSearchParams} [body] */
    const tell = (id, what, body = new URLSearchParams()) =>
      ask(`/lessons/${this.lesson}/backdrops/${id}/${what}`, body);
    const one = () => this.state.order[this.at];
    for (const [id, by] of /** @type {const} */ ([
      ["order-earlier", -1],
      ["order-later", 1],
    ])) {
      el(id).addEventListener("click", () => tell(one().id, `move/${by}`));
    }
    /** @param {boolean} open */
    const rename = (open) => {
      form.hidden = !open;
      el("order-rename").setAttribute("aria-expanded", `${open}`);
    };
    el("order-rename").addEventListener("click", () => {
      rename(form.hidden === true);
      input("order-name").value = one().name;
      input("order-name").select();
    });
    form.addEventListener("submit", async (e) => {
      e.preventDefault();
      const done = await tell(one().id, "rename", new URLSearchParams({ name: input("order-name").value }));
      rename(!done?.ok);
      if (done?.ok) el("order-rename").focus();
    });
    el("order-remove").addEventListener("click", async () => {
      const { id, name } = one();
      rename(false);
      if (!(await tell(id, "remove"))?.ok) return;
      this.removed = { id, name, said: false };
      this.sayRemoved();
    });
    el("order-restore").addEventListener("click", async () => {
      if (!this.removed) return;
      const { id } = this.removed;
      this.coming = id;
      if (!(await tell(id, "restore"))?.ok) {
        this.coming = null;
        return;
      }
      el("order-removed").hidden = true;
    });
  }

  prepareAddress() {
    el("add-address").addEventListener("click", () => {
      el("address-form").hidden = false;
      el("address-says").hidden = true;
      el("address-anyway").hidden = true;
      input("address").focus();
    });
    /** @param {boolean} anyway */
    const add = async (anyway) => {
      const body = new URLSearchParams({ address: input("address").value, anyway: `${anyway}` });
      const says = el("address-says");
      says.textContent = "Asking the page whether it can be shown…";
      says.hidden = false;
      const response = await ask(`/lessons/${this.lesson}/pages`, body);
      if (!response?.ok) return void (says.hidden = true);
      const { added, why } = await response.json();
      if (added) return void closePanels();
      says.textContent = why;
      el("address-anyway").hidden = false;
    };
    el("address-form").addEventListener("submit", (e) => {
      e.preventDefault();
      add(false);
    });
    el("address-anyway").addEventListener("click", () => add(true));
  }

  /** The place of the backdrop in use: with two on stage, the one that the hand was on last. */
  get at() {
    const id = this.inUse() ?? this.state.current;
    return this.state.order.findIndex((b) => b.id === id);
  }

  /** @param {Lesson} state */
  show(state) {
    this.state = state;
    // What came on stage by itself after a note was asked for is the note.
    if (this.noting && this.noting.note === null && state.current !== this.noting.before)
      this.noting.note = state.current;
    this.showPlace();
    if (!el("order-panel").hidden) this.fill();
    this.sayRemoved();
    const { coming } = this;
    if (coming && state.order.some((b) => b.id === coming)) {
      this.coming = null;
      this.goTo(coming);
    }
  }

  /** Says that it is removed when the stage knows it, which may be later than the answer to the click. */
  sayRemoved() {
    const { removed } = this;
    if (!removed || removed.said || this.state.order.some((b) => b.id === removed.id)) return;
    removed.said = true;
    el("order-removed-name").textContent = removed.name;
    el("order-removed").hidden = false;
    el("order-restore").focus();
  }

  /** What the rail says of the backdrop in use. */
  showPlace() {
    const { at, state } = this;
    el("backdrop-name").textContent = state.order[at]?.name ?? "Nothing on stage";
    const next = state.order[at + 1];
    el("backdrop-place").textContent = `${at + 1} of ${state.order.length}${next ? ` · ${next.name} next` : ""}`;
    button("previous").disabled = at <= 0;
    button("next").disabled = !next;
  }

  /** A page further of a document, or the next backdrop. @param {number} by */
  step(by) {
    if (!this.turn(by)) this.go(by);
  }

  /** A fresh board for a note; once more: back to what was there. */
  async note() {
    const { current } = this.state;
    if (!current) return;
    if (this.noting?.note === current) {
      this.goTo(this.noting.before);
      this.noting = null;
      return;
    }
    this.noting = { note: null, before: current };
    const response = await ask(`/lessons/${this.lesson}/boards`, new URLSearchParams({ ruling: "plain", note: "yes" }));
    // Nothing came of it: what comes on stage next is no note.
    if (!response?.ok) this.noting = null;
  }

  /** @param {number} step */
  go(step) {
    const to = this.state.order[this.at + step];
    if (to?.id) this.goTo(to.id);
  }

  fill() {
    const items = this.state.order.map((b) => {
      const item = document.createElement("li");
      const key = document.createElement("button");
      const small = new Image();
      small.src = `/lessons/${this.lesson}/backdrops/${b.id}/thumbnail.png`;
      small.alt = "";
      const name = document.createElement("span");
      name.textContent = b.name;
      key.append(small, name);
      key.setAttribute("aria-current", `${b.id === this.state.current}`);
      key.addEventListener("click", () => {
        closePanels();
        if (b.id) this.goTo(b.id);
      });
      item.append(key);
      if (b.id !== this.state.current && b.id !== this.state.beside) {
        const beside = document.createElement("button");
        beside.className = "beside";
        beside.title = "Put it beside what is on stage";
        beside.setAttribute("aria-label", `Put ${b.name} beside what is on stage`);
        beside.append(icon("columns-2"));
        beside.addEventListener("click", () => {
          closePanels();
          this.putBeside(b.id);
        });
        item.append(beside);
      }
      return item;
    });
    el("order-list").replaceChildren(...items);
    const { at } = this;
    el("order-one").hidden = at < 0;
    button("order-earlier").disabled = at <= 0;
    button("order-later").disabled = at + 1 >= items.length;
  }

  /**
   * Puts files on stage as backdrops.
   * @param {File[]} files
   */
  async bring(files) {
    const { bringFiles } = await import("./bringing.js");
    const refused = await bringFiles(files, `/lessons/${this.lesson}/backdrops`, (words, part) => {
      showLine(part < 1 ? `${words}: ${Math.round(part * 100)} %` : words);
    });
    showLine(null);
    if (refused.length) say(refused.join(" "));
  }
}
