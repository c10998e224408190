// @ts-check
// The two printers, canvas and raster, show the same picture; pages are accessible.

import { readFileSync } from "node:fs";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { root, Server } from "../server.js";
import { decode, ready } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start({ demo: true });
});
test.afterAll(async () => {
  await server.stop();
});

test("what the browser shows is what the server captures", async ({ browser }) => {
  // Two device pixels to a glass unit: the resolution that a vector backdrop is captured in.
  const context = await browser.newContext({ viewport: { width: 1920, height: 1212 }, deviceScaleFactor: 2 });
  const page = await context.newPage();
  await page.goto(`${server.base}/lessons/1/stage`);
  await ready(page);
  await page.evaluate(() => /** @type {HTMLImageElement} */ (document.querySelector(".pane img")).decode());
  const clip = { x: 560, y: 150, width: 900, height: 500 };
  const shown = decode(await page.screenshot({ clip }));
  const answer = await page.request.post(`${server.base}/lessons/1/captures`, {
    multipart: {
      request: JSON.stringify({
        area: { x0: 560, y0: 150, x1: 1460, y1: 650 },
        device: 2,
        ratio: 2,
        stage: { current: 1, beside: null, seen: [] },
      }),
    },
  });
  const address = (await answer.text()).match(/data-picture="([^"]+)"/)?.[1];
  const taken = decode(await (await page.request.get(server.base + address)).body());
  same(taken, shown);
});

/**
 * Edges are softened a little differently; nothing else may differ.
 * @param {ReturnType<typeof decode>} one @param {ReturnType<typeof decode>} other
 */
function same(one, other) {
  expect([one.width, one.height]).toEqual([other.width, other.height]);
  let sum = 0;
  let far = 0;
  for (let i = 0; i < one.data.length; i++) {
    const d = Math.abs(one.data[i] - other.data[i]);
    sum += d;
    if (d > 64) far++;
  }
  expect(sum / one.data.length).toBeLessThan(1);
  expect(far / one.data.length).toBeLessThan(0.002);
}

test("groups come to the same on a canvas as in pixels", async ({ page }) => {
  await page.goto(`${server.base}/lessons/1/stage`);
  await ready(page);
  const [list, pixels] = ["list", "png"].map((f) => readFileSync(join(root, "target/agreement", `groups.${f}`)));
  const module = await page.locator('link[href$="glass/glass.js"]').getAttribute("href");
  const canvas = await page.evaluate(
    async ([address, list]) => {
      const { default: init, Glass } = await import(address);
      const wasm = await init();
      const { print } = await import(new URL("../js/picture/printer.js", new URL(address, location.href)).href);
      const canvas = document.createElement("canvas");
      [canvas.width, canvas.height] = [960, 540];
      const glass = new Glass(1);
      if (!glass.take_list(Uint8Array.from(list))) throw new Error("no list");
      print(canvas.getContext("2d"), glass, wasm);
      return canvas.toDataURL("image/png").split(",")[1];
    },
    /** @type {[string, number[]]} */ ([module, [...list]]),
  );
  same(decode(pixels), decode(Buffer.from(canvas, "base64")));
});

