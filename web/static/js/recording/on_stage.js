// @ts-check
// What is heard of the backdrops on stage.

/** What films give of themselves. @type {WeakMap<Element, MediaStream>} */
const captured = new WeakMap();

/** The sound of films, shared tabs and cameras that are on stage. @returns {MediaStreamTrack[]} */
export function soundOnStage() {
  return [...document.querySelectorAll("#beneath video")].flatMap((video) => {
    const { srcObject } = /** @type {HTMLVideoElement} */ (video);
    if (srcObject instanceof MediaStream) return srcObject.getAudioTracks();
    return (captured.get(video) ?? capture(video))?.getAudioTracks() ?? [];
  });
}

/** @param {Element} video */
function capture(video) {
  const stream = /** @type {any} */ (video).captureStream?.();
  if (stream) captured.set(video, stream);
  return stream ?? null;
}
