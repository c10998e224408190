// @ts-check
// Proofs: cards that show what was just taken, beside the work.

/** @typedef {{ process: (element: Element) => void }} Htmx */

const proofs = /** @type {HTMLElement} */ (document.getElementById("proofs"));

/** How many proofs stay; older captures are in Captures all the same. */
const KEPT = 2;

/**
 * Takes a box and shows its proof.
 * @param {string} lesson
 * @param {string} request as core writes it
 * @param {{ id: string, shows: number[], blob: Blob }[]} frames what moves, at that instant
 * @param {(text: string) => void} says
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
    return says("Nothing was taken: the line to the server is down. Try again when it is back.");
  }
  if (!response.ok) {
    return says(response.headers.get("x-bozzetto-says") ?? "Nothing was taken.");
  }
  proofs.insertAdjacentHTML("afterbegin", await response.text());
  while (proofs.children.length > KEPT) proofs.lastElementChild?.remove();
  const proof = proofs.firstElementChild;
  if (proof) /** @type {{ htmx?: Htmx }} */ (window).htmx?.process(proof);
}

/** Closes the newest proof; `false` when there is none. */
export function closeProof() {
  const first = proofs.firstElementChild;
  first?.remove();
  return first !== null;
}

/**
 * What else a proof's keys do, by their names: they get the capture's number, and give what is to be said.
 * @type {Record<string, (id: string) => Promise<string>>}
 */
export const proofDeeds = {};

proofs.addEventListener("click", async (e) => {
  const control = /** @type {HTMLElement} */ (e.target).closest("[data-do]");
  const proof = /** @type {HTMLElement | null} */ (control?.closest(".proof") ?? null);
  if (!(control instanceof HTMLElement) || !proof) return;
  if (control.dataset.do === "close-proof") proof.remove();
  if (control.dataset.do === "copy-proof") copy(proof);
  const deed = proofDeeds[control.dataset.do ?? ""];
  const says = proof.querySelector(".proof-says");
  if (deed && says) says.textContent = await deed(proof.id.replace("proof-", ""));
  if (control.dataset.do === "front-proof") {
    proofs.prepend(proof);
    /** @type {HTMLElement | null} */ (proof.querySelector(".keys .key"))?.focus();
  }
});

/** @param {HTMLElement} proof */
async function copy(proof) {
  const says = /** @type {HTMLElement} */ (proof.querySelector(".proof-says"));
  if (!window.isSecureContext || !navigator.clipboard?.write) {
    says.textContent = "This address is not secure, so the browser does not let pictures be copied. Download works.";
    return;
  }
  try {
    const picture = fetch(proof.dataset.picture ?? "").then((r) => r.blob());
    await navigator.clipboard.write([new ClipboardItem({ "image/png": picture })]);
    says.textContent = "Copied. It can be pasted anywhere.";
  } catch {
    says.textContent = "The browser did not allow copying. Download works.";
  }
}
