// @ts-check
// What comes from elsewhere: copied, pasted, dropped. Pictures are placed, words become a text, marks are
// marks again, other files backdrops.

import { ask, say } from "../messages.js";
import { el, isWriting, thousands } from "../page.js";
import { isLocked } from "../rail/rail.js";

/** @import { Glass, Kind } from "../../glass/glass.js" */
/** @import { Hand } from "./hand.js" */
/** @import { Selection } from "./selection.js" */
/** @import { Typing } from "./typing.js" */

/** The longest text that is taken from a clipboard or a file, in letters. */
const MOST_LETTERS = 3000;
/** How far each further picture that is placed lies beside the one before, in CSS pixels. */
const ASIDE = 24;

/**
 * @param {{ lesson: string, glass: Glass, hand: Hand, selection: Selection, typing: Typing,
 *   take: (tool: Kind) => void, bring: (files: File[]) => void,
 *   area: () => { left: number, top: number, width: number, height: number } }} stage
 *   `bring` puts files on stage as backdrops
 */
export function listenToDrops({ lesson, glass, hand, selection, typing, take, bring, area }) {
  for (const how of /** @type {const} */ (["copy", "cut"])) {
    addEventListener(how, (e) => {
      if (!hand.holds("select") || isWriting(e.target) || !selection.copy(e)) return;
      if (how === "cut") selection.do(() => glass.delete_selection());
    });
  }

  addEventListener("paste", (e) => {
    if (isLocked() || isWriting(e.target)) return;
    // Otherwise the field that takes what was pasted gets it a second time.
    e.preventDefault();
    const { width, height } = area();
    const files = [...(e.clipboardData?.files ?? [])];
    if (files.length && files.some((f) => !f.type.startsWith("image/"))) return bring(files);
    if (files.length) return void placePictures(files, width / 2, height / 2);
    const text = e.clipboardData?.getData("text/plain") ?? "";
    const { tool: before } = hand.held;
    take("select");
    if (selection.paste(text)) return;
    take(before);
    write(text, width / 4, height / 4);
  });

  addEventListener("dragover", (e) => e.preventDefault());
  addEventListener("drop", (e) => {
    e.preventDefault();
    if (isLocked()) return;
    const files = [...(e.dataTransfer?.files ?? [])];
    const words = e.dataTransfer?.getData("text/plain") ?? "";
    const onRail = e.target instanceof Element && e.target.closest("#rail, #order-panel");
    const pictures = files.every((f) => f.type.startsWith("image/"));
    const { left, top } = el("glass").getBoundingClientRect();
    const [x, y] = [e.clientX - left, e.clientY - top];
    if (files.length === 1 && files[0].type === "text/plain" && !onRail)
      files[0].text().then((words) => write(words, x, y));
    else if (files.length && (onRail || !pictures)) bring(files);
    else if (files.length) placePictures(files, x, y);
    else if (words) write(words, x, y);
    else say("Only files can be dropped here: pictures, PDF documents, videos, web pages.");
  });

  /**
   * Words from elsewhere become a text that is being typed.
   * @param {string} words @param {number} x @param {number} y
   */
  function write(words, x, y) {
    if (words.trim() === "") return;
    if (words.length > MOST_LETTERS)
      return say(
        `This text has ${thousands(words.length)} letters; ${thousands(MOST_LETTERS)} are the most that can be read on a stage. Paste a part of it, or bring it as a picture or a PDF.`,
      );
    take("text");
    typing.end();
    typing.write(words, x, y);
  }

  /**
   * Places pictures on what is on stage, each a little further on.
   * @param {File[]} files
   * @param {number} x
   * @param {number} y
   */
  async function placePictures(files, x, y) {
    for (const [i, file] of files.entries()) {
      const body = new FormData();
      body.append("picture", file, file.name);
      const response = await ask(`/lessons/${lesson}/placed`, body);
      if (!response?.ok) continue;
      /** @type {{ picture: string, width: number, height: number, note?: string }} */
      const kept = await response.json();
      if (kept.note) say(`${file.name}: ${kept.note}`);
      take("select");
      const [px, py] = [x + i * ASIDE, y + i * ASIDE];
      selection.do(() => glass.place_picture(kept.picture, kept.width, kept.height, px, py));
    }
  }
}
