// @ts-check
// Cameras: which one, how fine, how it stands, and what the device lets be set. Remembered for each
// device, by its name, and which device each backdrop had.

import { Source, shownIn } from "./sources.js";

/**
 * What is remembered of a camera: `null` for what it sets by itself.
 * @typedef {{ deviceId?: string, height?: number, turn?: number, mirror?: boolean,
 *   zoom?: number | null, focusDistance?: number | null, exposureTime?: number | null }} Kept
 */

/**
 * What some devices let be set: its name in the browser, and that of the mode in which the device
 * sets it by itself; how a value is said, in the units of the Image Capture specification (metres;
 * 100 microseconds; zoom has none).
 * @type {Record<"zoom" | "focus" | "exposure", { key: "zoom" | "focusDistance" | "exposureTime", mode: string, words: (value: number, range: { min: number }) => string }>}
 */
export const CONTROLS = {
  zoom: { key: "zoom", mode: "", words: (value, { min }) => `${(value / (min || 1)).toFixed(1)}×` },
  focus: {
    key: "focusDistance",
    mode: "focusMode",
    words: (value) => `${value.toLocaleString("en", { maximumFractionDigits: 2 })} m`,
  },
  exposure: {
    key: "exposureTime",
    mode: "exposureMode",
    words: (value) => `${(value / 10).toLocaleString("en", { maximumFractionDigits: 1 })} ms`,
  },
};

const usual = (/** @type {string} */ name) => `camera:${name}`;

/** @param {string} name @returns {Kept} */
export function remembered(name) {
  try {
    return JSON.parse(localStorage.getItem(usual(name)) ?? "{}");
  } catch {
    return {};
  }
}

/** @param {string} name @param {Kept} settings */
export function remember(name, settings) {
  localStorage.setItem(usual(name), JSON.stringify({ ...remembered(name), ...settings }));
}

/** The device that a backdrop had, or else the one used last. @param {string} backdrop */
const had = (backdrop) => localStorage.getItem(`camera-of:${backdrop}`) ?? localStorage.getItem("camera-last") ?? "";

/**
 * Starts the camera of a backdrop as it was; or the device and the height in pixels that are asked for.
 * @param {string} backdrop @param {{ deviceId?: string, height?: number }} wanted
 */
export async function startCamera(backdrop, wanted) {
  const kept = remembered(had(backdrop));
  const height = wanted.height ?? kept.height ?? 1080;
  const video = /** @type {any} */ ({
    height: { ideal: height },
    width: { ideal: Math.round((height * 16) / 9) },
    zoom: true,
  });
  const ask = (/** @type {string | undefined} */ id) =>
    navigator.mediaDevices.getUserMedia({ video: id ? { ...video, deviceId: { exact: id } } : video, audio: false });
  // A device that was unplugged since is no reason to start none.
  const gone = (/** @type {any} */ e) => e.name === "OverconstrainedError" || e.name === "NotFoundError";
  const stream = await (wanted.deviceId
    ? ask(wanted.deviceId)
    : ask(kept.deviceId).catch((e) => (gone(e) ? ask(undefined) : Promise.reject(e))));
  const [track] = stream.getVideoTracks();
  const source = new Source(track, await shownIn(stream), track.label);
  const own = remembered(source.name);
  source.orientation = { turn: own.turn ?? 0, mirror: own.mirror ?? false };
  await setAll(track, own).catch(() => {});
  remember(source.name, { deviceId: track.getSettings().deviceId, ...(wanted.height ? { height } : {}) });
  localStorage.setItem(`camera-of:${backdrop}`, source.name);
  localStorage.setItem("camera-last", source.name);
  return source;
}

/**
 * Sets something of a device, and remembers it.
 * @param {Source} source @param {"zoom" | "focusDistance" | "exposureTime"} key
 * @param {number | null} value `null` leaves it to the device
 */
export async function set({ track, name }, key, value) {
  await setAll(track, { ...remembered(name), [key]: value });
  remember(name, { [key]: value });
}

/** All at once, since what is not named again is forgotten. @param {MediaStreamTrack} track @param {Kept} kept */
async function setAll(track, kept) {
  const can = /** @type {any} */ (track.getCapabilities?.() ?? {});
  const wanted = [];
  for (const { key, mode } of Object.values(CONTROLS)) {
    const value = kept[key];
    if (value === undefined || !can[key]) continue;
    const as = value === null ? "continuous" : "manual";
    wanted.push({ ...(can[mode]?.includes(as) ? { [mode]: as } : {}), ...(value === null ? {} : { [key]: value }) });
  }
  if (wanted.length) await track.applyConstraints(/** @type {any} */ ({ advanced: wanted }));
}
