// @ts-check
// Take-aways that are no captures: files and links, in the presenter's order, picked up by participants.

import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { follow, startNow } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("files and links are handed out, put in order, picked up once or all at once, counted and taken back", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await expect(phone.locator("#none-yet")).toBeVisible();
  const desk = await page.context().newPage();
  await desk.goto(`${server.base}/lessons/${lesson}/captures`);
  // A page that somebody hands out is a file for participants, and nothing that runs here.
  const html = Buffer.from("<!doctype html><script>document.title='run'</script>");
  const mp3 = Buffer.from("ID3 not really sound");
  await desk.getByLabel("Hand out files…").setInputFiles([
    { name: "Exercise 3.html", mimeType: "text/html", buffer: html },
    { name: "Fog signals.mp3", mimeType: "audio/mpeg", buffer: mp3 },
  ]);
  const given = desk.locator("#given li");
  await expect(given).toHaveCount(2);
  await expect(given.first()).toContainText("HTML, 1 kB");
  await desk.getByLabel("What the link is").fill("Tide tables");
  await desk.getByLabel("Its address").fill("not an address");
  await desk.getByRole("button", { name: "Hand out the link" }).click();
  await expect(desk.getByText("This is no address of a web page")).toBeVisible();
  await desk.getByLabel("Its address").fill(`${server.base}/join`);
  await desk.getByRole("button", { name: "Hand out the link" }).click();
  await expect(given).toHaveCount(3);
  await expect(desk.getByLabel("Its address")).toHaveValue("");
  await desk.getByRole("button", { name: "Earlier: Tide tables" }).click();
  await expect(given.nth(1)).toContainText("Tide tables");
  expect((await new AxeBuilder({ page: desk }).analyze()).violations).toEqual([]);

  const there = phone.locator("#files-and-links li");
  await expect(there.locator("b:first-child")).toHaveText(["Exercise 3", "Tide tables", "Fog signals"]);
  await expect(phone.locator("#none-yet")).toBeHidden();
  await expect(phone.locator('[data-count="Take-aways"]')).toHaveText("3");
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  const coming = phone.waitForEvent("download");
  await phone.getByRole("link", { name: "Download Exercise 3" }).tap();
  const download = await coming;
  expect(download.suggestedFilename()).toBe("Exercise 3.html");
  expect(readFileSync(await download.path())).toEqual(html);
  await expect(phone.locator('[data-count="Take-aways"]')).toHaveText("2");
  await expect(there.first().locator(".new")).toBeHidden();
  const opening = phone.context().waitForEvent("page");
  await phone.getByRole("link", { name: "Open Tide tables" }).tap();
  expect((await opening).url()).toBe(`${server.base}/join`);
  await desk.reload();
  await expect(given.first()).toContainText("opened by 1");
  const zip = await phone.request.get(`${server.base}/follow/${lesson}/take-aways.zip`);
  const packed = join(mkdtempSync(join(tmpdir(), "take-")), "all.zip");
  writeFileSync(packed, await zip.body());
  expect(execFileSync("unzip", ["-Z1", packed]).toString().trim().split("\n")).toEqual([
    "Exercise 3.html",
    "Fog signals.mp3",
  ]);

  // While it is paused, nothing new is there for them; what was there is.
  await page.locator("#people").click();
  await page.locator("#pause").click();
  await expect(phone.locator("#paused")).toBeVisible();
  await desk.getByLabel("Hand out files…").setInputFiles([{ name: "Key.txt", mimeType: "text/plain", buffer: mp3 }]);
  await expect(given).toHaveCount(4);
  await desk.getByRole("button", { name: "Take back: Fog signals" }).click();
  await expect(there).toHaveCount(2);
  await page.locator("#pause").click();
  await expect(there).toHaveCount(3);
  await expect(there.last()).toContainText("Key");
  await desk.getByRole("button", { name: "Undo" }).click();
  await expect(there).toHaveCount(4);
});
