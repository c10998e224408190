// @ts-check
// A recording reaches people: with captions, by a link, in another site's page, as a take-away.

import { createServer } from "node:http";
import AxeBuilder from "@axe-core/playwright";
import { COARSE, file, HEARING, lasts, probe, record, stop } from "../film.js";
import { Server } from "../server.js";
import { follow, startNow } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: HEARING });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

/**
 * What the film on a page has, once it has come: how long it is, and what is written in it.
 * @param {import("@playwright/test").Page | import("@playwright/test").Frame} page @param {number} written how many cues there are
 */
async function film(page, written) {
  const read = () =>
    page.locator("#film").evaluate((e) => {
      const video = /** @type {HTMLVideoElement} */ (e);
      const cues = /** @type {VTTCue[]} */ ([...(video.textTracks[0]?.cues ?? [])]);
      return { seconds: video.duration, cues: cues.map((c) => [c.startTime, c.endTime, c.text]) };
    });
  await expect
    .poll(async () => {
      const { seconds, cues } = await read();
      return seconds > 0 ? cues.length : -1;
    })
    .toBe(written);
  return read();
}

test("it is captioned, shared by a link that is taken back, embedded, and handed out by chapters", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  await record(page, { codec: "vp9", ...COARSE });
  await lasts(page, 4);
  await page.locator("#record").click();
  await page.locator("#record-moment").click();
  await lasts(page, 8);
  const address = await stop(page);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });

  // Captions come from a file, and are written beside the film.
  await page.goto(address);
  await page.locator("#captions summary").click();
  const vtt = "WEBVTT\n\n00:00.500 --> 00:02.000\nThe ebb runs west.\n\nNOTE not shown\n";
  await page.locator("#captions-file").setInputFiles({ name: "a.vtt", mimeType: "text/vtt", buffer: Buffer.from(vtt) });
  await page.getByRole("button", { name: "Add it" }).click();
  expect((await film(page, 1)).cues).toEqual([[0.5, 2, "The ebb runs west."]]);
  await page.locator("#film").evaluate((v) => {
    /** @type {HTMLVideoElement} */ (v).currentTime = 3;
  });
  await page.locator("#captions summary").click();
  await page.getByRole("button", { name: "Write something here" }).click();
  await page.getByRole("textbox", { name: "What is written from 0:03" }).fill("Low water 潮\n\nat six --> then flood");
  await page.getByRole("button", { name: "Keep captions" }).click();
  await expect(page.locator("h1")).toBeVisible();
  expect((await film(page, 2)).cues[1]).toEqual([3, 6, "Low water 潮\nat six → then flood"]);
  // A file that is none says so, and what was there stays.
  await page.locator("#captions summary").click();
  const srt = { name: "a.vtt", mimeType: "text/vtt", buffer: Buffer.from("1\n00:00:01,000 --> 00:00:02,000\nno") };
  await page.locator("#captions-file").setInputFiles(srt);
  await page.getByRole("button", { name: "Put it in the place of these" }).click();
  await expect(page.locator("body")).toContainText("it does not begin with WEBVTT");
  await page.goto(address);
  // A picture of it stands for it.
  await page.getByRole("button", { name: "This picture as its poster" }).click();
  await expect(page.locator("#says")).toHaveText("This picture stands for it now.");
  const poster = await page.request.get(`${address}/files/poster`);
  expect(poster.headers()["content-type"]).toBe("image/png");

  // A site that may show it does, and another one cannot.
  const site = createServer((_, answer) => {
    answer.setHeader("content-type", "text/html");
    answer.end(`<iframe id="it" src="${embed}" width="960" height="540"></iframe>`);
  });
  let embed = "";
  await new Promise((done) => site.listen(0, "127.0.0.1", () => done(null)));
  const at = /** @type {import("node:net").AddressInfo} */ (site.address()).port;
  await page.locator("#share summary").first().click();
  await page.getByLabel("Pages of these sites may show it").fill(`http://127.0.0.1:${at}`);
  await page.getByLabel("It leads here for").selectOption({ label: "until it is taken back" });
  await page.getByRole("button", { name: "Make a link" }).click();
  const link = await page.locator(".links input").first().inputValue();
  expect(link).toMatch(/\/film\/[0-9a-f]{32}$/);
  expect(await page.locator(".links input").nth(1).inputValue()).toContain(`src="${link}/embed"`);
  const anybody = await (await browser.newContext()).newPage();
  await anybody.goto(link);
  await expect(anybody.locator(".chapter")).toHaveText([/0:00\s+Board/, /Moment 1/]);
  const seen = await film(anybody, 2);
  expect(seen.seconds).toBeGreaterThan(7.5);
  expect(seen.cues).toHaveLength(2);
  expect((await new AxeBuilder({ page: anybody }).analyze()).violations).toEqual([]);
  embed = `${link}/embed`;
  await anybody.goto(`http://127.0.0.1:${at}/`);
  const frame = anybody.frames()[1];
  expect((await film(frame, 2)).seconds).toBeGreaterThan(7.5);
  await anybody.goto(`http://localhost:${at}/`);
  expect(await anybody.frames()[1].locator("#film").count()).toBe(0);
  site.close();

  // Handed out: the second chapter alone.
  await page.goto(address);
  await page.locator(".choices").getByRole("checkbox").first().uncheck();
  await page.getByRole("button", { name: "Hand out" }).click();
  const open = phone.locator("#files-and-links a");
  const [watched] = await Promise.all([phone.context().waitForEvent("page"), open.click()]);
  await expect(watched.locator(".chapter")).toHaveText([/0:00\s+Moment 1/]);
  const short = probe(await file(watched, watched.url(), "film.mp4"));
  // The first chapter lasts four seconds at least.
  expect(short.seconds).toBeLessThan(seen.seconds - 3.9);
  expect(short.picture.codec_name).toBe("vp9");

  // Taken back, it leads nowhere.
  await page.getByRole("button", { name: "Take back" }).click();
  for (const name of ["", "/embed", "/files/film.mp4", "/files/film.webm", "/files/captions.vtt", "/files/poster"])
    expect((await anybody.request.get(`${link}${name}`)).status(), name).toBe(404);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
});
