// @ts-check
// A participant shows their own screen: it waits for the presenter, and its pictures are sent while it is on stage.

import { button } from "../page.js";

/** @import { Glass } from "../../glass/glass.js" */
/** @import { Beneath } from "../picture/beneath.js" */
/** @import { Source } from "../moving/sources.js" */
/** @import { StreamSender } from "../moving/streams.js" */

/** The path on which a browser says that it goes. @param {string} lesson */
const ends = (lesson) => `/follow/${lesson}/screen/end`;

/**
 * @param {{ glass: Glass, lesson: string, beneath: Beneath, flush: () => void, unsent: () => number,
 *   say: (words: string) => void }} page
 */
export function prepareScreenKey({ glass, lesson, beneath, flush, unsent, say }) {
  const key = button("show-screen");
  key.hidden = !navigator.mediaDevices?.getDisplayMedia;
  /** @type {Source | null} */
  let source = null;
  /** @type {StreamSender | null} */
  let sender = null;
  /** The backdrop that shows it, once it is on stage. @type {string | null} */
  let id = null;
  /** The presenter has put it aside. */
  let aside = false;

  key.addEventListener("click", () => (source ? end("") : begin()));

  async function begin() {
    const { refusal, screen, SharesItself } = await import("../moving/sources.js");
    try {
      source = await screen(`bozzetto:${location.origin}:${lesson}`);
    } catch (e) {
      const itself = e instanceof SharesItself;
      return say(itself ? "That is this page: choose another tab, a window or a screen." : refusal(e, "screen"));
    }
    source.ended = () => end("Your screen is shown no more.");
    source.element.addEventListener("resize", sized);
    const [width, height] = source.size;
    const body = new URLSearchParams({ width: `${width}`, height: `${height}` });
    const response = await fetch(`/follow/${lesson}/screen/offer`, { method: "POST", body }).catch(() => null);
    if (!response?.ok) return end(response?.headers.get("x-bozzetto-says") ?? "The line is down.");
    aside = false;
    key.textContent = "Stop showing my screen";
    say("It waits for the presenter. Nobody sees it before.");
  }

  function sized() {
    const [width, height] = source?.size ?? [0, 0];
    if (!id || !width || !height) return;
    glass.screen_has_size(id, width, height);
    flush();
  }

  /** @param {string} why */
  function end(why) {
    stop();
    source?.stop();
    source = null;
    key.textContent = "Show my screen…";
    fetch(ends(lesson), { method: "POST" }).catch(() => {});
    if (why) say(why);
  }

  function stop() {
    if (id) {
      const holder = beneath.holder(id);
      delete holder.wrap.dataset.runs;
      holder.setLive(null);
    }
    sender?.stop();
    sender = null;
    id = null;
  }

  addEventListener("pagehide", () => source && navigator.sendBeacon(ends(lesson)));

  return {
    /** The backdrop that shows it is this one now, or none. @param {number | null} screen */
    async show(screen) {
      const now = screen === null ? null : `${screen}`;
      if (now === id) return;
      stop();
      if (!source) return;
      if (now === null) return end("Your screen is shown no more.");
      id = now;
      const { StreamSender } = await import("../moving/streams.js");
      if (id !== now || !source) return;
      glass.stream_begins(now, crypto.getRandomValues(new Uint32Array(1))[0]);
      sized();
      sender = new StreamSender({ glass, id: now, source, unsent, flush, part });
    },
    /** Whether the presenter has put it aside. @param {boolean} is */
    aside(is) {
      if (is === aside) return;
      aside = is;
      if (source && !id)
        say(
          is
            ? "The presenter has put your screen aside: nobody sees it."
            : "Your screen waits for the presenter again.",
        );
    },
    /** Who watches is otherwise. */
    watch() {
      sized();
      sender?.again();
    },
    /** Somebody needs a frame that stands by itself. @param {string} which */
    key: (which) => which === id && sender?.key(),
    /** What is on stage is shown here from the screen itself. */
    lay() {
      if (!id || !source || !beneath.pane(id)) return;
      const holder = beneath.holder(id);
      holder.wrap.dataset.runs = "yes";
      holder.shows = null;
      holder.setLive(source.element);
      beneath.place();
    },
  };

  /** All of the screen, as it lies on the backdrop. */
  function part() {
    const [w, h] = source?.size ?? [0, 0];
    const found = id && w && h ? glass.picture_part(id, w, h, new Float64Array(0), true) : [];
    return found.length ? { crop: [...found.slice(0, 4)], shows: Float64Array.from(found.slice(4)) } : null;
  }
}
