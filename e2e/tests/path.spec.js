// @ts-check
// The whole path: a picture on stage, marked live, captured, and in participants' hands.

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { Server } from "../server.js";
import { apart, boxSize, colour, decode, drag, follow, pixel, ready, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const PAPER = [251, 250, 245];
const VERMILION = [213, 94, 0];
const BLUE = [0, 114, 178];

test("a presenter's mark is seen while it is drawn, captured, handed out and downloaded", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines");
  await expect(page.locator("#people-count")).toHaveText("1");

  // Wet ink reaches the participant before the pen is lifted.
  await page.keyboard.press("2");
  const at = await seenAt(page, phone, 500, 300);
  await page.mouse.move(300, 300);
  await page.mouse.down();
  for (const p of straight({ x: 300, y: 300 }, { x: 700, y: 300 }, 40)) await page.mouse.move(p.x, p.y);
  await expect.poll(async () => apart(await colour(phone, at.x, at.y), VERMILION)).toBeLessThan(6);
  await page.mouse.up();
  await expect.poll(async () => apart(await colour(phone, at.x, at.y), VERMILION)).toBeLessThan(6);
  expect(apart(await colour(page, 500, 300), VERMILION)).toBeLessThan(6);
  expect(apart(await colour(page, 500, 340), PAPER)).toBeLessThan(3);

  // Who comes late sees it too.
  const late = await follow(browser, page, "Tomasz");
  await expect.poll(async () => apart(await colour(late, at.x, at.y), VERMILION)).toBeLessThan(6);
  await expect(page.locator("#people-count")).toHaveText("2");

  // A box, drawn and adjusted by keys; its size in resulting pixels; the rail is not in it.
  await page.keyboard.press("c");
  await drag(page, [
    { x: 400, y: 250 },
    { x: 500, y: 300 },
    { x: 600, y: 350 },
  ]);
  await expect.poll(() => boxSize(page)).toBe("600 × 300");
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Alt+ArrowRight");
  await expect.poll(() => boxSize(page)).toBe("601 × 300");
  const handle = await page.locator("#box .grip.s").boundingBox();
  if (!handle) throw new Error("no handle");
  await drag(page, [
    { x: handle.x + 22, y: handle.y + 22 },
    { x: handle.x + 22, y: handle.y + 32 },
    { x: handle.x + 22, y: handle.y + 42 },
  ]);
  await expect.poll(() => boxSize(page)).toBe("601 × 360");
  await page.keyboard.press("Enter");
  const proof = page.locator(".proof");
  await expect(proof.locator("img")).toBeVisible();
  await expect(proof).toContainText("601 × 360 px");
  await expect(proof).toContainText("Board");

  // The proof does not stop the lesson.
  await page.keyboard.press("3");
  await drag(page, straight({ x: 300, y: 500 }, { x: 700, y: 500 }));
  expect(apart(await colour(page, 500, 500), BLUE)).toBeLessThan(6);

  // Copy gives a picture to the clipboard.
  await proof.getByRole("button", { name: "Copy" }).click();
  await expect(proof).toContainText("Copied");
  const copied = await page.evaluate(async () => {
    const [item] = await navigator.clipboard.read();
    const image = await createImageBitmap(await item.getType("image/png"));
    return [image.width, image.height];
  });
  expect(copied).toEqual([601, 360]);

  // Handed out, it appears with the participants, who open and download it.
  await expect(phone.locator("#none-yet")).toBeVisible();
  await proof.getByRole("button", { name: "Hand out" }).click();
  await expect(proof.getByRole("button", { name: "Take back" })).toBeVisible();
  await phone.getByRole("button", { name: /^Open / }).click();
  await expect(phone.locator("#large img")).toBeVisible();
  const [download] = await Promise.all([
    phone.waitForEvent("download"),
    phone
      .locator("#large")
      .getByRole("link", { name: /Download/ })
      .click(),
  ]);
  expect(download.suggestedFilename()).toMatch(/^Board \d\d\.\d\d, Lesson of .*\.png$/);
  const path = await download.path();
  const file = readFileSync(path);
  const picture = decode(file);
  expect([picture.width, picture.height]).toEqual([601, 360]);
  // The stroke ran 50 CSS pixels below the box's upper edge; a board is captured as fine as a stage
  // of 3840 pixels, which is three to a CSS pixel on this one of 1280.
  expect(apart(pixel(file, 300, 150), VERMILION)).toBeLessThan(6);
  expect(pixel(file, 300, 300)).toEqual(PAPER);
  // PNG as the standard has it, with the resolution that it was shown in (pngcheck, Debian).
  const checked = execFileSync("pngcheck", ["-v", path], { encoding: "utf8" });
  expect(checked).toContain("No errors detected");
  expect(checked).toMatch(/pHYs.*11339x11339 pixels\/meter/);

  // Taken back, it is gone from the participants, for good.
  await proof.getByRole("button", { name: "Take back" }).click();
  await phone.locator("#large").getByRole("button", { name: "Close" }).click();
  await expect(phone.locator("#none-yet")).toBeVisible();
  expect((await phone.request.get(download.url())).status()).toBe(404);
});

