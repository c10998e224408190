// @ts-check
// What participants can pick up.

import { el, thousands } from "../page.js";

/** @import { TakeAway } from "../../glass/glass.js" */

/** By when a download that was begun is known to the server, in milliseconds. */
const SOON = 1000;

/**
 * @param {string} lesson
 * @param {() => void} opened one has been opened
 */
export function prepareTakeAways(lesson, opened) {
  const large = /** @type {HTMLDialogElement} */ (document.getElementById("large"));

  /** What there is, captures and others. */
  function showKeys() {
    const many = document.querySelectorAll("#take-aways .there > li").length;
    el("none-yet").hidden = many > 0;
    el("take-all").hidden = many < 2;
  }
  const others = el("files-and-links");
  others.addEventListener("htmx:afterSwap", showKeys);
  // What has been opened is new no more.
  others.addEventListener("click", (e) => {
    if (e.target instanceof HTMLAnchorElement) setTimeout(opened, SOON);
  });

  /** Shows what there is now. @param {TakeAway[]} items */
  function show(items) {
    const list = el("take-away-list");
    /** @type {Map<string, Element>} */
    const known = new Map([...list.children].map((li) => [/** @type {HTMLElement} */ (li).dataset.item ?? "", li]));
    list.replaceChildren(
      ...items.map((item) => {
        const mark = JSON.stringify(item);
        return known.get(mark) ?? takeAway(item, mark);
      }),
    );
    showKeys();
  }

  /** @param {TakeAway} item @param {string} mark */
  function takeAway(item, mark) {
    const base = `/follow/${lesson}/take-aways/${item.id}`;
    const li = document.createElement("li");
    li.dataset.item = mark;
    li.dataset.id = `${item.id}`;
    const open = document.createElement("button");
    open.className = "open";
    open.setAttribute("aria-label", `Open ${item.name} large`);
    const small = new Image();
    small.src = `${base}/small.png?v=${item.version}`;
    small.loading = "lazy";
    small.alt = "";
    open.append(small);
    open.addEventListener("click", () => openLarge(item, base));
    const words = document.createElement("div");
    const name = document.createElement("b");
    name.textContent = item.name;
    const pixels = document.createElement("span");
    pixels.className = "small-line";
    pixels.textContent = `${thousands(item.width)} × ${thousands(item.height)} px`;
    const isNew = document.createElement("b");
    isNew.className = "new";
    isNew.textContent = "new";
    words.append(name, pixels, isNew);
    li.append(open, words, download(base, item.name));
    return li;
  }

  /** @param {string} base @param {string} name */
  function download(base, name) {
    const link = document.createElement("a");
    link.className = "key";
    link.href = `${base}/download`;
    link.textContent = "Download";
    link.setAttribute("aria-label", `Download ${name}`);
    link.addEventListener("click", () => setTimeout(opened, SOON));
    return link;
  }

  /** @param {TakeAway} item @param {string} base */
  function openLarge(item, base) {
    const head = document.createElement("div");
    head.className = "large-head";
    const words = document.createElement("div");
    const name = document.createElement("h2");
    name.textContent = item.name;
    words.append(name);
    const close = document.createElement("button");
    close.className = "key strong";
    close.textContent = "Close";
    close.addEventListener("click", () => large.close());
    head.append(words, download(base, item.name), close);
    const picture = new Image(item.width, item.height);
    picture.src = `${base}/picture.png?v=${item.version}`;
    picture.alt = item.name;
    picture.addEventListener("load", opened);
    large.replaceChildren(head, picture);
    large.showModal();
  }

  /** @param {number[]} ids those that this participant has opened */
  function markOpened(ids) {
    for (const li of el("take-away-list").children) {
      const { id } = /** @type {HTMLElement} */ (li).dataset;
      li.classList.toggle("is-new", !ids.includes(Number(id)));
    }
  }
  el("take-all").addEventListener("click", () => setTimeout(opened, SOON));
  return { show, markOpened };
}
