// @ts-check
// What the stage has to say: for a moment, or for as long as it is so.

import { el } from "./page.js";

/** @type {number | undefined} */
let saying;

/** How long something is said, in milliseconds: at least this, and as long as it takes to read at leisure. */
const AT_LEAST = 8000;
const A_LETTER = 70;

/**
 * Says something for as long as it takes to read.
 * @param {string} text
 */
export function say(text) {
  const says = el("says");
  says.textContent = text;
  says.hidden = false;
  clearTimeout(saying);
  saying = window.setTimeout(hush, Math.max(AT_LEAST, text.length * A_LETTER));
}

export function hush() {
  el("says").hidden = true;
}

/**
 * Says something about the line to the server until it is no longer so.
 * @param {string | null} text
 * @param {string} [reload] the name of a key that loads the page again
 */
export function showLine(text, reload) {
  const line = el("line");
  line.textContent = text ?? "";
  line.hidden = text === null;
  if (!reload) return;
  const key = document.createElement("button");
  key.className = "key";
  key.textContent = reload;
  key.addEventListener("click", () => location.reload());
  // A press on it is none on the picture that it lies over.
  key.addEventListener("pointerdown", (e) => e.stopPropagation());
  line.append(" ", key);
}

/**
 * Asks the server for something, and says so when it does not do it.
 * @param {string} address
 * @param {BodyInit} body
 * @param {Record<string, string>} [headers]
 * @param {boolean} [keepalive] also when the page goes
 */
export async function ask(address, body, headers, keepalive) {
  try {
    const response = await fetch(address, { method: "POST", body, headers, keepalive });
    if (!response.ok && !response.headers.get("content-type")?.includes("json")) {
      say(response.headers.get("x-bozzetto-says") ?? "That did not work.");
    }
    return response;
  } catch {
    say("The line to the server is down. Try again when it is back.");
    return null;
  }
}
