// @ts-check
// The hand is passed: a participant operates the page on stage from their own device.

import { readFileSync } from "node:fs";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { root, Server } from "../server.js";
import { follow, startNow } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

/** What there is to be operated: it says what was done to it. */
const PROBE = `<!doctype html><title>Probe</title>
<style>* { box-sizing: border-box } body { margin: 0 } button, input, select, div { position: absolute; left: 100px; width: 400px; height: 60px }</style>
<button style="top: 40px" onclick="this.textContent = +this.textContent + 1">0</button>
<input id="level" type="range" min="0" max="10" value="0" style="top: 140px">
<form onsubmit="event.preventDefault(); sent.textContent = word.value"><input id="word" style="top: 240px"></form>
<select id="light" style="top: 340px"><option>red<option>green<option>white</select>
<div id="pad" style="top: 440px; background: #ddd"></div><div id="sent" style="top: 540px"></div>
<div style="top: 3000px">end</div>
<script>
const pad = document.getElementById("pad");
let line = [];
pad.onpointerdown = (e) => { pad.setPointerCapture(e.pointerId); line = [e.clientX]; };
pad.onpointermove = (e) => pad.hasPointerCapture(e.pointerId) && line.push(e.clientX);
pad.onpointercancel = () => (pad.textContent = "let go at " + Math.round(line[line.length - 1]));
pad.onpointerup = (e) => (pad.textContent = line.length > 2 ? Math.round(line[0]) + " to " + Math.round(e.clientX) : "");
</script>`;

/** Places of the page on the participant's device. @param {Page} stage @param {Page} device */
async function placed(stage, device) {
  // The bar that comes with the hand moves the picture: until it lies still.
  await device.locator("#reach").evaluate(async (sheet) => {
    const frame = () => new Promise(requestAnimationFrame);
    for (let was = Number.NaN; ; ) {
      for (let n = 0; n < 4; n++) await frame();
      const { top } = sheet.getBoundingClientRect();
      if (top === was) return;
      was = top;
    }
  });
  const picture = await stage.locator("#glass").boundingBox();
  const frame = await stage.locator("#beneath iframe").boundingBox();
  const sheet = await device.locator("#reach").boundingBox();
  if (!picture || !frame || !sheet) throw new Error("nothing to reach");
  const scale = frame.width / 1280;
  const fine = sheet.width / picture.width;
  return (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: sheet.x + (frame.x - picture.x + x * scale) * fine,
    y: sheet.y + (frame.y - picture.y + y * scale) * fine,
  });
}

