// @ts-check
// A lesson is recorded, as a presenter does it; and films as another program reads them: Debian's ffmpeg.

import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect } from "@playwright/test";
import { PNG } from "pngjs";
import { args, executablePath } from "./browser.js";

/** A browser with a microphone and a camera that are simulated. */
export const HEARING = {
  executablePath,
  args: [...args, "--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream=device-count=2"],
};

const folder = mkdtempSync(join(tmpdir(), "bozzetto-films-"));

/** As coarse as it gets: what is tried is not how fine a film is, and this machine encodes by itself. */
export const COARSE = { lines: "480" };

/**
 * Begins to record, at once or when it has been counted down; `choices` by the ends of their elements' names.
 * @param {import("@playwright/test").Page} page @param {Record<string, string>} [choices] @param {boolean} [atOnce]
 */
export async function record(page, choices = {}, atOnce = true) {
  await page.locator("#record").click();
  await expect(page.locator("#record-says")).toContainText("lines");
  for (const [id, value] of Object.entries(choices)) {
    const field = page.locator(`#record-${id}`);
    if (!(await field.isVisible())) await page.locator("#record-before summary").click();
    if (await field.evaluate((e) => e instanceof HTMLSelectElement)) await field.selectOption(value);
    else await field.fill(value);
  }
  await page.locator("#record-start").click();
  if (atOnce) await expect(page.locator("#record")).toHaveClass(/goes/);
}

/** The first camera that can be chosen. @param {import("@playwright/test").Page} page */
export async function cameraOf(page) {
  await page.locator("#record").click();
  await expect(page.locator("#record-camera option")).not.toHaveCount(1);
  const device = await page.locator("#record-camera option").nth(1).getAttribute("value");
  await page.locator("#record").click();
  return device ?? "";
}

/** Until the film is so long, in seconds. @param {import("@playwright/test").Page} page @param {number} seconds */
export const lasts = (page, seconds) =>
  expect
    .poll(
      async () => {
        const [m, s] = ((await page.locator("#record-word").textContent()) ?? "").split(":").map(Number.parseFloat);
        return m * 60 + s;
      },
      { timeout: 30_000 + seconds * 1000 },
    )
    .toBeGreaterThanOrEqual(seconds);

/** Ends it, and gives where it is. @param {import("@playwright/test").Page} page */
export async function stop(page) {
  if (!(await page.locator("#record-panel").isVisible())) await page.locator("#record").click();
  await page.locator("#record-stop").click();
  await expect(page.locator("#record-done")).toContainText("It is kept.");
  return newest(page);
}

/** The address of the newest recording of the lesson that is open, or of another. @param {import("@playwright/test").Page} page @param {string} [of] */
export async function newest(page, of) {
  const lesson = of ?? (await page.evaluate(() => document.body.dataset.lesson));
  const { origin } = new URL(page.url());
  const list = await page.request.get(`${origin}/lessons/${lesson}/recordings`);
  const found = (await list.text()).match(/\/lessons\/\d+\/recordings\/\d+/);
  return `${origin}${found?.[0]}`;
}

/** A file that those get who watch a recording. @param {import("@playwright/test").Page} page @param {string} address @param {string} name */
export async function file(page, address, name) {
  const response = await page.request.get(`${address}/files/${name}`);
  expect(response.status(), name).toBe(200);
  const path = join(folder, `${address.match(/\d+$/)?.[0]}-${name}`);
  writeFileSync(path, await response.body());
  return path;
}

/** The colour of a picture, as a share of its width and height. @param {import("pngjs").PNG} png @param {number} x @param {number} y */
export function at(png, x, y) {
  const i = (Math.floor(y * png.height) * png.width + Math.floor(x * png.width)) * 4;
  return [...png.data.subarray(i, i + 3)];
}

/**
 * What `ffprobe` says of a file.
 * @param {string} file
 */
export function probe(file) {
  const args = [
    "-v",
    "error",
    "-of",
    "json",
    "-show_streams",
    "-show_format",
    "-show_chapters",
    "-count_packets",
    file,
  ];
  const said = JSON.parse(execFileSync("ffprobe", args, { encoding: "utf8" }));
  const of = (/** @type {string} */ kind) =>
    said.streams.find((/** @type {{ codec_type: string }} */ s) => s.codec_type === kind);
  return { seconds: Number(said.format.duration), picture: of("video"), sound: of("audio"), chapters: said.chapters };
}

/** The times of the pictures that are decoded without others, in seconds. @param {string} file */
export function keys(file) {
  const args = ["-v", "error", "-of", "csv=p=0", "-select_streams", "v", "-skip_frame", "nokey"];
  const said = execFileSync("ffprobe", [...args, "-show_entries", "frame=pts_time", file], { encoding: "utf8" });
  return said.trim().split("\n").map(Number.parseFloat);
}

/** What a film shows at a time, in seconds. @param {string} file @param {number} at */
export function shown(file, at) {
  const args = ["-v", "error", "-i", file, "-ss", `${at}`, "-frames:v", "1", "-f", "image2pipe", "-c:v", "png", "-"];
  return PNG.sync.read(execFileSync("ffmpeg", args, { maxBuffer: 64 << 20 }));
}

/**
 * How loud the sound is at the loudest, of all of it or between two seconds, in decibels below full scale.
 * @param {string} file @param {[number, number]} [between]
 */
export function loudest(file, between) {
  const part = between ? ["-ss", `${between[0]}`, "-to", `${between[1]}`] : [];
  const args = ["-hide_banner", "-nostats", ...part, "-i", file, "-map", "a", "-af", "volumedetect", "-f", "null", "-"];
  const said = execFileSync("sh", ["-c", 'ffmpeg "$@" 2>&1', "sh", ...args], { encoding: "utf8" });
  return Number(said.match(/max_volume: (\S+) dB/)?.[1]);
}
