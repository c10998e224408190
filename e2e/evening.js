// @ts-check
// Makes the recorded lesson of the demo data again, in demo/: draws it on a stage, records it, and keeps its log.
// What is said comes from a program that speaks: `apt-get install espeak-ng`.

import { execFileSync } from "node:child_process";
import { copyFileSync, mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";
import { args, executablePath } from "./browser.js";
import { record, stop } from "./film.js";
import { root, Server } from "./server.js";
import { ready } from "./stage.js";

const folder = mkdtempSync(join(tmpdir(), "bozzetto-evening-"));
const demo = (/** @type {string} */ ending) => join(root, "demo", `Evening 2.${ending}`);

/** What is said and when, in seconds of the film. @type {[number, string][]} */
const SAID = [
  [1, "Last time we read the chart. Tonight we come in: the course keeps to the west side of the channel."],
  [11, "Buoy one stays to starboard. A ring round it, so that nobody forgets."],
  [19, "Before we enter, write down: when is low water, and how much is left under the keel?"],
  [30, "And this is what the sounder shows off Isola Corda: the bottom rises here."],
];
const LASTS = 40;

// One track, each sentence at its time.
const spoken = SAID.map(([, text], n) => {
  const wav = join(folder, `${n}.wav`);
  execFileSync("espeak-ng", ["-v", "en-gb", "-s", "145", "-w", wav, text]);
  return wav;
});
const delays = SAID.map(([at], n) => `[${n}]adelay=${at * 1000}:all=1[s${n}]`).join(";");
const mixed = `${delays};${SAID.map((_, n) => `[s${n}]`).join("")}amix=${SAID.length}:normalize=0,apad=whole_dur=60`;
const voice = join(folder, "voice.wav");
execFileSync("ffmpeg", [
  "-v",
  "error",
  ...spoken.flatMap((wav) => ["-i", wav]),
  "-filter_complex",
  mixed,
  "-ar",
  "48000",
  voice,
]);

const stamp = (/** @type {number} */ at) => `00:${`${at}`.padStart(2, "0")}.000`;
const cues = SAID.map(([at, text], n) => `${stamp(at)} --> ${stamp((SAID[n + 1]?.[0] ?? LASTS) - 1)}\n${text}\n`);
writeFileSync(demo("vtt"), `WEBVTT\n\n${cues.join("\n")}`);

// The lesson of before goes first: it may not fit what the demo data has come to be.
const nothing = { how: "{}", pieces: 0, lasts: 0, begun_at: 0, ended_at: 0, moments: [], changes: [] };
writeFileSync(demo("json"), JSON.stringify(nothing));
writeFileSync(demo("film"), "");
execFileSync("cargo", ["build", "--workspace"], { cwd: root, stdio: "inherit" });
const server = await Server.start({ demo: true });
/** @param {string} code @param {string[]} more */
const python = (code, ...more) =>
  execFileSync(
    "python3",
    [
      "-c",
      `import sqlite3, sys, json\ndb = sqlite3.connect(sys.argv[1])\n${code}`,
      join(server.data, "bozzetto.db"),
      ...more,
    ],
    {
      encoding: "utf8",
    },
  );
await server.kill();
const lesson = python(
  `id = db.execute("SELECT id FROM lesson WHERE name LIKE '%evening 2'").fetchone()[0]
for table in ["change", "snapshot", "recording", "marked_moment"]: db.execute(f"DELETE FROM {table} WHERE lesson = {id}")
db.execute(f"UPDATE lesson SET current = NULL WHERE id = {id}")
db.commit()
print(id)`,
).trim();
await server.again();
const browser = await chromium.launch({
  executablePath,
  args: [
    ...args,
    "--use-fake-ui-for-media-stream",
    "--use-fake-device-for-media-stream",
    `--use-file-for-fake-audio-capture=${voice}`,
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 852 } });
await page.goto(`${server.base}/lessons/${lesson}/stage`);
await ready(page);

/** @typedef {[number, number]} Place in glass units */
/** Draws through these places, as a hand does that takes its time. @param {Place[]} places @param {number} takes in milliseconds */
async function draw(places, takes) {
  const box = await page.locator("#glass").boundingBox();
  if (!box) throw new Error("no stage");
  const on = (/** @type {Place} */ [x, y]) =>
    /** @type {Place} */ ([box.x + (x * box.width) / 1920, box.y + (y * box.width) / 1920]);
  const STEPS = 10;
  await page.mouse.move(...on(places[0]));
  await page.mouse.down();
  for (let n = 0; n + 1 < places.length; n++) {
    // A curve through its neighbours (Catmull and Rom, 1974).
    const [a, b, c, d] = [-1, 0, 1, 2].map((k) => places[Math.min(Math.max(n + k, 0), places.length - 1)]);
    for (let i = 1; i <= STEPS; i++) {
      const t = i / STEPS;
      const along = (/** @type {0 | 1} */ k) =>
        0.5 *
        (2 * b[k] +
          (c[k] - a[k]) * t +
          (2 * a[k] - 5 * b[k] + 4 * c[k] - d[k]) * t ** 2 +
          (3 * b[k] - a[k] - 3 * c[k] + d[k]) * t ** 3);
      await page.mouse.move(...on([along(0), along(1)]));
      await page.waitForTimeout(takes / STEPS / (places.length - 1));
    }
  }
  await page.mouse.up();
}

/** Until so many seconds of the film are over. @param {number} seconds */
const until = (seconds) =>
  page.waitForFunction((wanted) => {
    const [m, s] = (document.getElementById("record-time")?.textContent ?? "").split(":").map(Number);
    return m * 60 + s >= wanted;
  }, seconds);

await record(page, { lines: "720", codec: "vp9" });
await until(2);
await page.keyboard.press("2");
await draw(
  [
    [668, 226],
    [820, 330],
    [1000, 500],
    [1180, 585],
    [1330, 595],
    [1470, 520],
    [1556, 452],
  ],
  5000,
);
await draw(
  [
    [1500, 462],
    [1560, 446],
    [1556, 508],
  ],
  700,
);
await until(12);
await page.keyboard.press("3");
await draw(
  [
    [905, 410],
    [960, 396],
    [992, 440],
    [970, 500],
    [915, 512],
    [890, 470],
    [902, 412],
  ],
  2500,
);
await until(18);
await page.keyboard.press("PageDown");
await page.keyboard.press("t");
await page.mouse.click(160, 130);
await page.locator("#typing:not(.unread)").waitFor();
await page.keyboard.type("Low water, Isola Corda: when? How much under the keel?", { delay: 60 });
await page.keyboard.press("Escape");
await page.keyboard.press("d");
await draw(
  [
    [230, 250],
    [520, 258],
    [800, 246],
  ],
  1200,
);
await until(29);
await page.keyboard.press("PageDown");
await page.locator("#record").click();
await page.locator("#record-moment").click();
await page.keyboard.press("Escape");
await until(32);
await draw(
  [
    [300, 620],
    [560, 600],
    [800, 520],
    [1020, 380],
    [1180, 320],
  ],
  3000,
);
await until(LASTS);
await stop(page);
await browser.close();
await server.kill();
const kept = JSON.parse(
  python(
    `id = int(sys.argv[2])
how, pieces, lasts, begun, ended, file = db.execute("SELECT how, pieces, lasts, begun_at, ended_at, file FROM recording WHERE lesson = ?", [id]).fetchone()
changes = [list(row[0]) for row in db.execute("SELECT body FROM change WHERE lesson = ? ORDER BY seq", [id])]
moments = [[row[0], "What the sounder shows"] for row in db.execute("SELECT at FROM marked_moment WHERE lesson = ?", [id])]
print(json.dumps({"how": how, "pieces": pieces, "lasts": lasts, "begun_at": begun, "ended_at": ended, "moments": moments, "changes": changes, "file": file}))`,
    lesson,
  ),
);
copyFileSync(join(server.data, "recordings", kept.file), demo("film"));
kept.file = undefined;
writeFileSync(demo("json"), `${JSON.stringify(kept)}\n`);
await server.stop();
