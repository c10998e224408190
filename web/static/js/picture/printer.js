// @ts-check
// The canvas printer: turns core's display list into fills.

/** Where a module of ours has the display list that it painted. @typedef {{ items_at: () => number, items_len: () => number,
 *   verbs_at: () => number, verbs_len: () => number, coords_at: () => number, coords_len: () => number }} Painted */
/** @typedef {{ memory: WebAssembly.Memory }} Module */

const MIXES = 1;
const PLACED = 2;
const GROUP = 3;
const END = 4;
const PER_ITEM = 5;
/** How a group mixes, by core's numbers. @type {GlobalCompositeOperation[]} */
const BLENDS = ["source-over", "multiply", "screen"];

/**
 * A placed picture, or a part of one: where its first pixel lies in the whole, and how many of its
 * pixels there are to one of that.
 * @typedef {{ image: CanvasImageSource, x: number, y: number, fine: number }} Placed
 */

/** Gives a placed picture when it is here. @typedef {(name: string, part: number[]) => Placed | null} Pictures */

/** What is drawn on. @typedef {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} Surface */

/**
 * Prints the display list that `glass` holds.
 * @param {Surface} context already mapped to glass units
 * @param {Painted} glass
 * @param {Module} wasm
 * @param {Pictures} [pictures]
 */
export function print(context, glass, wasm, pictures) {
  const buffer = wasm.memory.buffer;
  const items = new Uint32Array(buffer, glass.items_at(), glass.items_len());
  const verbs = new Uint8Array(buffer, glass.verbs_at(), glass.verbs_len());
  const c = new Float32Array(buffer, glass.coords_at(), glass.coords_len());
  /** What ends the groups that are open. @type {(() => Surface)[]} */
  const open = [];
  /** @type {Surface} */
  let surface = context;
  let v = 0;
  let i = 0;
  /** @param {Surface | Path2D} onto @param {number} count */
  const trace = (onto, count) => {
    for (const end = v + count; v < end; v++) {
      switch (verbs[v]) {
        case 0:
          onto.moveTo(c[i], c[i + 1]);
          i += 2;
          break;
        case 1:
          onto.lineTo(c[i], c[i + 1]);
          i += 2;
          break;
        case 2:
          onto.quadraticCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3]);
          i += 4;
          break;
        case 3:
          onto.bezierCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3], c[i + 4], c[i + 5]);
          i += 6;
          break;
        // 4 closes a contour, as filling and clipping do by themselves. A browser that is asked to measures
        // the whole path each time, which made a page of writing take longer than all else together.
      }
    }
  };
  for (let item = 0; item < items.length; item += PER_ITEM) {
    const what = items[item];
    const kind = items[item + 1];
    const opacity = items[item + 2] / 1000;
    const count = items[item + 3];
    if (kind === PLACED) {
      const name = (BigInt(count) << 32n) | BigInt(what);
      const picture = pictures?.(`${name}`, [...c.subarray(i + 6, i + 10)]) ?? null;
      place(surface, picture, opacity, c.subarray(i, i + 10));
      i += 10;
    } else if (kind === GROUP) {
      const [map, softness] = [c.subarray(i, i + 6), c[i + 6]];
      i += 7;
      const clip = count > 0 ? new Path2D() : null;
      if (clip) trace(clip, count);
      const flat = opacity === 1 && softness === 0 && what === 0;
      /** @type {[Surface, () => Surface]} */
      const [inner, end] = flat
        ? flatly(surface, map, clip)
        : apart(surface, map, clip, softness, opacity, BLENDS[what]);
      surface = inner;
      open.push(end);
    } else if (kind === END) {
      surface = open.pop()?.() ?? context;
    } else {
      surface.globalCompositeOperation = kind === MIXES ? "hard-light" : "source-over";
      surface.globalAlpha = opacity;
      surface.fillStyle = `#${what.toString(16).padStart(6, "0")}`;
      surface.beginPath();
      trace(surface, count);
      surface.fill();
    }
  }
  context.globalAlpha = 1;
}

/**
 * A group that is drawn as if it were none.
 * @param {Surface} surface @param {Float32Array} map @param {Path2D | null} clip
 * @returns {[Surface, () => Surface]} what to draw on, and what ends it
 */
function flatly(surface, [a, b, c, d, e, f], clip) {
  surface.save();
  if (clip) surface.clip(clip);
  surface.transform(a, b, c, d, e, f);
  return [surface, () => (surface.restore(), surface)];
}

/**
 * A group that needs a picture of its own.
 * @param {Surface} surface @param {Float32Array} map @param {Path2D | null} clip @param {number} softness
 * @param {number} opacity @param {GlobalCompositeOperation} blend
 * @returns {[Surface, () => Surface]}
 */
function apart(surface, [a, b, c, d, e, f], clip, softness, opacity, blend) {
  const { width, height } = surface.canvas;
  const at = surface.getTransform();
  const blur = softness * Math.sqrt(Math.abs(at.a * at.d - at.b * at.c));
  // What lies beyond the edge is blurred into what is seen.
  const margin = Math.ceil(3 * blur);
  const own = new OffscreenCanvas(width + 2 * margin, height + 2 * margin).getContext("2d");
  if (!own) return flatly(surface, new Float32Array([a, b, c, d, e, f]), clip);
  own.translate(margin, margin);
  own.transform(at.a, at.b, at.c, at.d, at.e, at.f);
  own.transform(a, b, c, d, e, f);
  const end = () => {
    surface.save();
    if (clip) surface.clip(clip);
    surface.resetTransform();
    surface.globalAlpha = opacity;
    surface.globalCompositeOperation = blend;
    if (blur > 0) surface.filter = `blur(${blur}px)`;
    surface.drawImage(own.canvas, -margin, -margin);
    surface.restore();
    return surface;
  };
  return [own, end];
}

/**
 * @param {Surface} context
 * @param {Placed | null} picture
 * @param {number} opacity
 * @param {Float32Array} at the map from the picture's pixels, and the part that is seen
 */
function place(context, picture, opacity, [a, b, c, d, e, f, x0, y0, x1, y1]) {
  if (!picture) return;
  context.save();
  context.globalAlpha = opacity;
  context.globalCompositeOperation = "source-over";
  context.imageSmoothingQuality = "high";
  context.transform(a, b, c, d, e, f);
  const { image, x, y, fine } = picture;
  context.drawImage(
    image,
    (x0 - x) * fine,
    (y0 - y) * fine,
    (x1 - x0) * fine,
    (y1 - y0) * fine,
    x0,
    y0,
    x1 - x0,
    y1 - y0,
  );
  context.restore();
}