for (const [name, path] of [
  ["home", "/"],
  ["captures", "/lessons/1/captures"],
  ["join", "/join"],
  ["stage", "/lessons/1/stage"],
  ["enter", "/enter"],
  ["settings", "/settings"],
  ["running order", "/lessons/1/order"],
  ["library", "/library"],
  ["worksheets", "/lessons/1/worksheets"],
  ["the wall", "/lessons/1/worksheets/1"],
  ["people", "/lessons/1/people"],
  ["recordings", "/lessons/3/recordings"],
  ["a recording", "/lessons/3/recordings/1"],
  ["a lesson shown again", "/lessons/3/replay"],
]) {
  test(`${name} is accessible, and nothing lies beyond its side`, async ({ page }) => {
    await page.goto(server.base + path);
    if (name === "stage") {
      await ready(page);
      await page.locator("#people").click();
    }
    const { violations } = await new AxeBuilder({ page }).analyze();
    expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html).join(" ")}`)).toEqual([]);
    for (const width of name === "stage" ? [1280] : [1280, 390]) {
      await page.setViewportSize({ width, height: 800 });
      expect(
        await page.evaluate(() => document.documentElement.scrollWidth - innerWidth),
        `${width} wide`,
      ).toBeLessThanOrEqual(0);
    }
  });
}

test("the panels of the stage are accessible", async ({ page }) => {
  await page.goto(`${server.base}/lessons/1/stage`);
  await ready(page);
  /** @type {[string, () => Promise<unknown>][]} */
  const panels = [
    ["order", () => page.locator("#order").click()],
    ["shapes", () => page.locator("#shapes").click()],
    ["more", () => page.locator("#more").click()],
    [
      "record",
      async () => {
        await page.locator("#record").click();
        await expect(page.locator("#record-says")).toContainText("lines");
      },
    ],
    ["swatch", () => page.locator("#swatches button").nth(5).dblclick()],
    [
      "selection",
      async () => {
        await page.keyboard.press("s");
        await page.keyboard.press("Control+a");
      },
    ],
    [
      "typing",
      async () => {
        await page.keyboard.press("t");
        await page.mouse.click(300, 600);
      },
    ],
    [
      "help",
      async () => {
        await page.keyboard.press("Escape");
        await page.keyboard.press("?");
      },
    ],
  ];
  for (const [name, open] of panels) {
    await open();
    const { violations } = await new AxeBuilder({ page }).analyze();
    expect(violations.map((v) => `${name} ${v.id}: ${v.nodes.map((n) => n.html).join(" ")}`)).toEqual([]);
    if (name !== "help") await page.keyboard.press("Escape");
  }
});

test("follow is accessible on a phone, and its keys are large enough", async ({ page, browser }) => {
  await page.goto(`${server.base}/lessons/1/stage`);
  const code = await page.locator(".join-code").textContent();
  const phone = await (await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true })).newPage();
  await phone.goto(`${server.base}/join`);
  await phone.getByLabel("Code").fill(code ?? "");
  await phone.getByLabel("Your name").fill("Amrit");
  await phone.getByRole("button", { name: "Join" }).click();
  await expect(phone.locator("#take-away-list li")).toHaveCount(2);
  const { violations } = await new AxeBuilder({ page: phone }).analyze();
  expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html).join(" ")}`)).toEqual([]);
  // One's own zoom: what is shown grows, and stays sharp (the canvas keeps the screen's pixels).
  await phone.getByRole("button", { name: "Zoom in" }).click();
  await expect(phone.locator("#zoom-shown")).toHaveText("150 %");
  await phone.getByRole("button", { name: "Whole picture" }).click();
  await expect(phone.locator("#zoom-shown")).toHaveText("100 %");
  // A touch on the picture gives it the keyboard.
  await phone.locator("#mount").click();
  await phone.keyboard.press("+");
  await expect(phone.locator("#zoom-shown")).toHaveText("125 %");
  await phone.keyboard.press("0");
  await expect(phone.locator("#zoom-shown")).toHaveText("100 %");
});

test("every key on the stage is large enough for a finger, and has a name", async ({ page }) => {
  await page.goto(`${server.base}/lessons/1/stage`);
  await ready(page);
  for (const key of await page.locator("#rail button:visible").all()) {
    const box = await key.boundingBox();
    const name = (await key.getAttribute("aria-label")) ?? (await key.textContent());
    expect(name?.trim(), "a name").toBeTruthy();
    // WCAG 2.2, 2.5.5: 44 CSS pixels.
    expect(Math.min(box?.width ?? 0, box?.height ?? 0), name ?? "").toBeGreaterThanOrEqual(44);
  }
});
