// @ts-check
// The page of a recording: what is cut and written is chosen where the film stands.

import { el, input } from "./page.js";
// Chapters are as on every page with a film.
import "./watch.js";

const film = /** @type {HTMLVideoElement | null} */ (document.getElementById("film"));
if (film) {
  prepareCut(film);
  preparePoster(film);
  prepareCaptions(film);
}
// What is to be copied is chosen whole.
for (const field of document.querySelectorAll("input[readonly]"))
  field.addEventListener("focus", () => /** @type {HTMLInputElement} */ (field).select());

/** @param {HTMLVideoElement} film */
function prepareCut(film) {
  const here = () => film.currentTime.toFixed(2);
  el("cut-from").addEventListener("click", () => (input("from").value = here()));
  el("cut-to").addEventListener("click", () => (input("to").value = here()));
}

/** @param {HTMLVideoElement} film */
function preparePoster(film) {
  el("poster").addEventListener("click", async () => {
    const canvas = document.createElement("canvas");
    canvas.width = film.videoWidth;
    canvas.height = film.videoHeight;
    canvas.getContext("2d")?.drawImage(film, 0, 0);
    const picture = await new Promise((/** @type {(blob: Blob | null) => void} */ done) => canvas.toBlob(done));
    const form = new FormData();
    form.set("picture", picture ?? new Blob(), "poster.png");
    const response = await fetch(el("poster").dataset.to ?? "", { method: "POST", body: form }).catch(() => null);
    const why = response ? response.headers.get("x-bozzetto-says") : "The line is down.";
    const says = el("says");
    says.hidden = false;
    says.textContent = response?.ok ? "This picture stands for it now." : (why ?? "It was not kept.");
  });
}

/** @param {HTMLVideoElement} film */
function prepareCaptions(film) {
  /** What is written without another end stays for so long, in seconds. */
  const STAYS = 3;
  const form = /** @type {HTMLFormElement} */ (el("cues"));
  const list = /** @type {HTMLElement} */ (form.querySelector("ol"));
  const time = (/** @type {number} */ seconds) =>
    `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
  list.addEventListener("click", (e) => {
    const key = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-cue]"));
    const line = key?.closest("li");
    if (!key || !line) return;
    const which = key.dataset.cue;
    if (which === "out") return line.remove();
    line.dataset[which === "from" ? "from" : "to"] = `${film.currentTime}`;
    key.textContent = time(film.currentTime);
  });
  el("cue-here").addEventListener("click", () => {
    const line = document.createElement("li");
    const from = film.currentTime;
    line.dataset.from = `${from}`;
    line.dataset.to = `${from + STAYS}`;
    const key = (/** @type {string} */ which, /** @type {string} */ words, /** @type {string} */ name) => {
      const made = document.createElement("button");
      made.className = which === "out" ? "key square" : "key";
      made.type = "button";
      made.dataset.cue = which;
      made.textContent = words;
      if (name) made.setAttribute("aria-label", name);
      return made;
    };
    const text = document.createElement("textarea");
    text.className = "form-control";
    text.rows = 2;
    text.dir = "auto";
    text.setAttribute("aria-label", `What is written from ${time(from)}`);
    line.append(key("from", time(from), ""), key("to", time(from + STAYS), ""), text);
    line.append(key("out", "×", `Remove what is written from ${time(from)}`));
    list.append(line);
    text.focus();
  });
  form.addEventListener("submit", () => {
    const cues = [...list.querySelectorAll("li")].map((line) => ({
      from: Number(line.dataset.from),
      to: Number(line.dataset.to),
      text: line.querySelector("textarea")?.value ?? "",
    }));
    /** @type {HTMLInputElement} */ (form.elements.namedItem("cues")).value = JSON.stringify(cues);
  });
}