test("marks come back with their backdrop, and participants see what is on stage", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Noor");
  await drag(page, straight({ x: 300, y: 200 }, { x: 800, y: 200 }));
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Squared" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Board 2");
  expect(apart(await colour(page, 500, 200), PAPER)).toBeLessThan(60);
  await page.keyboard.press("PageUp");
  await expect(page.locator("#backdrop-name")).toHaveText("Board");
  await expect.poll(async () => apart(await colour(page, 500, 200), [0, 0, 0])).toBeLessThan(6);
  const at = await seenAt(page, phone, 500, 200);
  await expect.poll(async () => apart(await colour(phone, at.x, at.y), [0, 0, 0])).toBeLessThan(12);

  // Paused, participants are told so and see nothing new until it goes on.
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pause what they see" }).click();
  await expect(phone.locator("#paused")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 400 }, { x: 800, y: 400 }));
  const late = await follow(browser, page, "Sefa");
  await expect(late.locator("#paused")).toBeVisible();
  const below = await seenAt(page, phone, 500, 400);
  expect(apart(await colour(phone, below.x, below.y), PAPER)).toBeLessThan(6);
  expect(apart(await colour(late, below.x, below.y), PAPER)).toBeLessThan(6);
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Go on showing it" }).click();
  await expect(phone.locator("#paused")).toBeHidden();
  await expect.poll(async () => apart(await colour(phone, below.x, below.y), VERMILION)).toBeLessThan(12);
});

test("pictures: chosen, refused with a reason, captured at their own resolution", async ({ page }, info) => {
  await startNow(page, server.base);
  // Every pixel different from its neighbours: a capture that resampled would show it.
  const { PNG } = await import("pngjs");
  const png = new PNG({ width: 3000, height: 1500 });
  for (let i = 0; i < 3000 * 1500; i++) png.data.set([(i * 37) % 256, (i * 91) % 256, (i * 13) % 256, 255], i * 4);
  const brought = info.outputPath("Notices to mariners.png");
  writeFileSync(brought, PNG.sync.write(png));
  const bad = info.outputPath("words.png");
  writeFileSync(bad, "these are only words");
  await page.locator("#picture-file").setInputFiles([bad]);
  await expect(page.locator("#says")).toContainText(
    "words.png: This is not a picture that can be shown. PNG, JPEG, WebP, AVIF, GIF and SVG work.",
  );
  await page.locator("#picture-file").setInputFiles([brought]);
  await expect(page.locator("#backdrop-name")).toHaveText("Notices to mariners");
  await page.keyboard.press("c");
  await page.keyboard.down("Alt");
  await drag(page, [
    { x: 640, y: 300 },
    { x: 680, y: 310 },
    { x: 704, y: 332 },
  ]);
  await page.keyboard.up("Alt");
  await expect.poll(() => boxSize(page)).toBe("150 × 75");
  await page.locator("#capture-take").click();
  const proof = page.locator(".proof");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    proof.getByRole("link", { name: "Download" }).click(),
  ]);
  const shot = decode(readFileSync(await download.path()));
  expect([shot.width, shot.height]).toEqual([150, 75]);
  // The picture is 1280 CSS pixels wide on the stage: the box begins at pixel 1500 of 3000, and at
  // (300 - 40) * 3000 / 1280 from the top of the picture, whose height is 640.
  const [x0, y0] = [1500, Math.round(((300 - 40) * 3000) / 1280)];
  for (const [x, y] of [
    [0, 0],
    [77, 13],
    [149, 74],
  ]) {
    const i = ((y0 + y) * 3000 + x0 + x) * 4;
    const j = (y * 150 + x) * 4;
    expect([...shot.data.subarray(j, j + 3)]).toEqual([...png.data.subarray(i, i + 3)]);
  }
  // Discarded, and brought back.
  await proof.getByRole("button", { name: "Discard" }).click();
  await expect(proof).toContainText("is deleted");
  await proof.getByRole("button", { name: "Undo" }).click();
  await expect(proof.getByRole("button", { name: "Hand out" })).toBeVisible();
  // Renamed.
  await proof.getByRole("button", { name: "Rename" }).click();
  await proof.getByLabel("Name of the capture").fill("Notice: 4/26 <b>");
  await proof.getByRole("button", { name: "Done" }).click();
  await expect(proof.locator("h2")).toHaveText("Notice: 4/26 <b>");
  const [renamed] = await Promise.all([
    page.waitForEvent("download"),
    proof.getByRole("link", { name: "Download" }).click(),
  ]);
  expect(renamed.suggestedFilename()).toBe("Notice. 4-26 -b-.png");
});

test("home and captures: made, renamed, deleted, brought back", async ({ page }) => {
  await page.goto(server.base);
  await page.getByText("New lesson").click();
  await page.getByLabel("Name", { exact: true }).fill("Lights & buoys");
  await page.getByLabel("Meeting").check();
  await page.getByRole("button", { name: "Make it" }).click();
  await ready(page);
  await page.goto(server.base);
  const card = page.locator(".lesson", { hasText: "Lights & buoys" });
  await expect(card).toContainText("Meeting");
  await card.getByRole("button", { name: "Rename" }).click();
  await page.getByLabel("Name of the lesson").fill("Leading lights");
  await page.keyboard.press("Enter");
  const renamed = page.locator(".lesson", { hasText: "Leading lights" });
  await expect(renamed).toBeVisible();
  await renamed.getByRole("button", { name: "Delete" }).click();
  await expect(page.getByRole("status")).toContainText("is deleted");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(renamed.getByRole("link", { name: "Open" })).toBeVisible();
  await renamed.getByRole("button", { name: "Delete" }).click();
  await expect(page.getByRole("status")).toContainText("is deleted");
  await page.reload();
  await expect(page.locator(".lesson", { hasText: "Leading lights" })).toHaveCount(0);
});
