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
    if (bozzetto === "hand") return reach(e.data);
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

  // ---- A hand that the stage has passed to somebody else: it presses, turns the wheel and types here, without taking
  // the keyboard from whoever is at the stage. Events that a script makes are done as a browser does its own.

  /** The hand's pointer. */
  const HAND = 4100;
  /** What was pressed, what has taken hold of the pointer, and where letters go. @type {Element | null} */
  let pressed = null;
  /** @type {Element | null} */
  let holds = null;
  /** @type {HTMLInputElement | HTMLTextAreaElement | null} */
  let field = null;
  /** Where it was last. */
  let last = { clientX: 0, clientY: 0 };
  // A browser takes hold only of pointers of its own.
  const { setPointerCapture, releasePointerCapture, hasPointerCapture } = Element.prototype;
  Element.prototype.setPointerCapture = function (id) {
    if (id === HAND) holds = this;
    else setPointerCapture.call(this, id);
  };
  Element.prototype.releasePointerCapture = function (id) {
    if (id !== HAND) releasePointerCapture.call(this, id);
    else if (holds === this) holds = null;
  };
  Element.prototype.hasPointerCapture = function (id) {
    return id === HAND ? holds === this : hasPointerCapture.call(this, id);
  };

  /** @param {{ does: string, x: number, y: number, dx: number, dy: number, key: string }} told */
  function reach({ does, x, y, dx, dy, key }) {
    if (does === "key") return type(key);
    if (does === "cancel") return letGo();
    last = { clientX: x, clientY: y };
    const under = document.elementFromPoint(x, y) ?? root;
    const target = holds ?? under;
    const at = { bubbles: true, cancelable: true, composed: true, view: window, clientX: x, clientY: y };
    if (does === "wheel") {
      const goes = target.dispatchEvent(new WheelEvent("wheel", { ...at, deltaX: dx, deltaY: dy }));
      if (goes) scrolled(target, dx, dy);
      return;
    }
    const buttons = does === "up" || (does === "move" && !pressed) ? 0 : 1;
    const button = does === "move" ? -1 : 0;
    const pointer = { ...at, pointerId: HAND, pointerType: "mouse", isPrimary: true, buttons, button };
    const goes = target.dispatchEvent(new PointerEvent(`pointer${does}`, { ...pointer, pressure: buttons / 2 }));
    if (goes) target.dispatchEvent(new MouseEvent(`mouse${does}`, { ...at, buttons, button: 0 }));
    if (does === "down") {
      pressed = target;
      const text = target.closest("input, textarea");
      field = text instanceof HTMLInputElement || text instanceof HTMLTextAreaElement ? text : null;
    }
    const slider = pressed instanceof HTMLInputElement && pressed.type === "range" ? pressed : null;
    if (slider) slide(slider, x);
    if (does !== "up") return;
    slider?.dispatchEvent(new Event("change", { bubbles: true }));
    // What was pressed and what is let go of have been clicked together.
    const clicked = pressed?.contains(under) ? pressed : pressed && under.contains(pressed) ? under : null;
    [pressed, holds] = [null, null];
    if (clicked && !slider) clicked.dispatchEvent(new MouseEvent("click", { ...at, detail: 1 }));
    if (clicked instanceof HTMLSelectElement) choose(clicked);
  }

  /** The hand was taken away while it pressed: nothing is clicked. */
  function letGo() {
    const target = holds ?? pressed;
    const slider = pressed instanceof HTMLInputElement && pressed.type === "range" ? pressed : null;
    [pressed, holds] = [null, null];
    const at = { bubbles: true, composed: true, view: window, ...last };
    const pointer = { ...at, pointerId: HAND, pointerType: "mouse", isPrimary: true };
    target?.dispatchEvent(new PointerEvent("pointercancel", pointer));
    target?.dispatchEvent(new MouseEvent("mouseup", at));
    slider?.dispatchEvent(new Event("change", { bubbles: true }));
  }

  /** Moves a slider to where the hand is. @param {HTMLInputElement} slider @param {number} x */
  function slide(slider, x) {
    const { left, width } = slider.getBoundingClientRect();
    const [least, most] = [Number(slider.min || 0), Number(slider.max || 100)];
    const before = slider.value;
    slider.value = `${least + Math.min(Math.max((x - left) / width, 0), 1) * (most - least)}`;
    if (slider.value !== before) slider.dispatchEvent(new InputEvent("input", { bubbles: true }));
  }

  /** A list that no script can open goes on to what comes next in it. @param {HTMLSelectElement} list */
  function choose(list) {
    list.selectedIndex = (list.selectedIndex + 1) % Math.max(list.options.length, 1);
    for (const kind of ["input", "change"]) list.dispatchEvent(new Event(kind, { bubbles: true }));
  }

  /** Scrolls what there is to be scrolled. @param {Element} from @param {number} dx @param {number} dy */
  function scrolled(from, dx, dy) {
    /** @type {Element | null} */
    let box = from;
    const moves = (/** @type {Element} */ one) => {
      const { scrollLeft, scrollTop } = one;
      one.scrollBy({ left: dx, top: dy, behavior: "instant" });
      return one.scrollLeft !== scrollLeft || one.scrollTop !== scrollTop;
    };
    while (box && !moves(box)) box = box.parentElement;
  }

  /** @param {string} key */
  function type(key) {
    const target = field?.isConnected ? field : (document.body ?? root);
    const pressedKey = { key, bubbles: true, cancelable: true, composed: true };
    const goes = target.dispatchEvent(new KeyboardEvent("keydown", pressedKey));
    if (goes && field?.isConnected && !field.disabled && !field.readOnly) {
      const { value } = field;
      if ([...key].length === 1) field.value = value + key;
      else if (key === "Backspace") field.value = [...value].slice(0, -1).join("");
      else if (key === "Enter" && field instanceof HTMLTextAreaElement) field.value = `${value}\n`;
      if (field.value !== value) field.dispatchEvent(new InputEvent("input", { bubbles: true, data: key }));
      if (key === "Enter" && field instanceof HTMLInputElement) {
        field.dispatchEvent(new Event("change", { bubbles: true }));
        field.form?.requestSubmit();
      }
    }
    target.dispatchEvent(new KeyboardEvent("keyup", pressedKey));
  }

  root.addEventListener("pointerleave", () => tell({ kind: "left" }));
  root.dataset.bozzetto = "bridged";
})();
