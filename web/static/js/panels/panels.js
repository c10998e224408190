// @ts-check
// Panels that rise from the rail, and go when something else is done.

import { el } from "../page.js";

/** @type {{ key: HTMLElement, panel: HTMLElement } | null} */
let open = null;

/**
 * A key that opens and closes a panel.
 * @param {string} keyId
 * @param {string} panelId
 * @param {() => void} [opening]
 */
export function panel(keyId, panelId, opening) {
  const key = el(keyId);
  key.addEventListener("click", () => {
    if (open?.panel === el(panelId)) return closePanels();
    opening?.();
    openPanel(panelId, key);
  });
}

/**
 * Opens a panel in place of any other; focus comes back to `key`.
 * @param {string} panelId
 * @param {HTMLElement} key
 */
export function openPanel(panelId, key) {
  closePanels();
  const panel = el(panelId);
  open = { key, panel };
  panel.hidden = false;
  if (key.hasAttribute("aria-haspopup")) key.setAttribute("aria-expanded", "true");
  /** @type {HTMLElement | null} */ (panel.querySelector("button:not(:disabled), a, input, [tabindex]"))?.focus({
    preventScroll: true,
  });
}

/** Closes whatever is open; gives the key back its focus. `false` when nothing was. */
export function closePanels() {
  if (!open) return false;
  const { key, panel } = open;
  open = null;
  const hadFocus = panel.contains(document.activeElement);
  panel.hidden = true;
  if (key.hasAttribute("aria-haspopup")) key.setAttribute("aria-expanded", "false");
  if (hadFocus) key.focus({ preventScroll: true });
  return true;
}
