// @ts-check
// What the server says when it does not do what a form or a key of a page asked for.

/** @param {(words: string) => void} say */
export function sayFaults(say) {
  document.addEventListener("htmx:responseError", (e) => {
    const { xhr, elt } = /** @type {CustomEvent<{ xhr: XMLHttpRequest, elt: Element }>} */ (e).detail;
    const words = xhr.getResponseHeader("x-bozzetto-says") ?? "That did not work.";
    // Where it is read, if it has a place of its own.
    const place =
      elt instanceof HTMLFormElement && elt.dataset.saidIn ? document.querySelector(elt.dataset.saidIn) : null;
    if (place) place.textContent = words;
    else say(words);
  });
  document.addEventListener("htmx:sendError", () => say("The line to the server is down. Try again when it is back."));
}
