// @ts-check
// Who is here, what was passed to them, and whether they are shown what happens.

import { el } from "../page.js";

/** @import { Glass, Person } from "../../glass/glass.js" */

/** Who is here. @type {Map<number, Person>} */
const here = new Map();
let waiting = false;

/** @param {Person[]} people */
export function showPeople(people) {
  here.clear();
  for (const person of people) here.set(person.id, person);
  showSoon();
}

/** Somebody has come, or is otherwise than they were. @param {Person} person */
export function showCame(person) {
  here.set(person.id, person);
  showSoon();
}

/** @param {number} id */
export function showLeft(id) {
  here.delete(id);
  showSoon();
}

/** What somebody is called; nothing for who is no participant. @param {number} id */
export const nameOf = (id) => here.get(id)?.name;

/** A class that comes in together is shown once. */
function showSoon() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(show);
}

/** @typedef {{ glass: Glass, act: (deed: () => unknown) => void, handGone: () => void }} Stage `handGone` hears that somebody has the hand no more */

/** @type {Stage | null} */
let stage = null;
/** Who has the hand, and is at the stage. @type {number | undefined} */
let handOf;

/** @param {Stage} given */
export function preparePeople(given) {
  stage = given;
  el("pens-pass").addEventListener("click", () => pass(undefined, true));
  el("pens-back").addEventListener("click", pensBack);
  el("sent").addEventListener("htmx:afterSwap", () => {
    const waiting = document.querySelectorAll("#sent li").length;
    el("sent-up").hidden = waiting === 0;
    el("sent-up").textContent = `${waiting} sent`;
  });
}

/** @param {number | undefined} id whom; everybody who is here @param {boolean} pen */
const pass = (id, pen) => stage?.act(() => stage?.glass.pass_pen(id, pen));

/** @param {number | undefined} id whom; nobody any more */
const passHand = (id) => stage?.act(() => stage?.glass.pass_hand(id));

/** All pens, and the hand. */
export const pensBack = () => pass(undefined, false);

function show() {
  waiting = false;
  const people = [...here.values()];
  const has = people.find(({ hand, sees }) => hand && (sees === "streams" || sees === "stills"))?.id;
  if (handOf !== undefined && handOf !== has) stage?.handGone();
  handOf = has;
  const raised = people.filter((person) => person.raised !== null).length;
  const many = people.filter((person) => person.sees !== "nothing").length;
  el("people-count").textContent = `${many}`;
  el("hands-up").hidden = raised === 0;
  el("hands-up").textContent = `${raised} up`;
  el("people-title").textContent = many === 0 ? "Nobody is here" : `${many} here`;
  el("pens").hidden = here.size === 0;
  el("pens-back").hidden = !people.some((person) => person.pen || person.hand);
  // Raised hands in their order, then pens, then everybody by name.
  /** @param {Person} person */
  const rank = ({ raised, pen, hand, sees }) =>
    sees === "nothing" ? 30_000 : (raised ?? (pen || hand ? 10_000 : 20_000));
  people.sort((a, b) => rank(a) - rank(b) || a.name.localeCompare(b.name));
  el("people-list").replaceChildren(...people.map(item));
}

/** What they see, and how, where that is not the stage as it is. */
const HOW = { streams: "", stills: "gets stills", own: "at what is theirs", nothing: "line lost" };

/** @param {Person} person */
function item({ id, name, pen, hand, raised, sees }) {
  const item = document.createElement("li");
  item.dataset.person = `${id}`;
  const words = document.createElement("span");
  words.textContent = name;
  words.dir = "auto";
  const how = document.createElement("small");
  how.textContent = [raised && `hand ${raised}`, pen && "has a pen", hand && "has the hand", HOW[sees]]
    .filter(Boolean)
    .join(", ");
  const keys = document.createElement("span");
  keys.className = "keys";
  keys.append(
    pen
      ? key("Take it back", `Take the pen back from ${name}`, () => pass(id, false))
      : key("Pass the pen", `Pass the pen to ${name}`, () => pass(id, true)),
  );
  keys.append(
    hand
      ? key("Take the hand back", `Take the hand back from ${name}`, () => passHand(undefined))
      : key("Pass the hand", `Pass the hand to ${name}: they operate the page on stage`, () => passHand(id)),
  );
  if (raised !== null)
    keys.append(key("Hand down", `${name}'s hand down`, () => stage?.act(() => stage?.glass.lower_hand(id))));
  keys.append(
    key("Wipe theirs", `Wipe what ${name} has drawn`, () => stage?.act(() => stage?.glass.wipe_of(id))),
    key("Send away", `Send ${name} away`, () => stage?.act(() => stage?.glass.send_away(id))),
  );
  item.append(words, how, keys);
  return item;
}

/** @param {string} shown @param {string} label @param {() => unknown} deed */
function key(shown, label, deed) {
  const key = document.createElement("button");
  key.className = "key";
  key.textContent = shown;
  key.setAttribute("aria-label", label);
  key.addEventListener("click", () => deed());
  return key;
}

/** @param {boolean} paused */
export function showPaused(paused) {
  document.body.classList.toggle("paused", paused);
  el("pause").setAttribute("aria-pressed", `${paused}`);
  const says = el("pause").querySelector("span");
  if (says) says.textContent = paused ? "Go on showing it to them" : "Pause what they see";
  el("people").title = paused ? "Participants see nothing new: paused" : "Who is here, and how to join";
}
