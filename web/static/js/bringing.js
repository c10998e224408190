// @ts-check
// Bringing files: several at once, one after the other, with progress; what cannot be used says why.

/**
 * What the browser knows of a video. @typedef {{ width: number, height: number, duration: number, frame: number }} About
 */

const VIDEO = /\.(webm|mp4|m4v|mov|ogv|ogg)$/i;
const LATE = 15000;

/**
 * @param {File[]} files
 * @param {string} to the address that takes them
 * @param {(file: string, part: number) => void} progress of each file, from 0 to 1
 * @returns {Promise<string[]>} why some were not taken
 */
export async function bringFiles(files, to, progress) {
  const refused = [];
  for (const file of files) {
    progress(file.name, 0);
    try {
      refused.push(...(await bring(file, to, (part) => progress(file.name, part))));
    } catch (e) {
      refused.push(`${file.name}: ${e instanceof Error ? e.message : e}`);
    }
  }
  return refused;
}

/** @param {File} file @param {string} to @param {(part: number) => void} progress */
async function bring(file, to, progress) {
  const body = new FormData();
  if (file.type.startsWith("video/") || VIDEO.test(file.name)) {
    const { about, poster } = await opened(file);
    body.append("about", JSON.stringify(about));
    if (poster) body.append("poster", poster, "poster.png");
    body.append("file", file, file.name);
  } else if (file.type === "image/avif" || /\.avif$/i.test(file.name)) {
    body.append("file", await asPng(file), file.name.replace(/\.avif$/i, "") + ".png");
  } else {
    body.append("file", file, file.name);
  }
  return send(to, body, progress);
}

/**
 * `fetch` does not tell how far an upload is.
 * @param {string} to @param {FormData} body @param {(part: number) => void} progress
 * @returns {Promise<string[]>}
 */
function send(to, body, progress) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", to);
    request.upload.addEventListener("progress", (e) => e.lengthComputable && progress(e.loaded / e.total));
    request.addEventListener("error", () => reject(new Error("The line broke off on the way; nothing of it was kept. Try again when it is back.")));
    request.addEventListener("load", () => {
      if (request.status === 200) return resolve([]);
      try {
        const { refused } = JSON.parse(request.responseText);
        resolve(refused.map((/** @type {{ file: string, why: string }} */ r) => `${r.file}: ${r.why}`));
      } catch {
        reject(new Error(request.getResponseHeader("x-bozzetto-says") ?? "That did not work."));
      }
    });
    request.send(body);
  });
}

/**
 * Opens a video here, since only what the browser can play can be shown.
 * @param {File} file
 * @returns {Promise<{ about: About, poster: Blob | null }>}
 */
async function opened(file) {
  const cannot = new Error("This browser cannot play it. WebM, MP4 (H.264) and Ogg videos work in most; converting it to one of these helps.");
  const video = document.createElement("video");
  video.muted = true;
  video.preload = "auto";
  const address = URL.createObjectURL(file);
  try {
    await new Promise((/** @type {(v?: unknown) => void} */ resolve, reject) => {
      const timer = setTimeout(() => reject(cannot), LATE);
      video.addEventListener("loadeddata", () => (clearTimeout(timer), resolve()));
      video.addEventListener("error", () => (clearTimeout(timer), reject(cannot)));
      video.src = address;
    });
    if (!video.videoWidth) throw new Error("It has sound, but no picture.");
    if (!Number.isFinite(video.duration)) await lengthOf(video);
    const about = { width: video.videoWidth, height: video.videoHeight, duration: video.duration, frame: await frameOf(video) };
    return { about, poster: await pictureOf(video) };
  } finally {
    URL.revokeObjectURL(address);
  }
}

/** Recordings often do not say how long they are: far ahead, the browser finds out. @param {HTMLVideoElement} video */
async function lengthOf(video) {
  const known = new Promise((done) => video.addEventListener("durationchange", () => Number.isFinite(video.duration) && done(undefined)));
  video.currentTime = 1e9;
  await Promise.race([known, new Promise((done) => setTimeout(done, 4000))]);
}

/** The length of a frame in seconds, from the first few; 0 when it cannot be told. @param {HTMLVideoElement} video */
async function frameOf(video) {
  /** @type {number[]} */
  const moments = [];
  video.currentTime = 0;
  await Promise.race([
    new Promise((/** @type {(v?: unknown) => void} */ done) => {
      const next = (/** @type {number} */ _now, /** @type {VideoFrameCallbackMetadata} */ about) => {
        moments.push(about.mediaTime);
        if (moments.length > 12) done();
        else video.requestVideoFrameCallback(next);
      };
      video.requestVideoFrameCallback(next);
      video.play().catch(() => done());
    }),
    new Promise((done) => setTimeout(done, 2500)),
  ]);
  video.pause();
  const steps = moments.slice(1).map((m, i) => m - moments[i]).filter((s) => s > 0).sort((a, b) => a - b);
  return steps[0] ?? 0;
}

/** @param {HTMLVideoElement} video @returns {Promise<Blob | null>} */
async function pictureOf(video) {
  const sought = new Promise((done) => video.addEventListener("seeked", done, { once: true }));
  video.currentTime = Math.min(1, video.duration / 3);
  await Promise.race([sought, new Promise((done) => setTimeout(done, 2000))]);
  const canvas = document.createElement("canvas");
  const scale = Math.min(1, 960 / video.videoWidth);
  [canvas.width, canvas.height] = [Math.round(video.videoWidth * scale), Math.round(video.videoHeight * scale)];
  canvas.getContext("2d")?.drawImage(video, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve) => canvas.toBlob(resolve, "image/png"));
}

/** A picture of a kind that only browsers read, without loss. @param {File} file @returns {Promise<Blob>} */
async function asPng(file) {
  const picture = await createImageBitmap(file).catch(() => null);
  if (!picture) throw new Error("This browser cannot read the AVIF file.");
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [picture.width, picture.height];
  canvas.getContext("2d")?.drawImage(picture, 0, 0);
  const blob = await new Promise((/** @type {(b: Blob | null) => void} */ resolve) => canvas.toBlob(resolve, "image/png"));
  if (!blob) throw new Error("The picture is too large.");
  return blob;
}
