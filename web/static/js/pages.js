// @ts-check
// What htmx leaves to do on the pages.

const says = document.getElementById("says");

/** @param {string} text */
function say(text) {
  if (!says) return;
  says.textContent = text;
  says.hidden = text === "";
}

document.addEventListener("htmx:beforeRequest", () => say(""));
document.addEventListener("htmx:responseError", (e) => {
  const { xhr } = /** @type {CustomEvent<{ xhr: XMLHttpRequest }>} */ (e).detail;
  say(xhr.getResponseHeader("x-bozzetto-says") ?? "That did not work.");
});
document.addEventListener("htmx:sendError", () => say("The line to the server is down. Try again when it is back."));

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
