// @ts-check
// The panel of a camera.

import { CONTROLS, remember, remembered, set } from "../moving/cameras.js";
import { el, input } from "../page.js";
import { panel } from "./panels.js";

/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Moving } from "../moving/moving.js" */
/** @import { Source } from "../moving/sources.js" */

/** @param {{ active: () => string | null, moving: Moving, beneath: Beneath }} stage */
export function prepareCamera({ active, moving, beneath }) {
  const device = /** @type {HTMLSelectElement} */ (el("camera-device"));
  const height = /** @type {HTMLSelectElement} */ (el("camera-height"));
  const sizes = [...height.options];
  const source = () => moving.sources.get(active() ?? "") ?? null;
  panel("camera-key", "camera-panel", fill);
  device.addEventListener("change", () => again({ deviceId: device.value }));
  height.addEventListener("change", () => again({ deviceId: device.value, height: Number(height.value) }));

  /** @param {{ deviceId: string, height?: number }} wanted */
  async function again(wanted) {
    const id = active();
    if (id) await moving.startCamera(id, false, wanted);
    fill();
  }

  async function fill() {
    const now = source();
    if (!now) return;
    const can = /** @type {any} */ (now.track.getCapabilities?.() ?? {});
    const is = now.track.getSettings();
    const all = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "videoinput");
    device.replaceChildren(...all.map((d, i) => new Option(d.label || `Camera ${i + 1}`, d.deviceId)));
    device.value = is.deviceId ?? "";
    const most = can.height?.max ?? Infinity;
    height.replaceChildren(...sizes.filter((o) => Number(o.value) <= most));
    height.value = `${remembered(now.name).height ?? 1080}`;
    for (const id of /** @type {const} */ (["zoom", "focus", "exposure"])) control(now, id);
  }

  /** One of the things that some devices let be set. @param {Source} now @param {keyof typeof CONTROLS} id */
  function control(now, id) {
    const { key, mode, words } = CONTROLS[id];
    const can = /** @type {any} */ (now.track.getCapabilities?.() ?? {});
    const is = /** @type {any} */ (now.track.getSettings());
    const range = can[key];
    const row = el(`camera-${id}-row`);
    row.hidden = !range || !(range.max > range.min);
    if (row.hidden) return;
    const slider = input(`camera-${id}`);
    Object.assign(slider, { min: range.min, max: range.max, step: range.step || "any", value: is[key] ?? range.min });
    const said = () => {
      const text = words(Number(slider.value), range);
      el(`camera-${id}-said`).textContent = text;
      slider.setAttribute("aria-valuetext", text);
    };
    said();
    const auto = mode ? input(`camera-${id}-auto`) : null;
    if (auto) {
      el(`camera-${id}-auto-tick`).hidden = !can[mode]?.includes("continuous");
      auto.checked = is[mode] === "continuous";
      auto.onchange = () => set(now, key, auto.checked ? null : Number(slider.value)).catch(fill);
    }
    slider.oninput = () => {
      if (auto) auto.checked = false;
      said();
      set(now, key, Number(slider.value)).catch(fill);
    };
  }

  /** @param {(now: Source) => void} change */
  const orient = (change) => {
    const id = active();
    const now = source();
    if (!id || !now) return;
    change(now);
    remember(now.name, { ...now.orientation });
    moving.sized(id);
    moving.turn(id);
    beneath.show();
    moving.key(id);
  };
  el("camera-turn").addEventListener("click", () =>
    orient(({ orientation }) => (orientation.turn = (orientation.turn + 1) % 4)),
  );
  el("camera-mirror").addEventListener("click", () =>
    orient(({ orientation }) => (orientation.mirror = !orientation.mirror)),
  );
}
