// @ts-check
// What moves on the practice desktop: a clock and a tide gauge.

import { el } from "./page.js";

/** A tide of 12.42 hours around 2.4 m. @param {number} hour */
const height = (hour) => 2.4 + 1.6 * Math.cos((2 * Math.PI * (hour - 4.1)) / 12.42);
const x = (/** @type {number} */ hour) => 10 + (hour / 24) * 280;
const y = (/** @type {number} */ hour) => 100 - height(hour) * 22;

el("curve").setAttribute(
  "d",
  Array.from({ length: 97 }, (_, i) => `${i ? "L" : "M"}${x(i / 4).toFixed(1)} ${y(i / 4).toFixed(1)}`).join(""),
);

function show() {
  const now = new Date();
  el("clock").textContent = now.toLocaleTimeString("en-GB");
  const hour = now.getHours() + now.getMinutes() / 60;
  el("now").setAttribute("cx", `${x(hour)}`);
  el("now").setAttribute("cy", `${y(hour)}`);
}
show();
setInterval(show, 200);
