// @ts-check
// The panel of what is seldom wanted: marks as files, the room.

import { ask, say } from "../messages.js";
import { el, input } from "../page.js";
import { closePanels, panel } from "./panels.js";

/** @import { Settings } from "../settings.js" */

/** What the back-row check goes by, in millimetres; in the fields in larger units. */
const ROOM = /** @type {const} */ ([
  ["room-width", "display_width", 10],
  ["room-seat", "farthest_seat", 1000],
]);

/**
 * @param {{ lesson: string, settings: Settings, backdrop: () => string | null,
 *   read: (marks: string) => void }} stage
 */
export function prepareMore({ lesson, settings, backdrop, read }) {
  panel("more", "more-panel", () => {
    const at = `/lessons/${lesson}/backdrops/${backdrop()}/marks`;
    el("save-svg").setAttribute("href", `${at}.svg`);
    el("save-inkml").setAttribute("href", `${at}.inkml`);
  });
  el("read-marks").addEventListener("click", () => input("marks-file").click());
  input("marks-file").addEventListener("change", async () => {
    const file = input("marks-file").files?.[0];
    if (!file) return;
    closePanels();
    const body = new FormData();
    body.append("marks", file, file.name);
    input("marks-file").value = "";
    const response = await ask(`/lessons/${lesson}/marks`, body);
    if (!response?.ok) return;
    /** @type {{ marks: string, count: number, left: string[] }} */
    const { marks, count, left } = await response.json();
    read(marks);
    if (left.length) say(`${count} marks were read. Not read: ${left.join("; ")}.`);
  });
  for (const [id, name, unit] of ROOM) {
    const show = () => (input(id).value = `${settings.now.room[name] / unit}`);
    show();
    input(id).addEventListener("change", () => {
      if (input(id).validity.valid && input(id).value)
        settings.change(({ room }) => (room[name] = Number(input(id).value) * unit));
      else show();
    });
  }
}
