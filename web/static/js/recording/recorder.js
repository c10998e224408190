// @ts-check
// A film while it is made: pictures and sound are encoded, and go to the server in pieces.

import { Recorder } from "../../glass/recorder.js";
import { drawCamera } from "./pictures.js";
import { Sending } from "./sending.js";
import { RATE } from "./sound.js";

/** @import { Wish, Planned } from "../../glass/recorder.js" */
/** @import { Source } from "../moving/sources.js" */
/** @import { Inset, Pictures } from "./pictures.js" */
/** @import { Told } from "./sending.js" */
/** @import { Sound } from "./sound.js" */

/** A picture that is decoded without those before it comes so often, in microseconds. */
const KEY_EACH = 5_000_000;
/** So many pictures may wait for the encoder; more are left out. */
const WAITING = 2;

/** How long a picture waits until a pen pauses, in milliseconds. */
const PATIENCE = 30;

/** What was chosen: kept with the recording, so that it can be gone on with. @typedef {{ wish: Wish, codec: string, width: number, height: number, what?: string }} How */

export class FilmRecorder {
  /**
   * @param {{ how: How, planned: Planned, told: Told, address: string, recorder: string, pictures: Pictures,
   *   sound: Sound | null, clock: () => number, over: (why: string | null, limit: string | null) => void }} options
   *   `clock` is the lesson's time in milliseconds; `over` is called when it ends by itself
   */
  constructor({ how, planned, told, address, recorder, pictures, sound, clock, over }) {
    this.how = how;
    this.pictures = pictures;
    this.sound = sound;
    this.clock = clock;
    this.over = over;
    this.told = told;
    this.address = address;
    this.film = new Recorder(JSON.stringify(how.wish), told.pieces, told.lasts, told.bytes);
    this.sending = new Sending(address, recorder, {
      kept: (told) => (this.told = told),
      over: (why) => this.stop(null, why),
    });
    this.canvas = new OffscreenCanvas(how.width, how.height);
    const context = this.canvas.getContext("2d", { alpha: false });
    if (!context) throw new Error("this browser cannot draw");
    this.context = context;
    /** The camera over the picture. @type {{ source: Source, inset: Inset } | null} */
    this.camera = null;
    this.dropped = 0;
    this.taken = 0;
    /** The film's time of the last key frame. */
    this.key = -Infinity;
    /** What was on stage then. */
    this.scene = "";
    /** The lesson's time where the piece begins that is being filled. */
    this.began = 0;
    this.halted = false;
    this.stopping = false;
    this.ended = false;
    this.encoder = this.encodePictures(how, planned);
    this.ear = sound ? this.encodeSound(planned, sound.channels) : null;
    /** When the first sample of the sound that is encoded next is, and how many there are. */
    this.heard = { from: -1, samples: 0 };
    this.beat = 0;
    /** While nobody sees the tab, as when a window beside it is what is recorded. @type {Worker | null} */
    this.hiddenBeat = null;
    this.seen = () => {
      this.hiddenBeat?.terminate();
      this.hiddenBeat = null;
      if (!document.hidden || this.ended) return;
      this.hiddenBeat = new Worker(new URL("./hidden_beat.js", import.meta.url));
      this.hiddenBeat.onmessage = () => this.ended || this.look(performance.now());
    };
  }

  /** @param {How} how @param {Planned} planned */
  encodePictures(how, { frames, picture }) {
    const encoder = new VideoEncoder({
      output: (chunk, more) => {
        const config = more?.decoderConfig;
        if (config) this.film.coded(false, how.codec, how.width, how.height, bytesOf(config.description));
        this.take(false, chunk);
      },
      error: (e) => this.stop(null, `The picture could not be encoded any more: ${e.message}`),
    });
    encoder.configure({ ...videoConfig(how), bitrate: picture, framerate: frames });
    return encoder;
  }

  /** @param {Planned} planned @param {number} channels */
  encodeSound({ sound }, channels) {
    const encoder = new AudioEncoder({
      output: (chunk, more) => {
        const config = more?.decoderConfig;
        if (config) this.film.coded(true, config.codec, RATE, channels, bytesOf(config.description));
        this.take(true, chunk);
      },
      error: (e) => this.stop(null, `The sound could not be encoded any more: ${e.message}`),
    });
    encoder.configure({ codec: "opus", sampleRate: RATE, numberOfChannels: channels, bitrate: sound });
    return encoder;
  }

  /** A packet has come. @param {boolean} sound @param {EncodedVideoChunk | EncodedAudioChunk} chunk */
  take(sound, chunk) {
    const data = new Uint8Array(chunk.byteLength);
    chunk.copyTo(data);
    this.film.packet(sound, chunk.timestamp, chunk.type === "key", data);
    if (this.film.is_due()) this.seal(0);
  }

  /** All that has come goes to the server. @param {number} to where it ends, in microseconds of the film */
  seal(to) {
    const piece = this.film.piece(this.began, to);
    if (piece) this.sending.add(piece);
    // Where the next one begins, the lesson's time was so much earlier than now as the film's.
    this.began = this.clock() - (this.film.at(performance.now()) - this.film.from()) / 1000;
  }

  /** Begins. */
  async start() {
    const { sound } = this;
    if (sound) {
      const first = new Promise((/** @type {(v?: unknown) => void} */ done) => {
        sound.came = (frame, channels) => (this.hear(frame, channels), done());
      });
      await sound.start();
      await first;
    }
    this.goOn();
    const tick = () => {
      if (this.ended) return;
      // Between two frames of the page: a pen that draws comes first.
      idle(() => {
        if (this.ended) return;
        this.look(performance.now());
        this.beat = requestAnimationFrame(tick);
      });
    };
    tick();
    document.addEventListener("visibilitychange", this.seen);
    this.seen();
  }

