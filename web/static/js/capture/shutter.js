// @ts-check
// What is seen and heard when a capture is taken.

import { el } from "../page.js";

/** @type {AudioContext | undefined} */
let sound;

/**
 * @param {{ flash?: boolean, sound?: boolean }} wanted
 * @param {{ left: number, top: number, width: number, height: number }} area
 */
export function sign(wanted, { left, top, width, height }) {
  // Who has asked for less motion gets neither.
  if (matchMedia("(prefers-reduced-motion: reduce)").matches) return;
  if (wanted.flash) {
    const flash = el("flash");
    Object.assign(flash.style, { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` });
    flash.animate([{ opacity: 0.8 }, { opacity: 0 }], { duration: 220 });
  }
  if (wanted.sound) click();
}

/** Two short beats, as of something that opens and shuts. */
function click() {
  sound ??= new AudioContext();
  for (const start of [0, 0.07]) {
    const at = sound.currentTime + start;
    const tone = new OscillatorNode(sound, { frequency: 1900, type: "square" });
    const loudness = new GainNode(sound, { gain: 0 });
    loudness.gain.setValueAtTime(0.06, at);
    loudness.gain.exponentialRampToValueAtTime(0.0005, at + 0.03);
    tone.connect(loudness).connect(sound.destination);
    tone.start(at);
    tone.stop(at + 0.04);
  }
}
