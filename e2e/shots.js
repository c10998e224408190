// @ts-check
// Takes the pictures in docs/screenshots again, from the demo data.

import { chromium } from "@playwright/test";
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { args, executablePath } from "./browser.js";
import { Server, root } from "./server.js";
import { drag, ready, straight } from "./stage.js";

const folder = join(root, "docs/screenshots");
mkdirSync(folder, { recursive: true });
const server = await Server.start({ demo: true });
const browser = await chromium.launch({ executablePath, args });
/** @param {import("@playwright/test").Page} page @param {string} name */
async function shot(page, name) {
  await page.waitForLoadState("networkidle");
  await page.evaluate(() => Promise.all([...document.images].map((i) => i.src && !i.complete && i.decode().catch(() => {}))));
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
await page.keyboard.press("5");
await drag(page, Array.from({ length: 50 }, (_, i) => ({ x: 640 + i * 5, y: 560 - i * 2 + Math.sin(i / 4) * 16 })));
await page.keyboard.press("c");
await drag(page, straight({ x: 560, y: 380 }, { x: 980, y: 640 }));
await shot(page, "capture-box");
await page.keyboard.press("Enter");
await page.locator(".proof img").waitFor();
await page.locator(".proof").getByRole("button", { name: "Hand out" }).click();
await page.locator(".proof").getByRole("button", { name: "Take back" }).waitFor();
await shot(page, "proof");

const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 }, deviceScaleFactor: 2, hasTouch: true })).newPage();
await phone.goto(`${server.base}/join`);
await phone.getByLabel("Code").fill((await page.locator(".join-code").textContent()) ?? "");
await phone.getByLabel("Your name").fill("Noor");
await phone.getByRole("button", { name: "Join" }).click();
await phone.locator("#take-away-list li").first().waitFor();
await shot(phone, "follow-phone");

await page.keyboard.press("Escape");
await page.locator("#people").click();
await shot(page, "participants");
await page.goto(`${server.base}/lessons/1/captures`);
await shot(page, "captures");

const wall = await (await browser.newContext({ viewport: { width: 1920, height: 1080 }, hasTouch: true })).newPage();
await wall.goto(`${server.base}/lessons/2/stage`);
await ready(wall);
await wall.locator("#order").click();
await shot(wall, "stage-1920-running-order");

await browser.close();
await server.stop();
