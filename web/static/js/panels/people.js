// @ts-check
// Who is here, and whether they are shown what happens.

import { el } from "../page.js";

/** @typedef {{ id: number, name: string }} Person */

/** Who is here. @type {Map<number, string>} */
const here = new Map();
let waiting = false;

/** @param {Person[]} people */
export function showPeople(people) {
  here.clear();
  for (const { id, name } of people) here.set(id, name);
  showSoon();
}

/** @param {Person} person */
export function showCame({ id, name }) {
  here.set(id, name);
  showSoon();
}

/** @param {number} id */
export function showLeft(id) {
  here.delete(id);
  showSoon();
}

/** A class that comes in together is shown once. */
function showSoon() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(show);
}

/** What sends somebody away; the stage gives it. @type {(id: number) => void} */
let sendAway = () => {};

/** @param {(id: number) => void} how */
export function prepareSendingAway(how) {
  sendAway = how;
}

function show() {
  waiting = false;
  el("people-count").textContent = `${here.size}`;
  el("people-title").textContent = here.size === 0 ? "Nobody is here yet" : `${here.size} here`;
  const people = [...here].sort(([, a], [, b]) => a.localeCompare(b));
  el("people-list").replaceChildren(...people.map(([id, name]) => person(id, name)));
}

/** @param {number} id @param {string} name */
function person(id, name) {
  const item = document.createElement("li");
  const words = document.createElement("span");
  words.textContent = name;
  words.dir = "auto";
  const away = document.createElement("button");
  away.className = "key";
  away.textContent = "Send away";
  away.setAttribute("aria-label", `Send ${name} away`);
  away.addEventListener("click", () => sendAway(id));
  item.append(words, away);
  return item;
}

/** @param {boolean} paused */
export function showPaused(paused) {
  document.body.classList.toggle("paused", paused);
  el("pause").setAttribute("aria-pressed", `${paused}`);
  const says = el("pause").querySelector("span");
  if (says) says.textContent = paused ? "Go on showing it to them" : "Pause what they see";
  el("people").title = paused ? "Participants see nothing new: paused" : "Who is here, and how to join";
}
