// @ts-check
// Where moving backdrops get their pictures from: a shared screen, the stand-in for a camera, and the
// browser's picture of this tab for web pages; cameras have a file of their own.

/**
 * @typedef {{ turn: number, mirror: boolean }} Orientation quarter turns clockwise, then mirrored
 */

/** A stream of pictures from the browser, in the element that shows it. */
export class Source {
  /**
   * @param {MediaStreamTrack} track
   * @param {HTMLVideoElement | HTMLCanvasElement} element what is shown on the stage
   * @param {string} name as the browser calls it
   */
  constructor(track, element, name) {
    this.track = track;
    this.element = element;
    this.name = name;
    /** @type {Orientation} */
    this.orientation = { turn: 0, mirror: false };
    /** @type {() => void} */
    this.ended = () => {};
    /** @type {(muted: boolean) => void} */
    this.stalls = () => {};
    track.addEventListener("ended", () => this.ended());
    track.addEventListener("mute", () => this.stalls(true));
    track.addEventListener("unmute", () => this.stalls(false));
  }

  /** Whether its pictures are shown as they come. */
  get upright() {
    return this.orientation.turn === 0 && !this.orientation.mirror;
  }

  /** The pixels that it has, as it stands upright. @returns {[number, number]} */
  get size() {
    const { element } = this;
    const [w, h] =
      element instanceof HTMLVideoElement ? [element.videoWidth, element.videoHeight] : [element.width, element.height];
    return this.orientation.turn % 2 ? [h, w] : [w, h];
  }

  /**
   * Draws a picture of it, upright, into `width` by `height`.
   * @param {CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D} context
   * @param {CanvasImageSource} picture
   * @param {number} width @param {number} height
   */
  draw(context, picture, width, height) {
    const { turn, mirror } = this.orientation;
    context.save();
    context.translate(width / 2, height / 2);
    if (mirror) context.scale(-1, 1);
    context.rotate((turn * Math.PI) / 2);
    const [w, h] = turn % 2 ? [height, width] : [width, height];
    context.drawImage(picture, -w / 2, -h / 2, w, h);
    context.restore();
  }

  /** The picture at this instant, every pixel as it is; `null` before there is one. */
  grab() {
    const [width, height] = this.size;
    if (!width || !height) return null;
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [width, height];
    const context = canvas.getContext("2d");
    if (!context) return null;
    this.draw(context, this.element, width, height);
    return canvas;
  }

  /**
   * Calls back with each new picture until the function that it gives is called.
   * @param {(picture: VideoFrame | HTMLVideoElement, done: () => void) => void} take
   */
  frames(take) {
    let over = false;
    if ("MediaStreamTrackProcessor" in window) {
      const { MediaStreamTrackProcessor } = /** @type {any} */ (window);
      const reader = new MediaStreamTrackProcessor({ track: this.track, maxBufferSize: 1 }).readable.getReader();
      const read = async () => {
        for (;;) {
          const { done, value } = await reader.read().catch(() => ({ done: true, value: undefined }));
          if (done || over) {
            value?.close();
            reader.cancel().catch(() => {});
            return;
          }
          take(value, () => value.close());
        }
      };
      read();
    } else if (this.element instanceof HTMLVideoElement) {
      const video = this.element;
      const next = () => {
        if (over) return;
        take(video, () => {});
        video.requestVideoFrameCallback(next);
      };
      video.requestVideoFrameCallback(next);
    }
    return () => {
      over = true;
    };
  }

  /** The sound that comes with it. */
  get heard() {
    const stream = this.element instanceof HTMLVideoElement ? this.element.srcObject : null;
    return stream instanceof MediaStream ? stream.getAudioTracks() : [];
  }

  stop() {
    for (const track of [this.track, ...this.heard]) track.stop();
  }
}

/** The element that shows a stream, once it does. @param {MediaStream} stream */
export async function shownIn(stream) {
  const video = document.createElement("video");
  video.muted = true;
  video.playsInline = true;
  video.srcObject = stream;
  await video.play().catch(() => {});
  if (!video.videoWidth) await new Promise((done) => video.addEventListener("resize", done, { once: true }));
  return video;
}

/** How long the first picture of what is shared may take, in milliseconds. */
const FIRST_PICTURE = 400;

