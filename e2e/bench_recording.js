// @ts-check
// Figures of recordings and of lessons that are shown again.

import { execFileSync, spawn } from "node:child_process";
import { createInterface } from "node:readline";
import { chromium } from "@playwright/test";
import { args, executablePath } from "./browser.js";
import { COARSE, file, HEARING, newest, probe, record, stop } from "./film.js";
import { root, Server } from "./server.js";
import { ready, startNow } from "./stage.js";

/**
 * @typedef {{ runs: (name: string) => boolean, percentile: (values: number[], p: number) => number,
 *   timePens: (page: Page) => Promise<void>,
 *   row: (name: string, value: number, unit: string, note: string, baseline?: number | null) => void }} Bench
 * @typedef {import("@playwright/test").Page} Page
 */

const BINARY = "target/release/bozzetto";
const SIZE = { viewport: { width: 1280, height: 852 } };

/** @param {Bench} bench */
export async function benchRecording(bench) {
  if (bench.runs("record.cost")) await cost(bench);
  if (bench.runs("record.budget") || bench.runs("replay.size")) await budget(bench);
  if (bench.runs("record.kill")) await kill(bench);
  if (bench.runs("record.sync")) await sync(bench);
  if (bench.runs("replay.seek")) await seek(bench);
}

/** Notes what the encoder is given, and how long it takes. @param {Page} page */
async function watchEncoder(page) {
  await page.addInitScript(() => {
    const seen = {
      taken: 0,
      dropped: 0,
      at: 0,
      script: /** @type {number[]} */ ([]),
      encoder: /** @type {number[]} */ ([]),
    };
    Object.assign(window, { seen });
    const Native = window.VideoEncoder;
    const given = new Map();
    let begun = 0;
    window.VideoEncoder = /** @type {any} */ (
      class extends Native {
        /** @param {any} init */
        constructor(init) {
          super({
            ...init,
            output: (/** @type {any} */ chunk, /** @type {any} */ more) => {
              seen.encoder.push(performance.now() - (given.get(chunk.timestamp) ?? performance.now()));
              given.delete(chunk.timestamp);
              init.output(chunk, more);
            },
          });
        }
        // The recorder asks once for each picture that is due, and leaves it out when too many wait.
        get encodeQueueSize() {
          const waiting = super.encodeQueueSize;
          seen.taken++;
          if (waiting > 2) seen.dropped++;
          begun = performance.now();
          return waiting;
        }
        /** @param {VideoFrame} frame @param {any} options */
        encode(frame, options) {
          given.set(frame.timestamp, performance.now());
          seen.at = frame.timestamp;
          super.encode(frame, options);
          seen.script.push(performance.now() - begun);
        }
      }
    );
  });
}

/** What has been noted since it was asked last. @param {Page} page */
const seenBy = (page) =>
  page.evaluate(() => {
    const { seen } = /** @type {any} */ (window);
    const now = structuredClone(seen);
    Object.assign(seen, { taken: 0, dropped: 0, script: [], encoder: [] });
    return now;
  });

/** Draws without lifting the pen; gives what each frame of it took, and how long each event waited until it was heard. @param {Page} page @param {number} seconds */
async function draws(page, seconds) {
  await page.evaluate(() => {
    const { penTimes, penWaits } = /** @type {any} */ (window);
    penTimes.length = penWaits.length = 0;
  });
  const until = Date.now() + seconds * 1000;
  for (let n = 0; Date.now() < until; n++) {
    const x = 200 + ((n * 97) % 700);
    await page.mouse.move(x, 360);
    await page.mouse.down();
    for (let i = 0; i < 60; i++) await page.mouse.move(x + i * 3, 360 + Math.sin(i / 6 + n) * 200);
    await page.mouse.up();
  }
  return page.evaluate(() => {
    const { penTimes, penWaits } = /** @type {{ penTimes: number[], penWaits: number[] }} */ (
      /** @type {unknown} */ (window)
    );
    return { frames: penTimes, waits: penWaits };
  });
}

