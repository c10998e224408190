// @ts-check
// The canvas printer: turns core's display list into fills.

/** @import { Glass, InitOutput } from "../glass/glass.js" */

const MIXES = 1;
const PLACED = 2;
const CLIP = 3;
const UNCLIP = 4;
const PER_ITEM = 5;

/**
 * A placed picture, or a part of one: where its first pixel lies in the whole, and how many of its
 * pixels there are to one of that.
 * @typedef {{ image: CanvasImageSource, x: number, y: number, fine: number }} Placed
 */

/** Gives a placed picture when it is here. @typedef {(name: string, part: number[]) => Placed | null} Pictures */

/**
 * Prints the display list that `glass` holds.
 * @param {CanvasRenderingContext2D} context already mapped to glass units
 * @param {Glass} glass
 * @param {InitOutput} wasm
 * @param {Pictures} [pictures]
 */
export function print(context, glass, wasm, pictures) {
  const buffer = wasm.memory.buffer;
  const items = new Uint32Array(buffer, glass.items_at(), glass.items_len());
  const verbs = new Uint8Array(buffer, glass.verbs_at(), glass.verbs_len());
  const c = new Float32Array(buffer, glass.coords_at(), glass.coords_len());
  let v = 0;
  let i = 0;
  let clipped = false;
  const unclip = () => {
    if (clipped) context.restore();
    clipped = false;
  };
  for (let item = 0; item < items.length; item += PER_ITEM) {
    if (items[item + 1] === PLACED) {
      const name = (BigInt(items[item + 3]) << 32n) | BigInt(items[item]);
      const picture = pictures?.(`${name}`, [...c.subarray(i + 6, i + 10)]) ?? null;
      place(context, picture, items[item + 2] / 1000, c.subarray(i, i + 10));
      i += 10;
      continue;
    }
    if (items[item + 1] === CLIP || items[item + 1] === UNCLIP) {
      unclip();
      if (items[item + 1] === UNCLIP) continue;
      context.save();
      context.beginPath();
      context.rect(c[i], c[i + 1], c[i + 2] - c[i], c[i + 3] - c[i + 1]);
      context.clip();
      clipped = true;
      i += 4;
      continue;
    }
    context.globalCompositeOperation = items[item + 1] === MIXES ? "hard-light" : "source-over";
    context.globalAlpha = items[item + 2] / 1000;
    context.fillStyle = `#${items[item].toString(16).padStart(6, "0")}`;
    context.beginPath();
    for (const end = v + items[item + 3]; v < end; v++) {
      switch (verbs[v]) {
        case 0:
          context.moveTo(c[i], c[i + 1]);
          i += 2;
          break;
        case 1:
          context.lineTo(c[i], c[i + 1]);
          i += 2;
          break;
        case 2:
          context.quadraticCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3]);
          i += 4;
          break;
        case 3:
          context.bezierCurveTo(c[i], c[i + 1], c[i + 2], c[i + 3], c[i + 4], c[i + 5]);
          i += 6;
          break;
        case 4:
          context.closePath();
          break;
      }
    }
    context.fill();
  }
  unclip();
  context.globalAlpha = 1;
}

/**
 * @param {CanvasRenderingContext2D} context
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
