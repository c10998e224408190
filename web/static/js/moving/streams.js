// @ts-check
// Sending a moving backdrop to everybody who watches: encoded once, as fast as line and machine take
// it; for those who cannot decode that, a still now and then.

import { blank } from "../picture/blank.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Source } from "./sources.js" */

/**
 * What encoders are tried, in this order. H.264 takes half the time of VP8 to encode and a third to
 * decode in software (measured at 1280 x 720), looks better at the first frame, and most devices
 * have hardware for it; 4.0 is the lowest level that 1280 x 800 at 30 frames a second fits.
 * @type {VideoEncoderConfig[]}
 */
const CODECS = [
  { codec: "avc1.42E028", avc: { format: "annexb" }, width: 1280, height: 800 },
  { codec: "vp8", width: 1280, height: 800 },
];

/** The codecs of these that this browser can encode. @type {Promise<VideoEncoderConfig[]> | null} */
let encodable = null;
async function canEncode() {
  const can = CODECS.map((c) =>
    VideoEncoder.isConfigSupported(c).then(
      (s) => s.supported,
      () => false,
    ),
  );
  const found = await Promise.all(can);
  return CODECS.filter((_, i) => found[i]);
}
/**
 * Which part of a picture is sent (x, y, width, height in its pixels), and which part of the backdrop
 * that is.
 * @typedef {{ crop: number[], shows: Float64Array }} Part
 */

/** @typedef {VideoFrame | HTMLVideoElement | HTMLCanvasElement} Picture */

/**
 * A picture that stands still is sent again after so many milliseconds, so that those who watch know
 * it from one that has stopped (`STOPPED` in frames.js).
 */
const IDLE = 2000;

