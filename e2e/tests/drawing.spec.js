// @ts-check
// Drawing with mouse, pen and fingers; erasing, undo, wipe; and what a broken line does to it.

import { readFileSync } from "node:fs";
import { join } from "node:path";
import { root, Server } from "../server.js";
import { apart, colour, drag, ready, startNow, straight, unacknowledged } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start();
});
test.afterEach(async () => {
  await server.stop();
});

const PAPER = [251, 250, 245];

/** How much ink stands at x, as the number of dark pixels on a column.
 * @param {import("@playwright/test").Page} page @param {number} x @param {number} y */
async function thickness(page, x, y) {
  let n = 0;
  for (let d = -14; d <= 14; d++) n += apart(await colour(page, x, y + d), PAPER) > 60 ? 1 : 0;
  return n;
}

test("a pen draws as wide as it is pressed", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("2");
  const cdp = await page.context().newCDPSession(page);
  /** @param {number} y @param {number} force */
  const stroke = async (y, force) => {
    const pen = { pointerType: /** @type {const} */ ("pen"), button: /** @type {const} */ ("left"), force };
    await cdp.send("Input.dispatchMouseEvent", { type: "mousePressed", x: 300, y, clickCount: 1, ...pen });
    for (let x = 300; x <= 700; x += 10)
      await cdp.send("Input.dispatchMouseEvent", { type: "mouseMoved", x, y, buttons: 1, ...pen });
    await cdp.send("Input.dispatchMouseEvent", { type: "mouseReleased", x: 700, y, ...pen });
  };
  await stroke(200, 0.05);
  await stroke(300, 1);
  const [light, firm] = [await thickness(page, 600, 200), await thickness(page, 600, 300)];
  expect(light).toBeGreaterThan(2);
  expect(firm).toBeGreaterThan(light * 1.6);
});

test("two fingers draw two strokes at once", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("3");
  const cdp = await page.context().newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number} [x] */
  const touch = (type, x) =>
    cdp.send("Input.dispatchTouchEvent", {
      type,
      touchPoints:
        x === undefined
          ? []
          : [
              { x, y: 200, id: 1 },
              { x, y: 500, id: 2 },
            ],
    });
  await touch("touchStart", 300);
  for (let x = 310; x <= 700; x += 10) await touch("touchMove", x);
  await touch("touchEnd");
  for (const y of [200, 500]) expect(apart(await colour(page, 500, y), [0, 114, 178])).toBeLessThan(6);
  await page.keyboard.press("Control+z");
  expect(apart(await colour(page, 500, 200), PAPER) < 3).not.toBe(apart(await colour(page, 500, 500), PAPER) < 3);
});

test("erase, undo, redo, wipe; a held key lends its tool; touching draws nothing", async ({ page }) => {
  await startNow(page, server.base);
  const ys = [150, 250, 350];
  for (const y of ys) await drag(page, straight({ x: 300, y }, { x: 700, y }));
  const inked = async () => {
    const found = [];
    for (const y of ys) if (apart(await colour(page, 450, y), [0, 0, 0]) < 40) found.push(y);
    return found;
  };
  expect(await inked()).toEqual(ys);
  // One sweep through two of them, with E held, takes a bit out of each; then the pen is back.
  const holes = async () => {
    const found = [];
    for (const y of ys) if (apart(await colour(page, 600, y), PAPER) < 3) found.push(y);
    return found;
  };
  await page.keyboard.down("e");
  await drag(page, straight({ x: 600, y: 120 }, { x: 600, y: 280 }));
  await page.keyboard.up("e");
  expect([await inked(), await holes()]).toEqual([ys, [150, 250]]);
  await expect(page.locator("#erase")).toHaveAttribute("aria-pressed", "false");
  await page.keyboard.press("Control+z");
  expect(await holes()).toEqual([]);
  await page.keyboard.press("Control+Shift+z");
  expect(await holes()).toEqual([150, 250]);
  await page.getByRole("button", { name: "Wipe" }).click();
  expect(await inked()).toEqual([]);
  await page.getByRole("button", { name: "Undo" }).click();
  expect([await inked(), await holes()]).toEqual([ys, [150, 250]]);
  await page.keyboard.down(" ");
  await drag(page, straight({ x: 300, y: 150 }, { x: 700, y: 150 }));
  await page.keyboard.up(" ");
  expect(await holes()).toEqual([150, 250]);
  // After a reload, undo still reaches back.
  await page.reload();
  await ready(page);
  await expect.poll(holes).toEqual([150, 250]);
  await page.keyboard.press("Control+z");
  await expect.poll(holes).toEqual([]);
});