/** @param {Bench} bench */
async function cost({ percentile, row, timePens }) {
  const server = await Server.start({ binary: BINARY });
  const browser = await chromium.launch(HEARING);
  const page = await browser.newPage(SIZE);
  await watchEncoder(page);
  await timePens(page);
  await startNow(page, server.base);
  const without = await draws(page, 20);
  await record(page, { shown: "moving", codec: "h264" });
  await seenBy(page);
  await page.waitForTimeout(60_000);
  const rest = await seenBy(page);
  const pens = await draws(page, 60);
  const drawn = await seenBy(page);
  const script = percentile(drawn.script, 0.5);
  const encoder = percentile(drawn.encoder, 0.5);
  const how = "H.264, 1080 lines, 30 pictures a second, with a microphone, ink being drawn";
  row(
    "record.cost.script",
    script,
    "ms",
    `${how}; median of ${drawn.script.length} pictures, composed and handed to the encoder; p95 ${percentile(drawn.script, 0.95).toFixed(1)} ms`,
  );
  row(
    "record.cost.encoder",
    encoder,
    "ms",
    `median from there until it is encoded; p95 ${percentile(drawn.encoder, 0.95).toFixed(1)} ms`,
  );
  const p95 = (/** @type {number[]} */ values) => percentile(values, 0.95);
  row(
    "record.cost.pen",
    p95(pens.frames),
    "ms",
    "pen.frame.p95 while it is recorded, beside without; aim: ratio 1.3",
    p95(without.frames),
  );
  row(
    "record.cost.wait",
    p95(pens.waits),
    "ms",
    "p95 of how long a pen waits until it is heard, beside without",
    p95(without.waits),
  );
  row("record.dropped.rest", rest.dropped, "", `of ${rest.taken} pictures in a minute at rest; aim: none`);
  row("record.dropped.drawing", drawn.dropped, "", `of ${drawn.taken} pictures in a minute of drawing`);
  await browser.close();
  await server.stop();
}

/**
 * What a recording shows, by kind of lesson: how it begins, and what goes on then.
 * @type {Record<string, { lesson: number, shown: string, backdrop: string,
 *   goes: (page: Page, n: number) => Promise<unknown> }>}
 */
const KINDS = {
  "writing on a board": { lesson: 1, shown: "still", backdrop: "Board", goes: writes },
  "a chart that is marked": { lesson: 1, shown: "still", backdrop: "Harbour approach", goes: writes },
  "pages that are turned": {
    lesson: 1,
    shown: "still",
    backdrop: "Notices to mariners",
    goes: async (page, n) => {
      await page.keyboard.press(n % 4 < 2 ? "PageDown" : "PageUp");
      await page.waitForTimeout(6000);
    },
  },
  "a film": {
    lesson: 1,
    shown: "moving",
    backdrop: "Vessel at the buoys",
    goes: async (page, n) => {
      if (n === 0) {
        await page.getByRole("button", { name: "Again and again" }).click();
        await page.getByRole("button", { name: "Play", exact: true }).click();
      }
      await page.waitForTimeout(1000);
    },
  },
  "a camera": {
    lesson: 1,
    shown: "moving",
    backdrop: "Bench camera (simulated)",
    goes: (page) => page.waitForTimeout(1000),
  },
};

/** A word, and a look at it. @param {Page} page @param {number} n */
async function writes(page, n) {
  const [x, y] = [120 + ((n * 170) % 900), 120 + ((n * 53) % 440)];
  await page.mouse.move(x, y);
  await page.mouse.down();
  for (let i = 0; i < 50; i++) await page.mouse.move(x + i * 2, y + Math.sin(i / 3) * 18);
  await page.mouse.up();
  await page.waitForTimeout(1500);
}

/** How much of a film is planned to reach the size that ends it, in seconds. */
const PLANNED = 10;
/** It is not waited longer for it, in seconds. */
const LONGEST = 110;

