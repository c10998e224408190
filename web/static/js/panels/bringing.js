// @ts-check
// Bringing files: several at once, one after the other, with progress; what cannot be used says why.

/**
 * What the browser knows of a video. @typedef {{ width: number, height: number, duration: number, moments: number[] }} About
 */

const VIDEO = /\.(webm|mp4|m4v|mov|ogv|ogg)$/i;
const LATE = 15000;

/**
 * @param {File[]} files
 * @param {string} to the address that takes them
 * @param {(words: string, part: number) => void} progress what is being brought, and how much of it, from 0 to 1
 * @returns {Promise<string[]>} why some were not taken, and what is to be known of others
 */
export async function bringFiles(files, to, progress) {
  const refused = [];
  // The first is put where it belongs there; each of the others after the one before.
  let last = "";
  for (const [i, file] of files.entries()) {
    const words = files.length > 1 ? `${file.name} (${i + 1} of ${files.length})` : file.name;
    const tell = (/** @type {number} */ part) =>
      progress(part < 1 ? `Bringing ${words}` : `${words} is here; it is being read.`, part);
    tell(0);
    try {
      const { added, why } = await bring(file, to, last, tell);
      last = added || last;
      refused.push(...why);
    } catch (e) {
      refused.push(`${file.name}: ${e instanceof Error ? e.message : e}`);
    }
  }
  return refused;
}

/** What came of a file: the backdrop's id, and why it was not taken or what is to be known of it. @typedef {{ added: string, why: string[] }} Came */

/** @param {File} file @param {string} to @param {string} after @param {(part: number) => void} progress */
async function bring(file, to, after, progress) {
  const body = new FormData();
  if (after) body.append("after", after);
  if (file.type.startsWith("video/") || VIDEO.test(file.name)) {
    const { about, poster } = await opened(file);
    body.append("about", JSON.stringify(about));
    if (poster) body.append("poster", poster, "poster.png");
    body.append("file", file, file.name);
  } else if (file.type === "image/avif" || /\.avif$/i.test(file.name)) {
    body.append("file", await asPng(file), `${file.name.replace(/\.avif$/i, "")}.png`);
  } else {
    body.append("file", file, file.name);
  }
  return send(to, body, progress);
}

/**
 * `fetch` does not tell how far an upload is.
 * @param {string} to @param {FormData} body @param {(part: number) => void} progress
 * @returns {Promise<Came>}
 */
function send(to, body, progress) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", to);
    request.upload.addEventListener("progress", (e) => e.lengthComputable && progress(e.loaded / e.total));
    request.addEventListener("error", () =>
      reject(new Error("The line broke off on the way; nothing of it was kept. Try again when it is back.")),
    );
    request.addEventListener("load", () => {
      try {
        const { added, refused, notes } = JSON.parse(request.responseText);
        const why = [...refused, ...notes].map(
          (/** @type {{ file: string, why: string }} */ r) => `${r.file}: ${r.why}`,
        );
        resolve({ added: `${added.at(-1) ?? ""}`, why });
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
  const cannot = new Error(
    "This browser cannot play it. WebM and MP4 with H.264 work in most browsers; converting it to one of these helps.",
  );
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
    const about = {
      width: video.videoWidth,
      height: video.videoHeight,
      duration: video.duration,
      moments: await momentsOf(video),
    };
    return { about, poster: await pictureOf(video) };
  } finally {
    URL.revokeObjectURL(address);
  }
}

/** Recordings often do not say how long they are: far ahead, the browser finds out. @param {HTMLVideoElement} video */
async function lengthOf(video) {
  const known = new Promise((done) =>
    video.addEventListener("durationchange", () => Number.isFinite(video.duration) && done(undefined)),
  );
  video.currentTime = 1e9;
  await Promise.race([known, new Promise((done) => setTimeout(done, 4000))]);
}

/** The moments of the first frames that it shows, in seconds. @param {HTMLVideoElement} video */
async function momentsOf(video) {
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
  return moments;
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
  const blob = await new Promise((/** @type {(b: Blob | null) => void} */ resolve) =>
    canvas.toBlob(resolve, "image/png"),
  );
  if (!blob) throw new Error("The picture is too large.");
  return blob;
}
