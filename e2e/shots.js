// @ts-check
// Takes the pictures in docs/screenshots again, from the demo data.

import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { chromium } from "@playwright/test";
import { args, executablePath } from "./browser.js";
import { HEARING, lasts, newest, record, stop } from "./film.js";
import { root, Server } from "./server.js";
import { allAway, drag, ready, straight } from "./stage.js";

const folder = join(root, "docs/screenshots");
mkdirSync(folder, { recursive: true });
const server = await Server.start({ demo: true });
const browser = await chromium.launch({ executablePath, args: [...args, "--auto-accept-this-tab-capture"] });
/** @param {import("@playwright/test").Page} page @param {string} name */
async function shot(page, name) {
  await page.waitForLoadState("networkidle");
  // Those that are fetched when they come into view may be out of it.
  await page.evaluate(() =>
    Promise.all(
      [...document.images].map((i) => i.src && !i.complete && i.loading !== "lazy" && i.decode().catch(() => {})),
    ),
  );
  await page.screenshot({ path: join(folder, `${name}.png`), animations: "disabled" });
}

const desk = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await desk.newPage();
await page.goto(server.base);
await shot(page, "home");
await page.goto(`${server.base}/lessons/1/stage`);
await ready(page);
await page.keyboard.press("3");
await shot(page, "stage");
// A stage with more on it: a shape and a text.
const extra = await desk.newPage();
await extra.goto(`${server.base}/lessons/2/stage`);
await ready(extra);
await extra.keyboard.press("t");
await extra.mouse.click(700, 55);
await extra.keyboard.type("berth 4 stays free");
await extra.locator("#typing:not(.unread)").waitFor();
await extra.keyboard.press("Escape");
await extra.keyboard.press("3");
await extra.keyboard.press("h");
await drag(extra, straight({ x: 300, y: 330 }, { x: 520, y: 430 }));
await extra.keyboard.press("d");
await extra.goto(`${server.base}/settings`);
await shot(extra, "settings");
await extra.close();
await page.keyboard.press("5");
await drag(
  page,
  Array.from({ length: 50 }, (_, i) => ({ x: 640 + i * 5, y: 560 - i * 2 + Math.sin(i / 4) * 16 })),
);
await page.keyboard.press("c");
await drag(page, straight({ x: 560, y: 380 }, { x: 980, y: 640 }));
await page.keyboard.press("Enter");
await page.locator(".proof img").waitFor();
await page.locator(".proof").getByRole("button", { name: "Hand out" }).click();
await page.locator(".proof").getByRole("button", { name: "Take back" }).waitFor();
await shot(page, "proof");

await page.keyboard.press("Escape");
await page.mouse.move(520, 235);
await page.keyboard.press("w");
await page.keyboard.press("a");
await page.keyboard.press("q");
await page.locator("#row-spotlight").click();
await page.keyboard.press("q");
await page.locator("#aids").click();
for (let i = 0; i <= 20; i++) await page.mouse.move(420 + i * 6, 320 - i * 5);
await page.locator("#aids-above").waitFor();
await shot(page, "aids");
await page.keyboard.press("Escape");
await allAway(page);
await page.locator("#row-aids").waitFor({ state: "hidden" });
// What measures, and the rail at the left; then as it was.
await page.locator("#more").click();
await page.locator("#rail-left").click();
await page.keyboard.press("Escape");
/** Where a place of the glass is on the screen, in glass units. @param {number} x @param {number} y */
const onGlass = async (x, y) => {
  const box = await page.locator("#glass").boundingBox();
  if (!box) throw new Error("there is no picture");
  const scale = box.width / 1920;
  return /** @type {[number, number]} */ ([box.x + x * scale, box.y + y * scale]);
};
await page.keyboard.press("m");
for (const x of [60, 400]) await page.mouse.click(...(await onGlass(x, 1010)));
await page.locator("#scale-length").fill("5");
await page.locator("#scale-unit").fill("cables");
await page.locator("#scale-take").click();
await page.locator("#measure-anew").click();
for (const [x, y] of [
  [668, 222],
  [930, 460],
  [1240, 362],
])
  await page.mouse.click(...(await onGlass(x, y)));
await page.keyboard.press("k");
await page.keyboard.press("r");
await page.locator("#ruler-turned-number").fill("42");
await page.locator("#ruler-turned-number").press("Enter");
await page.keyboard.press("p");
await page.locator("#protractor-bearing").click();
await shot(page, "instruments");
await allAway(page);
await page.locator("#more").click();
await page.locator("#rail-bottom").click();
await page.keyboard.press("Escape");
await page.keyboard.press("d");

const phone = await (
  await browser.newContext({ viewport: { width: 390, height: 844 }, deviceScaleFactor: 2, hasTouch: true })
).newPage();
await phone.goto(`${server.base}/join`);
await phone.getByLabel("Code").fill((await page.locator(".join-code").textContent()) ?? "");
await phone.getByLabel("Your name").fill("Noor");
await phone.getByRole("button", { name: "Join" }).click();
await phone.locator("#take-away-list li").first().waitFor();
await shot(phone, "follow-phone");

