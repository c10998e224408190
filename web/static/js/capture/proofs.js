// @ts-check
// Proofs: cards that show what was just taken, beside the work.

import { save } from "../folder.js";

/** @typedef {{ process: (element: Element) => void }} Htmx */

const proofs = /** @type {HTMLElement} */ (document.getElementById("proofs"));

/** How many proofs stay; older captures are in Captures all the same. */
const KEPT = 2;
/** How long a proof stays that nobody has to do with, in milliseconds. */
const STAYS = 60_000;

/**
 * Takes a box and shows its proof.
 * @param {string} lesson
 * @param {string} request as core writes it
 * @param {{ id: string, shows: number[], blob: Blob }[]} frames what moves, at that instant
 * @param {(text: string) => void} says
 * @returns {Promise<boolean>} whether it was taken
 */
export async function takeCapture(lesson, request, frames, says) {
  const body = new FormData();
  body.append("request", request);
  body.append("frames", JSON.stringify(frames.map(({ id, shows }) => [id, shows])));
  for (const { blob } of frames) body.append("frame", blob, "frame.png");
  let response;
  try {
    response = await fetch(`/lessons/${lesson}/captures`, { method: "POST", body });
  } catch {
    says("Nothing was taken: the line to the server is down. Try again when it is back.");
    return false;
  }
  if (!response.ok) {
    says(response.headers.get("x-bozzetto-says") ?? "Nothing was taken.");
    return false;
  }
  proofs.insertAdjacentHTML("afterbegin", await response.text());
  while (proofs.children.length > KEPT) proofs.lastElementChild?.remove();
  const proof = /** @type {HTMLElement} */ (proofs.firstElementChild);
  /** @type {{ htmx?: Htmx }} */ (window).htmx?.process(proof);
  await follow(proof, says);
  stays(proof.id);
  return true;
}

/** A proof goes when nobody has had to do with it for some time. @param {string} id */
function stays(id) {
  setTimeout(() => {
    // What was done with it has put another one in its place.
    const proof = document.getElementById(id);
    if (proof?.matches(":hover, :focus-within") || proof?.querySelector("input:not([type=checkbox])")) stays(id);
    else proof?.remove();
  }, STAYS);
}

/** Does with a capture what is always done with those like it. @param {HTMLElement} proof @param {(text: string) => void} says */
async function follow(proof, says) {
  const [name, path] = [proof.dataset.name ?? "", (proof.dataset.picture ?? "").replace(/\/picture\.png.*/, "")];
  const route = routes.of(proof.dataset.way ?? "");
  const next = proof.querySelector("select");
  if (next) next.value = route;
  if (route === "ask") return;
  if (route === "keep") says(`${name}: kept in Captures.`);
  else if (route === "copy") {
    const words = await copied(proof);
    says(`${name}: kept in Captures. ${words}`);
  } else if (route === "place" || route === "new-page") {
    const deed = proofDeeds[route === "place" ? "place-proof" : "page-proof"];
    // It stays and asks, when that did not work.
    if (!(await deed(proof.id.replace("proof-", "")))) return;
  } else if (route === "hand-out") {
    const response = await fetch(`${path}/hand-out`, { method: "POST" }).catch(() => null);
    if (!response?.ok) return says(`${name}: kept in Captures, but not handed out.`);
    says(`${name}: handed out, and kept in Captures.`);
  } else {
    says(`${name}: kept in Captures, and ${await save(`${path}/download`)}.`);
  }
  proof.remove();
}

/** What becomes of captures: see core's settings. */
export const routes = {
  /** @type {(way: string) => string} */
  of: () => "ask",
  /** @type {(way: string, route: string) => void} */
  set: () => {},
};

proofs.addEventListener("change", (e) => {
  const control = /** @type {HTMLElement} */ (e.target);
  if (!(control instanceof HTMLSelectElement) || control.dataset.route === undefined) return;
  routes.set(/** @type {HTMLElement} */ (control.closest(".proof"))?.dataset.way ?? "", control.value);
});

/** Closes the newest proof; `false` when there is none. */
export function closeProof() {
  const first = proofs.firstElementChild;
  first?.remove();
  return first !== null;
}

/**
 * What else a proof's keys do, by their names: they get the capture's number, and give whether it was done.
 * @type {Record<string, (id: string) => Promise<boolean>>}
 */
export const proofDeeds = {};

proofs.addEventListener("click", async (e) => {
  const control = /** @type {HTMLElement} */ (e.target).closest("[data-do]");
  const proof = /** @type {HTMLElement | null} */ (control?.closest(".proof") ?? null);
  if (!(control instanceof HTMLElement) || !proof) return;
  if (control.dataset.do === "close-proof") proof.remove();
  if (control.dataset.do === "copy-proof") copy(proof);
  const deed = proofDeeds[control.dataset.do ?? ""];
  // It is done, and in the way of what was done.
  if (deed && (await deed(proof.id.replace("proof-", "")))) proof.remove();
  if (control.dataset.do === "front-proof") {
    proofs.prepend(proof);
    /** @type {HTMLElement | null} */ (proof.querySelector(".keys .key"))?.focus();
  }
});

/** @param {HTMLElement} proof */
async function copy(proof) {
  const says = /** @type {HTMLElement} */ (proof.querySelector(".proof-says"));
  says.textContent = await copied(proof);
}

/** Puts a capture on the clipboard; gives what is to be said of that. @param {HTMLElement} proof */
async function copied(proof) {
  if (!window.isSecureContext || !navigator.clipboard?.write)
    return "This address is not secure, so the browser does not let pictures be copied. Download works.";
  try {
    const picture = fetch(proof.dataset.picture ?? "").then((r) => r.blob());
    await navigator.clipboard.write([new ClipboardItem({ "image/png": picture })]);
    return "Copied. It can be pasted anywhere.";
  } catch {
    return "The browser did not allow copying. Download works.";
  }
}
