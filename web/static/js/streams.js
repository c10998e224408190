// @ts-check
// Sending a moving backdrop to everybody who watches: encoded once, as fast as line and machine take
// it; for those who cannot decode that, a still now and then.

/** @import { Glass } from "../glass/glass.js" */
/** @import { Source } from "./sources.js" */

/** Pictures are sent at most so large: legible on a phone and a laptop, and quick to encode. */
const WIDEST = 1280;
const HIGHEST = 800;
/**
 * What encoders are tried, in this order. H.264 takes half the time of VP8 to encode and a third to
 * decode in software (measured at 1280 x 720), looks better at the first frame, and most devices
 * have hardware for it; 4.0 is the lowest level that 1280 x 800 at 30 frames a second fits.
 * @type {VideoEncoderConfig[]}
 */
const CODECS = [
  { codec: "avc1.42E028", avc: { format: "annexb" }, width: WIDEST, height: HIGHEST },
  { codec: "vp8", width: WIDEST, height: HIGHEST },
];

/** The codecs of these that this browser can encode. @type {Promise<VideoEncoderConfig[]> | null} */
let encodable = null;
async function canEncode() {
  const can = CODECS.map((c) => VideoEncoder.isConfigSupported(c).then((s) => s.supported, () => false));
  const found = await Promise.all(can);
  return CODECS.filter((_, i) => found[i]);
}
/** Milliseconds between stills. */
const STILL = 1000;
/** Milliseconds between key frames that nobody has asked for. */
const KEY = 10000;
/** Milliseconds at least between those that are asked for: a class that comes in together gets one. */
const KEY_AT_LEAST = 300;

/**
 * Which part of a picture is sent (x, y, width, height in its pixels), and which part of the backdrop
 * that is.
 * @typedef {{ crop: [number, number, number, number], shows: number[] }} Part
 */

export class StreamSender {
  /**
   * @param {{ glass: Glass, id: string, source: Source, unsent: () => number, flush: () => void,
   *   part: () => Part | null }} options
   */
  constructor({ glass, id, source, unsent, flush, part }) {
    this.glass = glass;
    this.id = id;
    this.source = source;
    this.unsent = unsent;
    this.flush = flush;
    this.part = part;
    this.watching = { stills: 0, streams: 0 };
    this.canvas = new OffscreenCanvas(2, 2);
    const context = this.canvas.getContext("2d", { alpha: false });
    if (!context) throw new Error("this browser cannot draw");
    this.context = context;
    /** @type {VideoEncoder | null} */
    this.encoder = null;
    /** Codecs that have not failed yet, the best first. @type {VideoEncoderConfig[]} */
    this.codecs = [];
    if ("VideoEncoder" in window) (encodable ??= canEncode()).then((codecs) => {
      this.codecs = [...codecs];
      this.again();
    });
    this.bits = 0;
    this.size = "";
    this.colour = "{}";
    this.last = -Infinity;
    this.lastKey = -Infinity;
    this.lastStill = -Infinity;
    /** Whether the next frame is to stand by itself: `now` whatever came before, `soon` for somebody.
     * @type {"" | "soon" | "now"} */
    this.wantsKey = "now";
    /** What came too soon, to be sent when nothing else comes. @type {{ picture: VideoFrame | HTMLVideoElement, done: () => void } | null} */
    this.latest = null;
    /** @type {number | undefined} */
    this.timer = undefined;
    /** When each frame that is being encoded was taken, and what it shows. @type {Map<number, { taken: number, shows: number[] }>} */
    this.under = new Map();
    this.stopFrames = source.frames((picture, done) => this.came(picture, done));
    this.over = false;
  }

  /** @param {{ stills: number, streams: number }} watching */
  watch(watching) {
    this.watching = watching;
    this.again();
  }

  /** Somebody needs a frame that stands by itself. */
  key() {
    this.wantsKey ||= "soon";
    this.lastStill = -Infinity;
    this.again();
  }