/** @param {Bench} bench */
async function budget({ row }) {
  for (const [name, { lesson, shown, backdrop, goes }] of Object.entries(KINDS)) {
    const server = await Server.start({ binary: BINARY, demo: true });
    const browser = await chromium.launch(HEARING);
    const page = await browser.newPage(SIZE);
    await watchEncoder(page);
    await page.goto(`${server.base}/lessons/${lesson}/stage`);
    await ready(page);
    await page.locator("#order").click();
    await page.locator("#order-panel").getByRole("button", { name: backdrop }).first().click();
    await page.keyboard.press("Escape");
    if (backdrop.includes("camera"))
      await page
        .locator(".pane-call button")
        .click()
        .catch(() => {});
    await page.locator("#record").click();
    await page.locator("#record-shown").selectOption(shown);
    await page.locator("#record-says").filter({ hasText: "Mbit/s" }).waitFor();
    const said = (await page.locator("#record-says").textContent()) ?? "";
    const rate = Number(said.match(/([\d.]+) Mbit/)?.[1]) * 1e6 + Number(said.match(/([\d.]+) kbit/)?.[1]) * 1e3;
    const bytes = (rate * PLANNED) / 8;
    await page.locator("#record").click();
    await record(page, { shown, mb: `${bytes / 1e6}` });
    const begun = Date.now();
    /** What was said when, in seconds. @type {[number, number][]} */
    const told = [];
    for (let n = 0; (Date.now() - begun) / 1000 < LONGEST; n++) {
      await goes(page, n);
      if (await page.evaluate(() => !document.getElementById("record")?.classList.contains("goes"))) break;
      const at = (await page.evaluate(() => /** @type {any} */ (window).seen.at)) / 1e6;
      const left = (await page.locator("#record-left").textContent()) ?? "";
      const minutes = Number(left.match(/(\d+) min/)?.[1] ?? 0);
      const seconds = Number(left.match(/(\d+) s/)?.[1] ?? 0);
      if (left) told.push([at, at + minutes * 60 + seconds]);
    }
    const ended = await page.evaluate(() => !document.getElementById("record")?.classList.contains("goes"));
    if (!ended) await stop(page);
    const address = await newest(page);
    const film = await file(page, address, "film.mp4");
    const { seconds } = probe(film);
    const kept = Number(execFileSync("stat", ["-c", "%s", film], { encoding: "utf8" }));
    const after = (/** @type {number} */ share) => told.find(([at]) => at >= seconds * share)?.[1] ?? Number.NaN;
    const until = ended ? "until its size was reached" : "it was not waited longer for its size";
    row(
      `record.budget (${name})`,
      seconds,
      "s",
      `${until}; ${(kept / 1e6).toFixed(2)} of ${(bytes / 1e6).toFixed(2)} MB; said after a fifth: ${after(0.2).toFixed(0)} s, after half: ${after(0.5).toFixed(0)} s; aim: within 10 %`,
      PLANNED,
    );
    if (backdrop === "Board") {
      const lived = await page.request.get(`${server.base}/lessons/${lesson}/replay/lived`);
      const packed = Number((await lived.headersArray()).find((h) => h.name.toLowerCase() === "content-length")?.value);
      const size = packed || (await lived.body()).length;
      row(
        "replay.size",
        size / 1024,
        "KB",
        `what shows ${seconds.toFixed(0)} s of writing again, beside the film of it at 1080 lines`,
        kept / 1024,
      );
    }
    await browser.close();
    await server.stop();
  }
}

