// @ts-check
// What is a participant's own: what cannot be sent is said.

import { sayFaults } from "./faults.js";
import { el } from "./page.js";

/** @param {string} words */
const say = (words) => (el("send-says").textContent = words);
sayFaults(say);
const form = /** @type {HTMLFormElement} */ (document.querySelector("#send form"));
form.addEventListener("htmx:beforeRequest", () => say(""));
// The same file again is another try.
form.addEventListener("htmx:afterRequest", () => form.reset());
