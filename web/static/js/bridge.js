// @ts-check
// Put into web pages that are backdrops: tells the stage how far the page is scrolled, scrolls it
// when the stage asks, and passes on what the stage's keys and wheel mean there. It runs inside the
// page, which knows nothing of the stage and is not trusted by it.
(() => {
  const root = document.documentElement;
  // Not every browser keeps to the policy's word on peer connections, which go past all its others:
  // a page finds none to make.
  for (const name of ["RTCPeerConnection", "webkitRTCPeerConnection"]) Reflect.deleteProperty(window, name);
  /** @param {Record<string, unknown>} what */
  const tell = (what) => parent.postMessage({ bozzetto: what.kind ?? "scrolled", ...what }, "*");
  const where = () => tell({ path: location.pathname, x: scrollX, y: scrollY, height: root.scrollHeight });
  addEventListener("scroll", where, { passive: true });
  addEventListener("resize", where);
  addEventListener("load", where);
  addEventListener("DOMContentLoaded", where);
  addEventListener("message", (e) => {
    if (e.source !== parent || !e.data) return;
    const { bozzetto, x, y } = e.data;
    if (bozzetto === "scroll") scrollTo({ left: x, top: y, behavior: "instant" });
    if (bozzetto === "scrollBy") scrollBy({ left: x, top: y, behavior: "instant" });
    where();
  });
  addEventListener(
    "wheel",
    (e) => {
      if (!e.ctrlKey) return;
      e.preventDefault();
      tell({ kind: "zoom", by: Math.exp(-e.deltaY / 400), x: e.clientX, y: e.clientY });
    },
    { passive: false },
  );
  /** @param {EventTarget | null} target */
  const typing = (target) => target instanceof Element && target.closest("input, textarea, select, [contenteditable]");
  for (const type of /** @type {const} */ (["keydown", "keyup"])) {
    addEventListener(type, (e) => {
      if (typing(e.target) || e.defaultPrevented) return;
      tell({
        kind: "key",
        type,
        key: e.key,
        shiftKey: e.shiftKey,
        ctrlKey: e.ctrlKey,
        altKey: e.altKey,
        metaKey: e.metaKey,
        repeat: e.repeat,
      });
    });
  }
  // Where hands point, for the ring round the pointer and the ripples of presses.
  for (const type of /** @type {const} */ (["pointermove", "pointerdown"])) {
    addEventListener(
      type,
      (e) => {
        const press = type === "pointermove" ? 0 : e.button === 2 ? 2 : e.button === 0 ? 1 : 0;
        tell({ kind: "points", press, x: e.clientX, y: e.clientY });
      },
      { passive: true },
    );
  }
  root.addEventListener("pointerleave", () => tell({ kind: "left" }));
  root.dataset.bozzetto = "bridged";
})();