  /** What was seen last is sent again, if nothing new comes until then. @param {number} [wait] in milliseconds */
  again(wait = 60) {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => {
      const element = this.source.element;
      if (this.latest) this.send(this.latest.picture);
      else if (element instanceof HTMLVideoElement || element instanceof HTMLCanvasElement) this.send(element);
    }, wait);
  }

  /** @param {VideoFrame | HTMLVideoElement} picture @param {() => void} done */
  came(picture, done) {
    this.latest?.done();
    this.latest = null;
    if (this.over || this.watching.stills + this.watching.streams === 0) return done();
    const now = performance.now();
    const [, frames, skips] = this.glass.stream_pace(this.id, this.unsent(), this.under.size, now);
    // Where only stills are wanted, nothing else is drawn.
    const due = this.watching.streams === 0 ? this.lastStill + STILL : this.last + 1000 / frames - 4;
    if ((skips && this.watching.streams > 0) || now < due) {
      this.latest = { picture, done };
      this.later(Math.max(due - now, 20));
      return;
    }
    this.send(picture);
    done();
  }

  /** What came too soon is sent when its time has come and the encoder is free. @param {number} wait */
  later(wait) {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => {
      const { latest } = this;
      if (!latest || this.over) return;
      const [, , skips] = this.pace(performance.now());
      if (skips && this.watching.streams > 0) return this.later(20);
      this.latest = null;
      this.send(latest.picture);
      latest.done();
    }, wait);
  }

  /** @param {CanvasImageSource} picture */
  send(picture) {
    if (this.over) return;
    const part = this.part();
    if (!part) return;
    const now = performance.now();
    this.last = now;
    const { crop: [x, y, w, h], shows } = part;
    const scale = Math.min(1, WIDEST / w, HIGHEST / h);
    // Codecs want even sides.
    const even = (/** @type {number} */ v) => Math.max(2, Math.round((v * scale) / 2) * 2);
    const [width, height] = [even(w), even(h)];
    const taken = this.glass.clock();
    // A frame that is small enough goes to the encoder as it is, without a detour through a canvas.
    if (scale === 1 && picture instanceof VideoFrame && this.source.upright && this.watching.stills === 0) {
      const visibleRect = { x: Math.floor(x / 2) * 2, y: Math.floor(y / 2) * 2, width, height };
      const fits = visibleRect.x + width <= picture.codedWidth && visibleRect.y + height <= picture.codedHeight;
      if (fits) return this.encode(width, height, taken, shows, now, (timestamp) => new VideoFrame(picture, { timestamp, visibleRect }));
    }
    const { canvas, context } = this;
    if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
    const [whole, high] = this.source.size;
    context.save();
    context.translate((-x * width) / w, (-y * height) / h);
    try {
      this.source.draw(context, picture, (whole * width) / w, (high * height) / h);
    } catch {
      context.restore();
      return;
    }
    context.restore();
    if (this.watching.streams > 0) this.encode(width, height, taken, shows, now, (timestamp) => new VideoFrame(canvas, { timestamp }));
    if (this.watching.stills > 0 && now - this.lastStill >= STILL) this.still(taken, shows, now);
  }

  /**
   * @param {number} width @param {number} height @param {number} taken @param {number[]} shows
   * @param {number} now @param {(timestamp: number) => VideoFrame} picture
   */
  encode(width, height, taken, shows, now, picture) {
    const [codec] = this.codecs;
    if (!codec) return;
    const [bits] = this.pace(now);
    const size = `${width}x${height}`;
    if (!this.encoder || this.encoder.state === "closed") this.begin();
    const encoder = /** @type {VideoEncoder} */ (this.encoder);
    if (this.size !== size || Math.abs(bits / this.bits - 1) > 0.2) {
      this.size = size;
      this.bits = bits;
      encoder.configure({ ...codec, width, height, bitrate: bits, framerate: 30, latencyMode: "realtime" });
      this.wantsKey = "now";
    }
    const stamp = Math.round(now * 1000);
    this.under.set(stamp, { taken, shows });
    const frame = picture(stamp);
    const fresh = this.lastKey === -Infinity || this.wantsKey === "now";
    const keyFrame = fresh || now - this.lastKey > (this.wantsKey ? KEY_AT_LEAST : KEY);
    encoder.encode(frame, { keyFrame });
    frame.close();
    if (keyFrame) {
      this.lastKey = now;
      this.wantsKey = "";
    } else if (this.wantsKey) {
      this.again(KEY_AT_LEAST);
    }
  }

  /** @param {number} now */
  pace(now) {
    const pace = this.glass.stream_pace(this.id, this.unsent(), this.under.size, now);
    return pace.length ? pace : [1_500_000, 24, 0];
  }

  begin() {
    const { codec } = this.codecs[0];
    this.under.clear();
    this.glass.stream_begins(this.id, crypto.getRandomValues(new Uint32Array(1))[0]);
    this.size = "";
    this.encoder = new VideoEncoder({
      output: (chunk, more) => {
        if (more?.decoderConfig?.colorSpace) this.colour = JSON.stringify(more.decoderConfig.colorSpace);
        const about = this.under.get(chunk.timestamp);
        if (!about || this.over) return;
        for (const stamp of this.under.keys()) if (stamp <= chunk.timestamp) this.under.delete(stamp);
        const data = new Uint8Array(chunk.byteLength);
        chunk.copyTo(data);
        const [width, height] = this.size.split("x").map(Number);
        this.glass.stream_chunk(this.id, chunk.type === "key", codec, this.colour, width, height, about.taken, new Float64Array(about.shows), data);
        this.flush();
      },
      error: () => {
        // What failed is not tried again, unless there is nothing else.
        if (this.codecs.length > 1) this.codecs.shift();
        this.encoder = null;
        this.under.clear();
        this.again(1000);
      },
    });
  }

  /** @param {number} taken @param {number[]} shows @param {number} now */
  async still(taken, shows, now) {
    this.lastStill = now;
    const blob = await this.canvas.convertToBlob({ type: "image/jpeg", quality: 0.8 });
    const data = new Uint8Array(await blob.arrayBuffer());
    if (this.over) return;
    this.glass.stream_still(this.id, taken, new Float64Array(shows), data);
    this.flush();
  }

  stop() {
    this.over = true;
    clearTimeout(this.timer);
    this.stopFrames();
    this.latest?.done();
    this.latest = null;
    if (this.encoder && this.encoder.state !== "closed") this.encoder.close();
  }
}