await page.keyboard.press("Escape");
await page.locator("#people").click();
await shot(page, "participants");
await page.goto(`${server.base}/lessons/1/worksheets`);
await page.locator("#main .capture").click();
await page.getByRole("button", { name: "Open hand-in 3" }).click();
await page.locator("#hand-in h2").waitFor();
const together = await page.locator("#together").boundingBox();
if (!together) throw new Error("there is no picture");
const about = (/** @type {number} */ x, /** @type {number} */ y) => ({
  x: together.x + x * together.width,
  y: together.y + y * together.height,
});
await drag(page, [about(0.45, 0.4), about(0.65, 0.4), about(0.65, 0.65), about(0.45, 0.65)]);
await shot(page, "wall");
await page.goto(`${server.base}/lessons/1/captures`);
await shot(page, "captures");
await page
  .getByRole("link", { name: /on the bench/ })
  .first()
  .click();
await page.locator("body.ready").waitFor();
await page.getByRole("button", { name: "Hide", exact: true }).click();
const bench = await page.locator("#bench-picture").boundingBox();
if (!bench) throw new Error("there is no picture");
await drag(
  page,
  straight(
    { x: bench.x + bench.width * 0.57, y: bench.y + bench.height * 0.18 },
    { x: bench.x + bench.width * 0.82, y: bench.y + bench.height * 0.24 },
  ),
);
await page.locator("#bench-side:not([aria-busy]) .versions").waitFor();
await page.locator(".send output", { hasText: "px" }).waitFor();
await shot(page, "bench");

// What else goes on stage.
const more = await desk.newPage();
await more.goto(`${server.base}/lessons/1/order`);
await more.locator(".backdrop").first().waitFor();
await shot(more, "order");
await more.goto(`${server.base}/lessons/1/stage`);
await ready(more);
await more.locator("#order").click();
await more.getByRole("button", { name: "Put Vessel at the buoys beside" }).click();
await more.getByRole("button", { name: "Swap" }).waitFor();
await more.locator("#video-at").fill("5");
await more.waitForFunction(() => Math.abs((document.querySelector("video")?.currentTime ?? 0) - 5) < 0.1);
await shot(more, "two-panes");
await more.locator("#close-left").click();
await more.locator("#divider").waitFor({ state: "hidden" });
await more.locator("#order").click();
await more.locator("#order-list button", { hasText: "Notices to mariners" }).first().click();
await more.locator("#page-shown").waitFor();
await more.keyboard.press("PageDown");
await more.keyboard.press("4");
await drag(more, straight({ x: 450, y: 146 }, { x: 760, y: 146 }));
await more.locator("#pages-key").click();
// Those of its pages that are in view are fetched now.
await more.waitForFunction(() => {
  const small = /** @type {NodeListOf<HTMLImageElement>} */ (document.querySelectorAll("#pages-list img"));
  const inView = [...small].filter((i) => i.getBoundingClientRect().top < innerHeight);
  return inView.length > 0 && inView.every((i) => i.naturalWidth > 0);
});
await shot(more, "document");
await more.keyboard.press("Escape");
await more.locator("#order").click();
await more.locator("#order-list button", { hasText: "Tide and lights" }).first().click();
await more.locator("iframe").waitFor();
await more.keyboard.press("f");
await more.locator("#tab-allow").click();
await more.locator("body.frozen").waitFor();
await more.keyboard.press("3");
await drag(
  more,
  Array.from({ length: 40 }, (_, i) => ({ x: 500 + Math.cos(i / 6) * 70, y: 300 + Math.sin(i / 6) * 55 })),
);
await shot(more, "frozen");
await more.keyboard.press("f");
await more.close();

const wall = await (await browser.newContext({ viewport: { width: 1920, height: 1080 }, hasTouch: true })).newPage();
await wall.goto(`${server.base}/lessons/2/stage`);
await ready(wall);
await wall.locator("#order").click();
await shot(wall, "stage-1920-running-order");
await browser.close();

// A lesson while it is recorded, with a camera; and the one that was recorded.
const hearing = await chromium.launch(HEARING);
const records = await hearing.newPage({ viewport: { width: 1280, height: 800 } });
await records.goto(`${server.base}/lessons/1/stage`);
await ready(records);
await records.locator("#order").click();
await records.locator("#order-list button", { hasText: "Harbour approach" }).first().click();
await records.keyboard.press("Escape");
await records.locator("#record").click();
await records.locator("#record-camera option").nth(1).waitFor({ state: "attached" });
const camera = (await records.locator("#record-camera option").nth(1).getAttribute("value")) ?? "";
await records.keyboard.press("Escape");
await record(records, { camera });
await records.locator("#camera-inset").waitFor();
await lasts(records, 8);
await records.locator("#record").click();
// Not beneath the panel.
await records.locator("#record-camera-corner").click();
await shot(records, "record");
await stop(records);
await records.goto(`${server.base}/`);
await records
  .getByRole("link", { name: /evening 2/ })
  .first()
  .click();
const recorded = records.url().match(/lessons\/(\d+)/)?.[1];
await records.goto(`${server.base}/lessons/${recorded}/recordings`);
await records.goto(await newest(records, recorded));
await records.locator("#film").evaluate(async (film) => {
  const video = /** @type {HTMLVideoElement} */ (film);
  video.currentTime = 16;
  await new Promise((done) => video.addEventListener("seeked", done, { once: true }));
});
await shot(records, "recording");
const again = await (
  await hearing.newContext({ viewport: { width: 390, height: 844 }, deviceScaleFactor: 2, hasTouch: true })
).newPage();
await again.goto(`${server.base}/lessons/${recorded}/replay`);
await again.locator("#mount.ready").waitFor();
await again.locator("#at").fill("16");
await shot(again, "replay-phone");
await hearing.close();
await server.stop();
