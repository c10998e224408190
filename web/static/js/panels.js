// @ts-check
// Panels that rise from the rail, and go when something else is done.

/** @type {{ key: HTMLElement, panel: HTMLElement }[]} */
const panels = [];

/**
 * @param {string} keyId
 * @param {string} panelId
 * @param {() => void} [opening]
 */
export function panel(keyId, panelId, opening) {
  const key = /** @type {HTMLElement} */ (document.getElementById(keyId));
  const element = /** @type {HTMLElement} */ (document.getElementById(panelId));
  panels.push({ key, panel: element });
  key.addEventListener("click", () => {
    const open = element.hidden;
    closePanels();
    if (!open) return;
    opening?.();
    element.hidden = false;
    key.setAttribute("aria-expanded", "true");
    /** @type {HTMLElement | null} */ (element.querySelector("button, a, [tabindex]"))?.focus({ preventScroll: true });
  });
}

/** Closes whatever is open; gives the key back its focus. `false` when nothing was. */
export function closePanels() {
  const open = panels.find(({ panel }) => !panel.hidden);
  if (!open) return false;
  const hadFocus = open.panel.contains(document.activeElement);
  open.panel.hidden = true;
  open.key.setAttribute("aria-expanded", "false");
  if (hadFocus) open.key.focus({ preventScroll: true });
  return true;
}
