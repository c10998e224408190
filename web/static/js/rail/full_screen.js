// @ts-check
// The whole screen for the stage.

import { say } from "../messages.js";
import { el } from "../page.js";

export function fullScreen() {
  if (document.fullscreenElement) document.exitFullscreen();
  else document.documentElement.requestFullscreen().catch(() => say("The browser did not allow full screen."));
}

export function prepareFullScreen() {
  el("full-screen").addEventListener("click", fullScreen);
  document.addEventListener("fullscreenchange", () => {
    const says = el("full-screen").querySelector("span");
    if (says) says.textContent = document.fullscreenElement ? "Leave full screen" : "Full screen";
  });
}
