// @ts-check
// What htmx leaves to do on the pages.

import { sayFaults } from "./faults.js";
import "./focus.js";
import { canChoose, choose, forget, known, prepareFolder } from "./folder.js";

const says = document.getElementById("says");

/**
 * Has htmx ask for something; `false` when it could not. Why has been said by then.
 * @param {string} verb @param {string} address @param {object} options
 */
async function request(verb, address, options) {
  const { htmx } =
    /** @type {{ htmx?: { ajax: (verb: string, address: string, options: object) => Promise<void> } }} */ (window);
  return htmx
    ? htmx.ajax(verb, address, options).then(
        () => true,
        () => false,
      )
    : false;
}

/** @param {string} text */
function say(text) {
  if (!says) return;
  says.textContent = text;
  says.hidden = text === "";
}

prepareFolder(say);

// Where files go, on the settings' page.
const files = document.getElementById("files");
if (files && canChoose) {
  const where = /** @type {HTMLElement} */ (document.getElementById("files-go"));
  const not = /** @type {HTMLButtonElement} */ (document.getElementById("files-not"));
  /** @param {{ name: string } | null} folder */
  const show = (folder) => {
    where.textContent = folder ? `into the folder ${folder.name}` : "to the browser's downloads";
    not.hidden = !folder;
  };
  known().then((folder) => {
    show(folder);
    files.hidden = false;
  });
  document
    .getElementById("files-choose")
    ?.addEventListener("click", async () => show((await choose()) ?? (await known())));
  not.addEventListener("click", () => forget().then(() => show(null)));
}

document.addEventListener("htmx:beforeRequest", () => say(""));
sayFaults(say);
// What was filled in has been taken: the form is there for the next.
document.addEventListener("htmx:afterRequest", (e) => {
  const { elt, successful } = /** @type {CustomEvent<{ elt: Element, successful: boolean }>} */ (e).detail;
  if (successful && elt instanceof HTMLFormElement && elt.dataset.once !== undefined) elt.reset();
});

// What was chosen last in a form is chosen again, on this machine.
for (const form of document.querySelectorAll("form[data-kept]")) {
  if (!(form instanceof HTMLFormElement)) continue;
  const name = `bozzetto-${form.dataset.kept}`;
  const controls = () =>
    [...form.elements].filter((c) => c instanceof HTMLInputElement || c instanceof HTMLSelectElement);
  try {
    const kept = JSON.parse(localStorage.getItem(name) ?? "{}");
    for (const control of controls()) control.value = kept[control.name] ?? control.value;
    form.addEventListener("change", () => {
      localStorage.setItem(name, JSON.stringify(Object.fromEntries(controls().map((c) => [c.name, c.value]))));
    });
  } catch {
    // A browser that keeps nothing chooses anew.
  }
}

// A large picture opens once it has arrived.
document.addEventListener("htmx:afterSwap", (e) => {
  const target = e.target;
  if (target instanceof HTMLDialogElement && !target.open) target.showModal();
  if (target instanceof Element) {
    const field = target.querySelector("input[autofocus]");
    if (field instanceof HTMLInputElement) {
      field.focus();
      field.select();
    }
  }
});

// A menu that was opened closes when something else is pressed.
document.addEventListener("click", (e) => {
  for (const open of document.querySelectorAll("details.new-lesson[open]")) {
    if (!open.contains(/** @type {Node} */ (e.target))) open.removeAttribute("open");
  }
});

// What a key says once it has done its work.
document.addEventListener("htmx:afterRequest", (e) => {
  const { elt, successful } = /** @type {CustomEvent<{ elt: Element, successful: boolean }>} */ (e).detail;
  const words = elt instanceof HTMLElement ? elt.dataset.says : undefined;
  if (successful && words) elt.textContent = words;
});

// ---- Several captures at once -----------------------------------------------------------------

const several = document.getElementById("several");
const chosen = () =>
  /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll('input[form="several"][name="c"]')]);