/** @param {Bench} bench */
async function kill({ percentile, row }) {
  const server = await Server.start({ binary: BINARY });
  const lost = { server: /** @type {number[]} */ ([]), browser: /** @type {number[]} */ ([]) };
  let play = 0;
  const address = new URL(server.base).host;
  for (let n = 0; n < 20; n++) {
    const which = n % 2 ? "server" : "browser";
    const process = await chromium.launchServer(HEARING);
    const browser = await chromium.connect(process.wsEndpoint());
    const page = await browser.newPage(SIZE);
    await watchEncoder(page);
    await startNow(page, server.base);
    await record(page, COARSE);
    // Not at the same moment of a piece each time.
    await page.waitForTimeout(5000 + n * 170);
    const lesson = await page.evaluate(() => document.body.dataset.lesson);
    const at = (await page.evaluate(() => /** @type {any} */ (window).seen.at)) / 1e6;
    if (which === "server") {
      // What waits in the browser does not come meanwhile.
      await page.context().setOffline(true);
      await server.kill();
      await server.run(address);
    } else {
      process.process().kill("SIGKILL");
    }
    const other = await chromium.launch({ executablePath, args });
    const looks = await other.newPage();
    await looks.goto(server.base);
    const film = await file(looks, await newest(looks, lesson), "film.mp4");
    lost[which].push(at - probe(film).seconds);
    // Decoded from its beginning to its end, without a fault.
    const said = execFileSync("sh", ["-c", 'ffmpeg -v error -i "$1" -enc_time_base:v -1 -f null - 2>&1', "sh", film], {
      encoding: "utf8",
    });
    if (said.trim() === "") play++;
    await other.close();
    await browser.close().catch(() => {});
    await process.close().catch(() => {});
  }
  for (const [which, seconds] of Object.entries(lost)) {
    const note = `${seconds.length} kills of the ${which} while recording; median ${percentile(seconds, 0.5).toFixed(1)} s; aim: at most 4`;
    row(`record.kill.${which}`, Math.max(...seconds), "s", note);
  }
  row("record.kill.play", play, "", "of 20 films are decoded without a fault; aim: all");
  await server.stop();
}

/** How long the film is by which drift is measured, in seconds, and how often it flashes. */
const LONG = 10 * 60 + 15;
const FLASHES = 20;

/** @param {Bench} bench */
async function sync({ row }) {
  const server = await Server.start({ binary: BINARY });
  const browser = await chromium.launch(HEARING);
  const page = await browser.newPage(SIZE);
  // A camera that flashes, and a microphone that clicks with it.
  await page.addInitScript((each) => {
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [640, 360];
    const paint = canvas.getContext("2d");
    /** @type {AudioContext | null} */
    let context = null;
    /** @type {MediaStreamAudioDestinationNode | null} */
    let out = null;
    const begin = () => {
      if (context) return;
      context = new AudioContext();
      out = new MediaStreamAudioDestinationNode(context);
      const tone = new OscillatorNode(context, { frequency: 1000 });
      const gain = new GainNode(context, { gain: 0 });
      tone.connect(gain).connect(out);
      tone.start();
      for (let at = 5; at < 1000; at += each) gain.gain.setValueAtTime(0.8, at).setValueAtTime(0, at + 0.3);
      const draw = () => {
        const into = ((context?.currentTime ?? 0) - 5 + each) % each;
        if (paint) paint.fillStyle = into < 0.3 ? "#fff" : "#000";
        paint?.fillRect(0, 0, 640, 360);
        requestAnimationFrame(draw);
      };
      draw();
    };
    navigator.mediaDevices.enumerateDevices = async () =>
      ["audioinput", "videoinput"].map((kind) => /** @type {any} */ ({ kind, label: kind, deviceId: kind }));
    navigator.mediaDevices.getUserMedia = async (wanted) => {
      begin();
      if (wanted?.video) return canvas.captureStream(30);
      return new MediaStream((out?.stream.getAudioTracks() ?? []).map((track) => track.clone()));
    };
  }, FLASHES);
  await startNow(page, server.base);
  await record(page, { what: "camera", shown: "moving", ...COARSE });
  await page.waitForTimeout(LONG * 1000);
  const film = await file(page, await stop(page), "film.mp4");
  const seen = flashes(film);
  const heard = clicks(film);
  const pairs = seen.map((at) => {
    const nearest = heard.reduce((a, b) => (Math.abs(b - at) < Math.abs(a - at) ? b : a));
    return 1000 * (nearest - at);
  });
  const [first, last] = [pairs[0], pairs[pairs.length - 1]];
  const long = seen[seen.length - 1] - seen[0];
  row(
    "record.sync.drift",
    Math.abs(last - first),
    "ms",
    `between picture and sound over ${long.toFixed(0)} s; aim: 40`,
  );
  const sorted = pairs.map(Math.abs).sort((a, b) => a - b);
  row(
    "record.sync.apart",
    sorted[sorted.length - 1],
    "ms",
    `the most that a click is heard apart from its flash, of ${pairs.length}; median ${sorted[sorted.length >> 1].toFixed(0)} ms; a picture lasts 33`,
  );
  await browser.close();
  await server.stop();
}

