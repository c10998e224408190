// @ts-check
// Keys that are pressed while it is recorded, shown in the picture.

import { Pressed } from "../../glass/recorder.js";
import { isWriting } from "../page.js";

/** How often it is looked whether one is still shown, in milliseconds. */
const LOOKS = 100;

export class KeysPressed {
  /** @param {HTMLElement} plate that shows them @param {() => boolean} isTyping whether letters go into a text on stage */
  constructor(plate, isTyping) {
    this.plate = plate;
    this.pressed = new Pressed();
    this.again = 0;
    /** @param {KeyboardEvent} e */
    this.listens = (e) => {
      if (e.repeat) return;
      const writes = isWriting(e.target) || isTyping();
      this.pressed.press(e.key, e.ctrlKey, e.altKey, e.shiftKey, e.metaKey, writes, performance.now());
      this.show();
    };
    addEventListener("keydown", this.listens, true);
  }

  show() {
    clearTimeout(this.again);
    const words = this.pressed.shown(performance.now());
    this.plate.textContent = words ?? "";
    this.plate.hidden = words === undefined;
    if (words) this.again = window.setTimeout(() => this.show(), LOOKS);
  }

  stop() {
    removeEventListener("keydown", this.listens, true);
    clearTimeout(this.again);
    this.plate.hidden = true;
  }
}