/** Says how many are chosen, and shows what can be done with them. */
function countChosen() {
  const [count, keys, all] = ["several-count", "several-keys", "all-captures"].map((id) => document.getElementById(id));
  if (!count || !keys || !(all instanceof HTMLInputElement)) return;
  const number = chosen().filter((box) => box.checked).length;
  count.textContent = number ? `${number} chosen` : "";
  keys.hidden = number === 0;
  all.checked = number > 0 && number === chosen().length;
}

if (several) {
  document.addEventListener("change", (e) => {
    if (e.target instanceof HTMLInputElement && e.target.id === "all-captures")
      for (const box of chosen()) box.checked = e.target.checked;
    countChosen();
  });
  document.addEventListener("htmx:afterSwap", countChosen);
}

// ---- Bringing files to a running order or the library ----------------------------------------

const bringing = document.getElementById("bringing");
const brought = /** @type {HTMLInputElement | null} */ (document.getElementById("bring-files"));

/** @param {File[]} files */
async function bring(files) {
  if (!bringing || files.length === 0) return;
  const { bringFiles } = await import("./panels/bringing.js");
  const words = document.createElement("p");
  const bar = document.createElement("progress");
  bringing.replaceChildren(words, bar);
  bringing.hidden = false;
  say("");
  const refused = await bringFiles(files, bringing.dataset.to ?? "", (now, part) => {
    words.textContent = now;
    bar.value = part;
  });
  bringing.hidden = true;
  if (await request("GET", bringing.dataset.list ?? "", { target: "#order", swap: "innerHTML" }))
    say(refused.join(" "));
}

if (bringing && brought) {
  document.getElementById("bring")?.addEventListener("click", () => brought.click());
  brought.addEventListener("change", () => {
    bring([...(brought.files ?? [])]);
    brought.value = "";
  });
  addEventListener("dragover", (e) => {
    if (!e.dataTransfer?.types.includes("Files")) return;
    e.preventDefault();
    document.body.classList.add("dropping");
  });
  for (const over of ["dragleave", "drop"]) addEventListener(over, () => document.body.classList.remove("dropping"));
  addEventListener("drop", (e) => {
    const files = [...(e.dataTransfer?.files ?? [])];
    if (files.length === 0) return;
    e.preventDefault();
    bring(files);
  });
}

// ---- Cards of a running order, dragged to another place ----------------------------------------

/** @type {HTMLElement | null} */
let dragged = null;
const card = (/** @type {EventTarget | null} */ target) =>
  /** @type {HTMLElement | null} */ (target instanceof Element ? target.closest(".backdrop[draggable]") : null);
const unmark = () =>
  document.querySelectorAll(".backdrop").forEach((c) => c.classList.remove("before", "behind", "dragged"));

/** Whether the place is on the right half of a card. @param {DragEvent} e @param {HTMLElement} over */
const behind = (e, over) => e.clientX > over.getBoundingClientRect().left + over.offsetWidth / 2;

document.addEventListener("dragstart", (e) => {
  dragged = card(e.target);
  dragged?.classList.add("dragged");
  e.dataTransfer?.setData("text/plain", dragged?.dataset.id ?? "");
});
document.addEventListener("dragover", (e) => {
  const over = card(e.target);
  if (!dragged || !over || over === dragged) return;
  e.preventDefault();
  document.querySelectorAll(".backdrop").forEach((c) => c.classList.remove("before", "behind"));
  over.classList.add(behind(e, over) ? "behind" : "before");
});
document.addEventListener("drop", async (e) => {
  const over = card(e.target);
  const list = over?.closest("[data-order]");
  if (!dragged || !over || !(list instanceof HTMLElement) || over === dragged) return;
  e.preventDefault();
  const [moved, before] = [dragged, dragged.nextSibling];
  if (behind(e, over)) over.after(dragged);
  else over.before(dragged);
  const order = [...list.querySelectorAll(".backdrop")]
    .map((c) => /** @type {HTMLElement} */ (c).dataset.id)
    .filter(Boolean)
    .join();
  const done = await request("POST", list.dataset.order ?? "", {
    target: "#order",
    swap: "innerHTML",
    values: { order },
  });
  if (!done) list.insertBefore(moved, before);
});
document.addEventListener("dragend", () => {
  unmark();
  dragged = null;
});