test("the highlighter lets what is beneath through and does not darken where it crosses itself", async ({ page }) => {
  await startNow(page, server.base);
  await drag(page, straight({ x: 500, y: 200 }, { x: 500, y: 400 }));
  await page.keyboard.press("4");
  await drag(page, [
    ...straight({ x: 300, y: 300 }, { x: 700, y: 300 }),
    ...straight({ x: 700, y: 300 }, { x: 320, y: 302 }),
  ]);
  const band = await colour(page, 400, 301);
  // Multiplied: 240, 228, 66 on the board's 251, 250, 245.
  expect(apart(band, [236, 224, 63])).toBeLessThan(4);
  expect(apart(await colour(page, 500, 301), [0, 0, 0])).toBeLessThan(12);
});

test("two presenters' tabs work together", async ({ page, context }) => {
  await startNow(page, server.base);
  const other = await context.newPage();
  await other.goto(page.url());
  await ready(other);
  await drag(page, straight({ x: 300, y: 200 }, { x: 700, y: 200 }));
  await drag(other, straight({ x: 300, y: 400 }, { x: 700, y: 400 }));
  for (const tab of [page, other]) {
    for (const y of [200, 400])
      await expect.poll(async () => apart(await colour(tab, 500, y), [0, 0, 0])).toBeLessThan(40);
  }
  // Each undoes its own.
  await page.keyboard.press("Control+z");
  await expect.poll(async () => apart(await colour(other, 500, 200), PAPER)).toBeLessThan(3);
  expect(apart(await colour(other, 500, 400), [0, 0, 0])).toBeLessThan(40);
});

test("the server is killed in the middle of a stroke: nothing that was drawn is lost", async ({ page }) => {
  await startNow(page, server.base);
  await drag(page, straight({ x: 300, y: 150 }, { x: 700, y: 150 }));
  await expect.poll(() => unacknowledged(page)).toBe(0);
  await page.mouse.move(300, 300);
  await page.mouse.down();
  for (const p of straight({ x: 300, y: 300 }, { x: 500, y: 300 })) await page.mouse.move(p.x, p.y);
  await server.kill();
  for (const p of straight({ x: 500, y: 300 }, { x: 700, y: 300 })) await page.mouse.move(p.x, p.y);
  await page.mouse.up();
  await expect(page.locator("#line")).toContainText("The line to the server is down");
  await drag(page, straight({ x: 300, y: 450 }, { x: 700, y: 450 }));
  expect(apart(await colour(page, 500, 450), [0, 0, 0])).toBeLessThan(40);
  await server.again();
  await expect(page.locator("#line")).toBeHidden({ timeout: 20_000 });
  await expect.poll(() => unacknowledged(page)).toBe(0);
  // A second death, and a browser that knows nothing: it is all on disk.
  await server.kill();
  await server.again();
  await page.goto(page.url());
  await ready(page);
  for (const y of [150, 300, 450])
    await expect.poll(async () => apart(await colour(page, 500, y), [0, 0, 0])).toBeLessThan(40);
});

test("a reload in the middle of a stroke, with the server gone, keeps the stroke", async ({ page }) => {
  await startNow(page, server.base);
  await server.kill();
  await drag(page, straight({ x: 300, y: 150 }, { x: 700, y: 150 }));
  await page.mouse.move(300, 300);
  await page.mouse.down();
  for (const p of straight({ x: 300, y: 300 }, { x: 700, y: 300 })) await page.mouse.move(p.x, p.y);
  await server.again();
  await page.reload();
  await ready(page);
  for (const y of [150, 300])
    await expect.poll(async () => apart(await colour(page, 500, y), [0, 0, 0])).toBeLessThan(40);
  await expect.poll(() => unacknowledged(page)).toBe(0);
});

test("WebAssembly holds the same sheets as the server for the same log", async ({ page }) => {
  await startNow(page, server.base);
  const [log, lesson] = ["log", "lesson"].map((f) => readFileSync(join(root, "target/agreement", f)));
  const module = await page.locator('link[href$="glass/glass.js"]').getAttribute("href");
  const replayed = await page.evaluate(
    async ([address, log]) => {
      const { default: init, replay } = await import(address);
      await init();
      return replay(Uint8Array.from(log))?.toString();
    },
    /** @type {[string, number[]]} */ ([module, [...log]]),
  );
  expect(replayed).toBe([...lesson].toString());
});