  /** Samples have come. @param {number} frame @param {Float32Array[]} channels */
  hear(frame, channels) {
    const samples = channels[0].length;
    const now = performance.now();
    this.film.sounded(((frame + samples) / RATE) * 1000, now);
    if (!this.ear || this.ended || this.halted) return;
    const at = this.film.of_sound((frame / RATE) * 1000);
    if (at < 0) return;
    if (this.heard.from < 0) this.heard = { from: at, samples: 0 };
    const timestamp = this.heard.from + (this.heard.samples * 1e6) / RATE;
    this.heard.samples += samples;
    const { sound } = this;
    const numberOfChannels = sound?.channels ?? 1;
    const data = new Float32Array(samples * numberOfChannels);
    for (let n = 0; n < numberOfChannels; n++) data.set(channels[n] ?? channels[0], n * samples);
    const heard = new AudioData({
      format: "f32-planar",
      sampleRate: RATE,
      numberOfFrames: samples,
      numberOfChannels,
      timestamp,
      data,
    });
    this.ear.encode(heard);
    heard.close();
  }

  /** Takes a picture, if it is time. @param {number} now */
  look(now) {
    if (this.halted || !this.film.turn(now, this.pictures.changed() || this.camera !== null)) return;
    const ends = this.film.ends(this.film.at(now), this.told.room);
    if (ends && ends.seconds <= 0) return this.stop(ends.by, null);
    this.taken++;
    if (this.encoder.encodeQueueSize > WAITING) {
      this.dropped++;
      return;
    }
    this.size();
    const { width, height } = this.canvas;
    this.pictures.draw(this.context, width, height);
    if (this.camera) drawCamera(this.context, this.camera.source, this.camera.inset, width, height);
    const at = this.film.at(now);
    // What comes on stage can be where a film begins.
    const scene = this.pictures.scene();
    const keyFrame = at - this.key >= KEY_EACH || scene !== this.scene;
    this.scene = scene;
    if (keyFrame) this.key = at;
    const frame = new VideoFrame(this.canvas, { timestamp: Math.round(at) });
    this.encoder.encode(frame, { keyFrame });
    frame.close();
  }

  /** A picture is no finer than what is shown: the encoder enlarges it, where no pen waits for that (WebCodecs, `VideoEncoderConfig.width`). */
  size() {
    const { width, height } = this.how;
    const share = Math.min(1, this.pictures.pixels(width, height)) || 1;
    const [w, h] = [Math.round(width * share), Math.round(height * share)];
    const { canvas } = this;
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
  }

  /** In seconds. */
  get seconds() {
    return this.film.at(performance.now()) / 1e6;
  }

  /** How many bytes it has, with those that are on their way. */
  get bytes() {
    return this.told.bytes + this.sending.waiting;
  }

  /** What ends it, and in how many seconds. */
  get ends() {
    return this.film.ends(this.film.at(performance.now()), this.told.room);
  }

  goOn() {
    this.film.go_on(performance.now());
    this.began = this.clock();
    this.heard = { from: -1, samples: 0 };
    // It may be cut there.
    this.beginAnew();
    this.halted = false;
  }

  /** The next picture is decoded without those before it. */
  beginAnew() {
    this.key = -Infinity;
  }

  /** Stands still. What was said and shown until then is in it. */
  async halt() {
    if (this.halted) return;
    this.halted = true;
    this.film.halt(performance.now());
    await this.flush();
  }

  async flush() {
    const flush = (/** @type {VideoEncoder | AudioEncoder | null} */ e) =>
      e?.state === "configured" ? e.flush().catch(() => {}) : undefined;
    await Promise.all([flush(this.encoder), flush(this.ear)]);
    this.seal(this.film.at(performance.now()));
  }

  /**
   * Ends it. What has come is kept.
   * @param {string | null} limit that was reached @param {string | null} why when it ends by itself
   */
  async stop(limit = null, why = null) {
    if (this.stopping) return;
    this.stopping = true;
    await this.halt();
    this.ended = true;
    cancelAnimationFrame(this.beat);
    document.removeEventListener("visibilitychange", this.seen);
    this.hiddenBeat?.terminate();
    for (const encoder of [this.encoder, this.ear]) if (encoder && encoder.state !== "closed") encoder.close();
    this.pictures.stop();
    this.sound?.stop();
    await this.sending.all();
    const body = new URLSearchParams({ by: limit ?? "" });
    for (;;) {
      const response = await fetch(`${this.address}/end`, { method: "POST", body }).catch(() => null);
      if (response && response.status < 500) break;
      await new Promise((done) => setTimeout(done, 1000));
    }
    this.over(why, limit);
  }
}

/** Calls when there is nothing more urgent, or after `PATIENCE`. @param {() => void} then */
function idle(then) {
  if ("requestIdleCallback" in window) requestIdleCallback(then, { timeout: PATIENCE });
  else setTimeout(then, 0);
}

/** @param {{ codec: string, width: number, height: number }} how @returns {VideoEncoderConfig} */
export function videoConfig({ codec, width, height }) {
  const h264 = codec.startsWith("avc1");
  // What is written and drawn has hard edges.
  const hint = /** @type {any} */ ({ contentHint: "text" });
  return { codec, width, height, latencyMode: "realtime", ...hint, ...(h264 ? { avc: { format: "avc" } } : {}) };
}

/** @param {AllowSharedBufferSource | undefined} given */
function bytesOf(given) {
  if (!given) return new Uint8Array();
  return ArrayBuffer.isView(given)
    ? new Uint8Array(given.buffer, given.byteOffset, given.byteLength)
    : new Uint8Array(given);
}
