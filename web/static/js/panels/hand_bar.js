// @ts-check
// The hand that the presenter has passed: what it does here is done in the page on stage.

import { el, input, place } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */

/** Keys that are carried beside letters. */
const KEYS = [
  "Enter",
  "Backspace",
  "Tab",
  "Escape",
  "ArrowLeft",
  "ArrowRight",
  "ArrowUp",
  "ArrowDown",
  "PageUp",
  "PageDown",
];

/** @param {{ glass: Glass, act: (deed: () => unknown) => void, say: (words: string) => void }} page */
export function prepareHandBar({ glass, act, say }) {
  const sheet = el("reach");
  let has = false;
  let presses = false;
  /** Where it is next, once a frame. @type {PointerEvent | null} */
  let moved = null;
  /** What the wheel has turned since, and where. @type {WheelEvent | null} */
  let turned = null;
  const by = { x: 0, y: 0 };

  /** @param {string} does @param {PointerEvent | WheelEvent} e @param {number} [dx] @param {number} [dy] */
  function reach(does, e, dx = 0, dy = 0) {
    const { left, top } = sheet.getBoundingClientRect();
    act(() => {
      const there = glass.reach(e.clientX - left, e.clientY - top, does, dx, dy);
      if (!there && does === "down")
        say("What is on stage cannot be operated from here: the browser does not allow it.");
    });
  }

  function move() {
    if (moved) reach("move", moved);
    if (turned) reach("wheel", turned, by.x, by.y);
    moved = turned = null;
    by.x = by.y = 0;
  }

  // What the hand does is nothing to the view beneath it.
  for (const event of ["pointerdown", "pointermove", "pointerup", "pointercancel", "wheel", "dblclick", "keydown"])
    sheet.addEventListener(event, (e) => e.stopPropagation());
  sheet.addEventListener("pointerdown", (e) => {
    if (!e.isPrimary || e.button !== 0) return;
    sheet.setPointerCapture(e.pointerId);
    presses = true;
    reach("down", e);
  });
  sheet.addEventListener("pointermove", (e) => {
    if (!e.isPrimary) return;
    if (!moved && !turned) requestAnimationFrame(move);
    moved = e;
  });
  for (const event of /** @type {const} */ (["pointerup", "pointercancel"]))
    sheet.addEventListener(event, (e) => {
      if (!presses || !e.isPrimary) return;
      move();
      presses = false;
      reach("up", e);
    });
  sheet.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      if (!moved && !turned) requestAnimationFrame(move);
      turned = e;
      by.x += e.deltaX;
      by.y += e.deltaY;
    },
    { passive: false },
  );
  /** @param {string} key */
  const type = (key) => act(() => glass.reach_key(key));
  /** @param {KeyboardEvent} e */
  function pressed(e) {
    if (e.ctrlKey || e.metaKey || e.altKey || e.isComposing) return;
    // The way on through this page stays open.
    if (e.key === "Tab" || (e.target !== sheet && !KEYS.includes(e.key))) return;
    if (!KEYS.includes(e.key) && [...e.key].length !== 1) return;
    e.preventDefault();
    type(e.key);
  }
  sheet.addEventListener("keydown", pressed);
  // Keyboards on a screen name no keys: what comes into the field is what was typed.
  const field = input("reach-keys");
  field.addEventListener("keydown", pressed);
  field.addEventListener("input", () => {
    for (const letter of field.value) type(letter);
    field.value = "";
  });

  return {
    /** @param {boolean} hand whether this participant has it */
    show(hand) {
      if (hand === has) return;
      has = hand;
      sheet.hidden = el("hand-bar").hidden = !hand;
    },
    lay() {
      const [left, top, width, height] = glass.own_view();
      place(sheet, [left, top, width, height]);
    },
  };
}
