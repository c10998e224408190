// @ts-check
// Streams of moving backdrops as they arrive: decoded, and shown where they belong.

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Beneath } from "./beneath.js" */

/** Whether this browser can decode streams; on a plain HTTP address it says it cannot. */
export const canDecode = () => "VideoDecoder" in window;

/** A stream of which nothing has come for so many milliseconds has stopped; see `IDLE` in streams.js. */
const STOPPED = 7000;
/** How often it is looked whether one has, in milliseconds. */
export const LOOK = 500;

class Player {
  /** @param {Frames} frames @param {string} id */
  constructor(frames, id) {
    this.frames = frames;
    this.id = id;
    this.canvas = document.createElement("canvas");
    const context = this.canvas.getContext("2d", { alpha: false, desynchronized: true });
    if (!context) throw new Error("this browser cannot draw");
    this.context = context;
    /** @type {VideoDecoder | null} */
    this.decoder = null;
    /** @type {Map<number, { taken: number, shows: number[] }>} */
    this.under = new Map();
    this.stamp = 0;
  }

  /** @param {{ key: boolean, codec?: string, colour?: string, width: number, height: number, taken: number, shows: Float64Array, data: Uint8Array }} frame */
  decode(frame) {
    if (frame.key && frame.codec) {
      this.frames.check(frame.codec);
      if (!this.decoder || this.decoder.state === "closed") this.begin();
      this.decoder?.configure({
        codec: frame.codec,
        codedWidth: frame.width,
        codedHeight: frame.height,
        optimizeForLatency: true,
        colorSpace: JSON.parse(frame.colour ?? "{}"),
      });
    }
    if (this.decoder?.state !== "configured") return;
    const stamp = ++this.stamp;
    this.under.set(stamp, { taken: frame.taken, shows: [...frame.shows] });
    this.decoder.decode(
      new EncodedVideoChunk({ type: frame.key ? "key" : "delta", timestamp: stamp, data: frame.data }),
    );
  }

  begin() {
    this.decoder = new VideoDecoder({
      output: (picture) => {
        const about = this.under.get(picture.timestamp);
        for (const stamp of this.under.keys()) if (stamp <= picture.timestamp) this.under.delete(stamp);
        if (about) this.show(picture, picture.displayWidth, picture.displayHeight, about);
        picture.close();
      },
      error: () => {
        this.decoder = null;
        this.frames.ask(this.id);
      },
    });
  }

  /** @param {{ data: Uint8Array, taken: number, shows: Float64Array }} frame */
  async still(frame) {
    const about = { taken: frame.taken, shows: [...frame.shows] };
    const blob = new Blob([/** @type {Uint8Array<ArrayBuffer>} */ (frame.data)], { type: "image/jpeg" });
    const picture = await createImageBitmap(blob).catch(() => null);
    if (picture) this.show(picture, picture.width, picture.height, about);
    picture?.close();
  }

  /**
   * @param {CanvasImageSource} picture @param {number} width @param {number} height
   * @param {{ taken: number, shows: number[] }} about
   */
  show(picture, width, height, about) {
    const { canvas } = this;
    if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
    this.context.drawImage(picture, 0, 0, width, height);
    canvas.dataset.taken = `${about.taken}`;
    this.frames.shown(this, about.shows);
  }

  stop() {
    if (this.decoder && this.decoder.state !== "closed") this.decoder.close();
    this.decoder = null;
  }
}

export class Frames {
  /** @param {{ glass: Glass, beneath: Beneath, flush: () => void }} page */
  constructor({ glass, beneath, flush }) {
    this.glass = glass;
    this.beneath = beneath;
    this.flush = flush;
    /** @type {Map<string, Player>} */
    this.players = new Map();
    /** When something of a stream was last seen, or it began to be awaited. @type {Map<string, number>} */
    this.last = new Map();
    /** Codecs that have been looked at. @type {Set<string>} */
    this.checked = new Set();
  }

  /** Gets stills from now on if this browser does not know a codec. @param {string} codec */
  async check(codec) {
    if (this.checked.has(codec)) return;
    this.checked.add(codec);
    const { supported } = await VideoDecoder.isConfigSupported({ codec }).catch(() => ({ supported: false }));
    if (supported) return;
    this.glass.want_stills();
    this.flush();
  }

  /** Takes what has come. */
  take() {
    for (let frame; (frame = this.glass.next_frame()); frame.free()) {
      const id = frame.backdrop;
      let player = this.players.get(id);
      if (!player) {
        player = new Player(this, id);
        this.players.set(id, player);
      }
      if (frame.still) player.still({ data: frame.data, taken: frame.taken, shows: frame.shows });
      else if (canDecode())
        player.decode({
          key: frame.key,
          codec: frame.codec ?? undefined,
          colour: frame.colour ?? undefined,
          width: frame.width,
          height: frame.height,
          taken: frame.taken,
          shows: frame.shows,
          data: frame.data,
        });
    }
    this.flush();
  }

  /** @param {string} id */
  ask(id) {
    this.glass.want_key(id);
    this.flush();
  }

  /** @param {Player} player @param {number[]} shows */
  shown(player, shows) {
    this.last.set(player.id, performance.now());
    const holder = this.beneath.holder(player.id);
    const fresh = holder.live !== player.canvas;
    const same = holder.shows?.every((v, i) => v === shows[i]);
    holder.shows = shows;
    holder.setLive(player.canvas);
    if (fresh || !same) this.beneath.place();
    if (fresh) this.beneath.changed();
  }

  /** What has left the stage is let go; what came on it and shows nothing is asked for. */
  tidy() {
    for (const { id, streams } of this.beneath.panes)
      if (streams && !this.last.has(id)) this.last.set(id, performance.now());
    for (const [id, player] of this.players) {
      if (this.beneath.pane(id)?.streams) continue;
      player.stop();
      this.players.delete(id);
      this.last.delete(id);
    }
  }

  /**
   * Whether a moving backdrop on stage is awaited, and nothing has come of it for a while.
   * @param {boolean} [wasHere] only one of which a picture has come before
   */
  hasStopped(wasHere = false) {
    const now = performance.now();
    return this.beneath.panes.some(
      (p) =>
        p.streams &&
        p.frozen === null &&
        !this.beneath.holder(p.id).wrap.dataset.runs &&
        (!wasHere || this.beneath.holder(p.id).live instanceof HTMLCanvasElement) &&
        now - (this.last.get(p.id) ?? now) > STOPPED,
    );
  }
}