test("a participant presses, drags, turns the wheel and types in the page on stage, until the hand is taken back", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  await page
    .locator("#picture-file")
    .setInputFiles([{ name: "Probe.html", mimeType: "text/html", buffer: Buffer.from(PROBE) }]);
  const probe = page.frameLocator("#beneath iframe");
  await probe.locator("html[data-bozzetto=bridged]").waitFor({ state: "attached" });
  const tablet = await follow(browser, page, "Ines", { viewport: { width: 1024, height: 768 } });
  const phone = await follow(browser, page, "Olu", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await expect(tablet.locator("#reach")).toBeHidden();
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the hand to Ines" }).click();
  await expect(page.locator("#people-list li").first()).toContainText("Ineshas the hand");
  await page.keyboard.press("Escape");
  await expect(tablet.locator("#hand-bar")).toContainText("passed you the hand");
  expect((await new AxeBuilder({ page: tablet }).analyze()).violations).toEqual([]);
  // It is theirs through a reload, too.
  await tablet.reload();
  await expect(tablet.locator("#reach")).toBeVisible();
  const on = await placed(page, tablet);
  const press = (/** @type {number} */ x, /** @type {number} */ y) => tablet.mouse.click(on(x, y).x, on(x, y).y);
  const drag = async (/** @type {number} */ y) => {
    await tablet.mouse.move(on(150, y).x, on(150, y).y);
    await tablet.mouse.down();
    for (let x = 170; x <= 490; x += 20) {
      await tablet.mouse.move(on(x, y).x, on(x, y).y);
      await tablet.evaluate(() => new Promise(requestAnimationFrame));
    }
    await tablet.mouse.up();
  };
  await press(300, 70);
  await expect(probe.locator("button")).toHaveText("1");
  await drag(170);
  await expect(probe.locator("#level")).toHaveValue("10");
  await drag(470);
  await expect(probe.locator("#pad")).toHaveText(/^(149|150|151) to (489|490|491)$/);
  await press(300, 370);
  await expect(probe.locator("#light")).toHaveValue("green");
  await press(300, 270);
  await tablet.keyboard.type("Ebbe");
  await tablet.keyboard.press("Backspace");
  await expect(probe.locator("#word")).toHaveValue("Ebb");
  await tablet.getByLabel("Type on the page").fill("é");
  await tablet.getByLabel("Type on the page").press("Enter");
  await expect(probe.locator("#sent")).toHaveText("Ebbé");
  await tablet.mouse.move(on(300, 600).x, on(300, 600).y);
  const scrolled = () => probe.locator("html").evaluate((html) => html.scrollTop);
  await tablet.mouse.wheel(0, 200);
  await expect.poll(scrolled).toBeGreaterThan(100);
  // Back again before the hand goes on: whoever has it next has heard of that by then.
  await tablet.mouse.wheel(0, -400);
  await expect.poll(scrolled).toBe(0);
  // The presenter goes on meanwhile: the keyboard is the stage's.
  await page.keyboard.press("3");
  await expect(page.locator("#swatches [aria-checked=true]")).toHaveAttribute("title", /\(3\)/);

  // To somebody else it goes from the first; with one key it comes back.
  // What was pressed then is let go of.
  await tablet.mouse.move(on(150, 470).x, on(150, 470).y);
  await tablet.mouse.down();
  await tablet.mouse.move(on(200, 470).x, on(200, 470).y);
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the hand to Olu" }).click();
  await expect(probe.locator("#pad")).toHaveText(/^let go at (199|200|201)$/);
  await tablet.mouse.up();
  await expect(tablet.locator("#reach")).toBeHidden();
  await expect(phone.locator("#reach")).toBeVisible();
  const on2 = await placed(page, phone);
  await phone.touchscreen.tap(on2(300, 70).x, on2(300, 70).y);
  await expect(probe.locator("button")).toHaveText("2");
  await page.keyboard.press("Escape");
  // Of what is no page of ours it is said.
  await page.locator("#picture-file").setInputFiles(join(root, "demo", "Berth plan.svg"));
  await expect(page.locator("#backdrop-name")).toHaveText("Berth plan");
  await expect
    .poll(async () => {
      await phone.touchscreen.tap(on2(300, 70).x, on2(300, 70).y);
      return phone.locator("#says").textContent();
    })
    .toContain("cannot be operated from here");
  await page.keyboard.press(".");
  await expect(phone.locator("#reach")).toBeHidden();
});

test("the simulation that is shipped is operated from a phone", async ({ page, browser }) => {
  await startNow(page, server.base);
  const buffer = readFileSync(join(root, "demo", "Tide and lights.html"));
  await page.locator("#picture-file").setInputFiles([{ name: "Tide.html", mimeType: "text/html", buffer }]);
  const tide = page.frameLocator("#beneath iframe");
  await tide.locator("html[data-bozzetto=bridged]").waitFor();
  const phone = await follow(browser, page, "Ines", { viewport: { width: 844, height: 390 }, hasTouch: true });
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the hand to Ines" }).click();
  await expect(phone.locator("#reach")).toBeVisible();
  const on = await placed(page, phone);
  const key = await tide.locator("#run").evaluate((run) => {
    const { x, y, width, height } = run.getBoundingClientRect();
    return { x: x + width / 2, y: y + height / 2 };
  });
  const there = on(key.x, key.y);
  await phone.touchscreen.tap(there.x, there.y);
  await expect(tide.locator("#run")).toHaveText("Go on");
});
