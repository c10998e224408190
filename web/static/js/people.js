// @ts-check
// Who is here, and whether they are shown what happens.

import { el } from "./page.js";

/** @param {{ name: string }[]} people */
export function showPeople(people) {
  el("people-count").textContent = `${people.length}`;
  el("people-title").textContent = people.length === 0 ? "Nobody is here yet" : `${people.length} here`;
  el("people-list").replaceChildren(
    ...people.map(({ name }) => {
      const item = document.createElement("li");
      item.textContent = name;
      return item;
    }),
  );
}

/** @param {boolean} paused */
export function showPaused(paused) {
  document.body.classList.toggle("paused", paused);
  el("pause").setAttribute("aria-pressed", `${paused}`);
  const says = el("pause").querySelector("span");
  if (says) says.textContent = paused ? "Go on showing it to them" : "Pause what they see";
  el("people").title = paused ? "Participants see nothing new: paused" : "Who is here, and how to join";
}
