// @ts-check
// Lengths and sizes of recordings in words.

/** @param {number} bytes */
export function megabytes(bytes) {
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB` : `${(bytes / 1e9).toFixed(1)} GB`;
}

/** Hours, minutes and seconds as a clock shows them. @param {number} seconds */
export function clock(seconds) {
  const all = Math.floor(seconds);
  const two = (/** @type {number} */ n) => `${n}`.padStart(2, "0");
  const [h, m, s] = [Math.floor(all / 3600), Math.floor(all / 60) % 60, all % 60];
  return h ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}

/** A length in words. @param {number} seconds */
export function long(seconds) {
  const minutes = seconds / 60;
  if (seconds < 90) return `${Math.round(seconds)} s`;
  if (minutes < 90) return `${Math.round(minutes)} min`;
  return `${Math.floor(minutes / 60)} h ${Math.round(minutes % 60)} min`;
}