/** When it turns bright, in seconds. @param {string} film */
function flashes(film) {
  const args = [
    "-v",
    "error",
    "-i",
    film,
    "-an",
    "-fps_mode",
    "passthrough",
    "-vf",
    "signalstats,metadata=print:key=lavfi.signalstats.YAVG:file=-",
    "-f",
    "null",
    "-",
  ];
  const lines = execFileSync("ffmpeg", args, { encoding: "utf8", maxBuffer: 64 << 20 }).split("\n");
  const found = [];
  let [at, was] = [0, 255];
  for (const line of lines) {
    const time = line.match(/pts_time:(\S+)/);
    if (time) at = Number(time[1]);
    const level = line.match(/YAVG=(\S+)/);
    if (!level) continue;
    if (Number(level[1]) > 128 && was <= 128) found.push(at);
    was = Number(level[1]);
  }
  return found;
}

/** When it turns loud, in seconds. @param {string} film */
function clicks(film) {
  const RATE = 8000;
  const args = ["-v", "error", "-i", film, "-vn", "-ac", "1", "-ar", `${RATE}`, "-f", "s16le", "-"];
  const raw = execFileSync("ffmpeg", args, { maxBuffer: 64 << 20 });
  const found = [];
  let quiet = RATE;
  for (let i = 0; i + 1 < raw.length; i += 2) {
    const loud = Math.abs(raw.readInt16LE(i)) > 6000;
    if (loud && quiet >= RATE / 2) found.push(i / 2 / RATE);
    quiet = loud ? 0 : quiet + 1;
  }
  return found;
}

/** @param {Bench} bench */
async function seek({ percentile, row }) {
  const held = spawn(
    "cargo",
    ["bench", "--quiet", "--package", "bozzetto", "--bench", "numbers", "--", "replay.held"],
    { cwd: root, stdio: ["pipe", "pipe", "inherit"] },
  );
  const said = await new Promise((/** @type {(line: string) => void} */ heard) =>
    createInterface(held.stdout).on("line", (line) => line.startsWith("{") && heard(line)),
  );
  const browser = await chromium.launch({ executablePath, args });
  const page = await browser.newPage(SIZE);
  await page.goto(JSON.parse(said).replay);
  await page.locator("#mount.ready").waitFor({ timeout: 60_000 });
  const lasts = Number(await page.locator("#at").getAttribute("max"));
  const any = Array.from({ length: 100 }, (_, n) => lasts * ((n * 0.618034) % 1));
  // As somebody goes back and forth by keys.
  const near = Array.from({ length: 100 }, (_, n) => lasts * 0.7 + 5 * (n % 20));
  for (const [name, moments, what] of /** @type {const} */ ([
    ["replay.seek", any, "to any of 100 moments"],
    ["replay.seek.near", near, "five seconds on, 95 back, 100 times,"],
  ])) {
    const times = await seekTo(page, moments);
    const most = `p95 ${percentile(times, 0.95).toFixed(0)} ms, the longest ${Math.max(...times).toFixed(0)} ms`;
    const note = `${what} of a lesson of two hours and 20 000 changes, until it is drawn; ${most}; aim: 100`;
    row(name, percentile(times, 0.5), "ms", note);
  }
  await browser.close();
  held.stdin.end("\n");
}

/** How long it takes until these moments of a replay are drawn, in milliseconds. @param {Page} page @param {number[]} moments */
const seekTo = (page, moments) =>
  page.evaluate(async (moments) => {
    const at = /** @type {HTMLInputElement} */ (document.getElementById("at"));
    const frame = () => new Promise(requestAnimationFrame);
    const times = [];
    for (const moment of moments) {
      at.value = moment.toFixed(1);
      await frame();
      const begun = performance.now();
      at.dispatchEvent(new InputEvent("input"));
      // It is drawn with the next frame.
      await frame();
      await new Promise((done) => setTimeout(done, 0));
      times.push(performance.now() - begun);
    }
    return times;
  }, moments);