/**
 * As `shownIn`. What stands still may never give a first picture: it is drawn anew until it does.
 * @param {MediaStream} stream @param {MediaStreamTrack} track
 * @param {(odd: boolean) => void} draw in one of two ways in turn, which nobody can tell apart
 */
async function drawnAnew(stream, track, draw) {
  let odd = false;
  const again = setInterval(() => {
    if (track.readyState === "ended") return clearInterval(again);
    odd = !odd;
    draw(odd);
  }, FIRST_PICTURE);
  const shown = await shownIn(stream);
  clearInterval(again);
  return shown;
}

/** Why a browser did not give what it was asked for, in words. @param {unknown} e @param {string} what */
export function refusal(e, what) {
  const name = e instanceof Error ? e.name : "";
  if (!window.isSecureContext)
    return `This address is not secure (http from another machine), so the browser gives no ${what}. Serving with --tls-self-signed puts that right.`;
  if (name === "NotAllowedError")
    return `The browser was not allowed to use the ${what}. Press the key again and allow it, or look in the browser's settings for this address.`;
  if (name === "NotFoundError" || name === "OverconstrainedError")
    return `No such ${what} was found. Is it plugged in?`;
  if (name === "NotReadableError" || name === "AbortError")
    return `The ${what} is in use by another program, or does not answer. Close what uses it and try again.`;
  return `The ${what} could not be started: ${e instanceof Error ? e.message : e}`;
}

/** Marks this tab, so that a stage that is about to be shared on itself is recognised. @param {string} mark */
export function markTab(mark) {
  /** @type {any} */ (navigator.mediaDevices)?.setCaptureHandleConfig?.({
    handle: mark,
    exposeOrigin: true,
    permittedOrigins: ["*"],
  });
}

/** Thrown when somebody shares the stage on the stage. */
export class SharesItself extends Error {}

/** A screen, window or tab, as somebody chooses it. @param {string} mark of this tab */
export async function screen(mark) {
  const options = /** @type {any} */ ({
    video: { frameRate: { ideal: 30 } },
    // A tab's, for who records. A whole machine's would have what the microphone hears, once more.
    audio: true,
    systemAudio: "exclude",
    selfBrowserSurface: "exclude",
    surfaceSwitching: "include",
  });
  const stream = await navigator.mediaDevices.getDisplayMedia(options);
  const [track] = stream.getVideoTracks();
  const handle = /** @type {any} */ (track).getCaptureHandle?.();
  if (handle?.handle === mark) {
    for (const each of stream.getTracks()) each.stop();
    throw new SharesItself();
  }
  const surface = /** @type {any} */ (track.getSettings()).displaySurface;
  const source = new Source(
    track,
    // A tab behind this one: asked for another rate, the browser draws it.
    await drawnAnew(stream, track, (odd) => {
      track.applyConstraints({ frameRate: { ideal: odd ? 29 : 30 } }).catch(() => {});
    }),
    surface === "browser" ? "tab" : surface === "window" ? "window" : "screen",
  );
  if ("contentHint" in track) track.contentHint = "detail";
  return source;
}

/** @param {HTMLCanvasElement} canvas @param {string} name */
export function drawn(canvas, name) {
  const [track] = canvas.captureStream(15).getVideoTracks();
  return new Source(track, canvas, name);
}

/** Whether the browser can give a picture of one part of a tab, without what lies over it. */
export const canShowTab = () => "RestrictionTarget" in window && window.isSecureContext;

/**
 * The browser's picture of a part of this tab, without what lies over it.
 * @param {HTMLElement} part
 */
export async function ownTab(part) {
  const options = /** @type {any} */ ({
    video: { frameRate: { ideal: 30 } },
    audio: false,
    preferCurrentTab: true,
    selfBrowserSurface: "include",
    surfaceSwitching: "exclude",
    systemAudio: "exclude",
  });
  const stream = await navigator.mediaDevices.getDisplayMedia(options);
  const [track] = stream.getVideoTracks();
  try {
    const { RestrictionTarget } = /** @type {any} */ (window);
    await /** @type {any} */ (track).restrictTo(await RestrictionTarget.fromElement(part));
  } catch {
    track.stop();
    throw new SharesItself("That was not this tab.");
  }
  if ("contentHint" in track) track.contentHint = "detail";
  const shown = await drawnAnew(stream, track, (odd) => {
    part.style.opacity = odd ? "0.999" : "";
  });
  part.style.opacity = "";
  return new Source(track, shown, "this tab");
}