/** When something goes out, and in which form, is for core to say. */
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
    this.canvas = new OffscreenCanvas(2, 2);
    const context = this.canvas.getContext("2d", { alpha: false });
    if (!context) throw new Error("this browser cannot draw");
    this.context = context;
    /** @type {VideoEncoder | null} */
    this.encoder = null;
    /** Codecs that have not failed yet, the best first. @type {VideoEncoderConfig[]} */
    this.codecs = [];
    if ("VideoEncoder" in window)
      (encodable ??= canEncode()).then((codecs) => {
        this.codecs = [...codecs];
        this.again();
      });
    this.size = [0, 0];
    this.colour = "{}";
    /** What came before its turn. @type {{ picture: Picture, done: () => void } | null} */
    this.latest = null;
    /** @type {number | undefined} */
    this.timer = undefined;
    /** @type {number | undefined} */
    this.idle = undefined;
    /** When each frame that is being encoded was taken, and what it shows. @type {Map<number, { taken: number, shows: Float64Array }>} */
    this.under = new Map();
    this.stopFrames = source.frames((picture, done) => this.came(picture, done));
    this.over = false;
  }

  /** Somebody needs a frame that stands by itself. */
  key() {
    this.glass.stream_wants_key(this.id);
    this.again();
  }

  /** What was seen last is sent again, if nothing new comes until then. @param {number} [wait] in milliseconds */
  again(wait = 60) {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => {
      const {
        latest,
        source: { element },
      } = this;
      this.latest = null;
      if (latest) this.came(latest.picture, latest.done);
      else if (element instanceof HTMLVideoElement || element instanceof HTMLCanvasElement)
        this.came(element, () => {});
    }, wait);
  }

  /** A picture is at hand. @param {Picture} picture @param {() => void} done */
  came(picture, done) {
    this.latest?.done();
    this.latest = null;
    const wait = this.over
      ? Infinity
      : this.glass.stream_turn(this.id, this.unsent(), this.under.size, performance.now());
    if (wait === Infinity) return done();
    if (wait > 0) {
      this.latest = { picture, done };
      return this.again(wait);
    }
    this.send(picture);
    done();
    clearTimeout(this.idle);
    this.idle = window.setTimeout(() => this.again(0), IDLE);
  }

  /** @param {Picture} picture */
  send(picture) {
    const part = this.part();
    if (!part) return;
    const now = performance.now();
    const taken = this.glass.clock();
    const still = this.glass.stream_sent(this.id, now);
    const {
      crop: [x, y, w, h],
      shows,
    } = part;
    const [width, height] = this.glass.stream_size(w, h);
    const frame = { width, height, taken, shows, now };
    const covered = this.glass.stream_covered(this.id, shows, width, height);
    // A frame that is small enough goes to the encoder as it is, without a detour through a canvas.
    const asItIs =
      picture instanceof VideoFrame &&
      this.source.upright &&
      x + w <= picture.codedWidth &&
      y + h <= picture.codedHeight;
    if (asItIs && !still && covered.length === 0 && width === w && height === h) {
      return this.encode(
        frame,
        (timestamp) => new VideoFrame(picture, { timestamp, visibleRect: { x, y, width, height } }),
      );
    }
    const { canvas, context } = this;
    if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
    const [whole, high] = this.source.size;
    context.save();
    context.translate((-x * width) / w, (-y * height) / h);
    try {
      this.source.draw(context, picture, (whole * width) / w, (high * height) / h);
    } catch {
      return;
    } finally {
      context.restore();
    }
    // What is withheld is not sent; where it is seen something is drawn over it.
    blank(context, covered);
    this.encode(frame, (timestamp) => new VideoFrame(canvas, { timestamp }));
    if (still) this.still(frame);
  }

  /**
   * @param {{ width: number, height: number, taken: number, shows: Float64Array, now: number }} frame
   * @param {(timestamp: number) => VideoFrame} picture
   */
  encode({ width, height, taken, shows, now }, picture) {
    const [codec] = this.codecs;
    if (!codec || this.glass.stream_only_stills()) return;
    if (!this.encoder || this.encoder.state === "closed") this.begin();
    const encoder = /** @type {VideoEncoder} */ (this.encoder);
    const bits = this.glass.stream_setting(this.id, width, height);
    if (bits > 0) {
      this.size = [width, height];
      encoder.configure({ ...codec, width, height, bitrate: bits, framerate: 30, latencyMode: "realtime" });
    }
    const stamp = Math.round(now * 1000);
    this.under.set(stamp, { taken, shows });
    const frame = picture(stamp);
    encoder.encode(frame, { keyFrame: this.glass.stream_key(this.id, now) });
    frame.close();
    const awaited = this.glass.stream_awaited(this.id);
    if (awaited > 0) this.again(awaited);
  }

  begin() {
    const { codec } = this.codecs[0];
    this.under.clear();
    this.glass.stream_begins(this.id, crypto.getRandomValues(new Uint32Array(1))[0]);
    this.encoder = new VideoEncoder({
      output: (chunk, more) => {
        if (more?.decoderConfig?.colorSpace) this.colour = JSON.stringify(more.decoderConfig.colorSpace);
        const about = this.under.get(chunk.timestamp);
        if (!about || this.over) return;
        for (const stamp of this.under.keys()) if (stamp <= chunk.timestamp) this.under.delete(stamp);
        const data = new Uint8Array(chunk.byteLength);
        chunk.copyTo(data);
        const [width, height] = this.size;
        this.glass.stream_chunk(
          this.id,
          chunk.type === "key",
          codec,
          this.colour,
          width,
          height,
          about.taken,
          about.shows,
          data,
        );
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

  /** @param {{ taken: number, shows: Float64Array }} frame */
  async still({ taken, shows }) {
    const blob = await this.canvas.convertToBlob({ type: "image/jpeg", quality: 0.8 });
    const data = new Uint8Array(await blob.arrayBuffer());
    if (this.over) return;
    this.glass.stream_still(this.id, taken, shows, data);
    this.flush();
  }

  stop() {
    this.over = true;
    clearTimeout(this.timer);
    clearTimeout(this.idle);
    this.stopFrames();
    this.latest?.done();
    this.latest = null;
    if (this.encoder && this.encoder.state !== "closed") this.encoder.close();
  }
}
