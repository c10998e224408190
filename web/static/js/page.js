// @ts-check
// Finding and making elements.

/** @param {string} id */
export const el = (id) => /** @type {HTMLElement} */ (document.getElementById(id));

/** @param {string} id */
export const button = (id) => /** @type {HTMLButtonElement} */ (document.getElementById(id));

/** @param {string} id */
export const select = (id) => /** @type {HTMLSelectElement} */ (document.getElementById(id));

/** @param {string} id */
export const canvas = (id) => /** @type {HTMLCanvasElement} */ (document.getElementById(id));

/** @param {string} id */
export const input = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));

/**
 * Another of an icon that is on the page already.
 * @param {string} name
 */
export function icon(name) {
  const known = document.querySelector("svg.icon use")?.getAttribute("href") ?? "";
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("class", "icon");
  svg.setAttribute("aria-hidden", "true");
  const use = document.createElementNS("http://www.w3.org/2000/svg", "use");
  use.setAttribute("href", known.replace(/#.*/, `#${name}`));
  svg.append(use);
  return svg;
}

/**
 * Places an element, in CSS pixels.
 * @param {HTMLElement} element
 * @param {ArrayLike<number>} rect left, top, width, height
 */
export function place(element, rect) {
  const [left, top, width, height] = Array.from(rect, (v) => `${v}px`);
  Object.assign(element.style, { left, top, width, height });
}

/** @param {number} n */
export function thousands(n) {
  return n < 1000 ? `${n}` : `${Math.floor(n / 1000)}\u2009${String(n % 1000).padStart(3, "0")}`;
}

/** What one chooses or pulls with, not writes in. */
export const CHOOSES = 'select, input:is([type="range"], [type="checkbox"], [type="color"])';

/** Whether somebody writes there. @param {EventTarget | null} target */
export const isWriting = (target) =>
  target instanceof Element && target.matches("input, textarea, [contenteditable]") && !target.matches(CHOOSES);
