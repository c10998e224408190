// @ts-check
// What is pointed with: laser and ring, under mouse and finger, on the stage and for those who follow.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { apart, capture, colour, drag, follow, pixel, seenAt, startNow, straight } from "../stage.js";
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
const CORE = [255, 255, 255];
const VERMILION = [213, 94, 0];
const YELLOW = [240, 228, 66];

/**
 * Waits until a person sees this colour there.
 * @param {import("@playwright/test").Page} page @param {{ x: number, y: number }} at @param {number[]} wanted
 */
const sees = (page, at, wanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), wanted)).toBeLessThan(12);

test("a laser is seen by everybody, fades, and leaves nothing", async ({ page, browser }) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  const before = await capture(page, { x: 300, y: 200 }, { x: 700, y: 400 });
  await page.keyboard.press("q");
  await expect(page.locator("#row-laser")).toBeVisible();
  // A mouse shows it without being pressed, and pressed.
  await page.mouse.move(400, 300);
  for (const [x, y] of [
    [500, 300],
    [500, 360],
  ]) {
    await page.mouse.move(x, y, { steps: 5 });
    await sees(page, { x, y }, CORE);
    await sees(page, { x: x + 4, y }, VERMILION);
    await sees(ines, await seenAt(page, ines, x, y), CORE);
    await page.mouse.down();
  }
  await page.mouse.up();
  // Where it was, nothing is left, on neither screen; and nothing can be undone.
  await sees(page, { x: 450, y: 300 }, PAPER);
  await sees(page, { x: 500, y: 300 }, PAPER);
  await sees(ines, await seenAt(page, ines, 500, 300), PAPER);
  await expect(page.locator("#undo")).toBeDisabled();
  const taken = await capture(page, { x: 300, y: 200 }, { x: 700, y: 400 });
  expect(taken.equals(before)).toBe(true);
  // Who comes late sees it too, though it rests.
  await page.mouse.move(500, 360);
  const late = await follow(browser, page, "Kofi");
  await sees(late, await seenAt(page, late, 500, 360), CORE);
  // Esc puts it away, for everybody.
  await page.keyboard.press("Escape");
  for (const one of [ines, late]) await sees(one, await seenAt(page, one, 500, 360), PAPER);
  await expect(page.locator("#row-laser")).toBeHidden();
  // Held down, its key lends it.
  await page.keyboard.down("q");
  await page.mouse.move(600, 300, { steps: 3 });
  await sees(page, { x: 600, y: 300 }, CORE);
  await drag(page, straight({ x: 600, y: 300 }, { x: 640, y: 300 }, 4));
  await page.keyboard.up("q");
  await drag(page, straight({ x: 600, y: 300 }, { x: 640, y: 300 }, 4));
  await sees(page, { x: 620, y: 300 }, [0, 0, 0]);
});

test("under a finger a laser is there while it is down", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("q");
  const cdp = await page.context().newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number} [x] */
  const touch = (type, x) =>
    cdp.send("Input.dispatchTouchEvent", { type, touchPoints: x === undefined ? [] : [{ x, y: 300, id: 1 }] });
  await touch("touchStart", 400);
  for (let x = 410; x <= 500; x += 10) await touch("touchMove", x);
  await sees(page, { x: 500, y: 300 }, CORE);
  await touch("touchEnd");
  await sees(page, { x: 500, y: 300 }, PAPER);
});

test("a ring goes along with the pointer, as it is set, and can be kept to the stage", async ({ page, browser }) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.getByRole("button", { name: "Aids", exact: true }).click();
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Ring", exact: true }).click();
  // 60 CSS pixels across at first, while the pen draws.
  const drawn = { x: 560, y: 300 };
  await page.mouse.move(500, 300);
  await page.mouse.down();
  await page.mouse.move(drawn.x, drawn.y, { steps: 5 });
  const right = { x: drawn.x + 28, y: drawn.y };
  await sees(page, right, YELLOW);
  await sees(ines, await seenAt(page, ines, right.x, right.y), YELLOW);
  await page.mouse.up();
  await sees(page, { x: 520, y: 300 }, [0, 0, 0]);
  // Larger, by a slider; the next time too. How it is set is in the row, instead of the board's pages.
  await page.locator("#row-ring").click();
  await expect(page.locator("#row-pages")).toBeHidden();
  const width = (await page.locator("#glass").boundingBox())?.width ?? 0;
  await page.getByRole("slider", { name: "Diameter of the ring" }).fill("300");
  await expect(page.getByRole("spinbutton", { name: "Diameter of the ring" })).toHaveValue("300");
  await page.mouse.move(drawn.x, drawn.y);
  const larger = { x: drawn.x - (150 / 1920) * width, y: drawn.y };
  await sees(page, larger, YELLOW);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  // By number; one that cannot be is put right.
  const line = page.getByRole("spinbutton", { name: "Line of the ring" });
  await line.fill("1000");
  await line.press("Enter");
  await expect(line).toHaveValue("40");
  // Kept by a name it comes back after it was plain, also in another lesson; it can be forgotten.
  await page.getByRole("button", { name: "Keep this ring by a name" }).click();
  await page.getByRole("textbox", { name: "Name of this ring" }).fill("Far seats");
  await page.keyboard.press("Enter");
  const kept = page.getByRole("combobox", { name: "Kept rings" });
  await expect(kept).toHaveValue("Far seats");
  await page.getByRole("button", { name: "Plain" }).click();
  await expect(kept).toHaveValue("");
  await expect(line).toHaveValue("8");
  await kept.selectOption("Far seats");
  await expect(line).toHaveValue("40");
  await page.getByRole("button", { name: "Forget “Far seats”" }).click();
  await expect(kept).toBeDisabled();
  await page.getByRole("button", { name: "Plain" }).click();
  await page.locator("#row-ring").click();
  await expect(page.locator("#row-pages")).toBeVisible();
  await page.mouse.move(drawn.x, drawn.y);
  await sees(page, right, YELLOW);
  await sees(page, larger, PAPER);
  // It goes with the pointer off the glass.
  await page.mouse.move(640, 780);
  await sees(page, right, PAPER);
  // Kept to the stage, only the stage has it.
  await page.getByRole("button", { name: "Aids", exact: true }).click();
  await page.getByRole("checkbox", { name: "Participants see" }).uncheck();
  await page.keyboard.press("Escape");
  await page.mouse.move(drawn.x, drawn.y);
  await sees(page, right, YELLOW);
  const there = await seenAt(page, ines, right.x, right.y);
  await drag(page, straight({ x: drawn.x, y: 420 }, { x: drawn.x + 60, y: 420 }, 4));
  const later = await seenAt(page, ines, drawn.x + 30, 420);
  await sees(ines, later, [0, 0, 0]);
  expect(
    apart(pixel(await ines.screenshot({ scale: "css" }), Math.round(there.x), Math.round(there.y)), PAPER),
  ).toBeLessThan(12);
  await page.keyboard.press("Escape");
  await expect(page.locator("#row-aids")).toBeHidden();
});

test("a machine that is slow to bring an aid takes no short press of its key for a long one", async ({ page }) => {
  await startNow(page, server.base);
  const devtools = await page.context().newCDPSession(page);
  await page.mouse.move(400, 300);
  await devtools.send("Emulation.setCPUThrottlingRate", { rate: 60 });
  for (const key of ["w", "g"]) await page.keyboard.press(key);
  await devtools.send("Emulation.setCPUThrottlingRate", { rate: 1 });
  await expect(page.locator("#row-aids > .aid:not([hidden])")).toHaveText(["Spotlight", "Magnifier"]);
});

test("presses spread on every screen, on pages that hands reach too, and are gone", async ({ page, browser }) => {
  /** Counts the frames in which there is anything on the canvas of aids, and keeps how far it reached. */
  const count = () => {
    const seen = { frames: 0, widest: 0, clear: true };
    Object.assign(window, { seen });
    const look = () => {
      const canvas = /** @type {HTMLCanvasElement | null} */ (document.getElementById("aids-above"));
      const context = canvas?.width ? canvas.getContext("2d") : null;
      if (canvas && context) {
        const { width } = canvas;
        const pixels = new Uint32Array(context.getImageData(0, 0, width, canvas.height).data.buffer);
        let [left, right] = [width, -1];
        for (let i = 0; i < pixels.length; i++)
          if (pixels[i]) {
            left = Math.min(left, i % width);
            right = Math.max(right, i % width);
          }
        seen.clear = right < 0;
        seen.frames += seen.clear ? 0 : 1;
        seen.widest = Math.max(seen.widest, right - left);
      }
      requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  };
  await page.addInitScript(count);
  await page.clock.install();
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines", { before: count, held: true });
  /** @param {import("@playwright/test").Page} one */
  const seen = (one) => one.evaluate(() => /** @type {any} */ (window).seen);
  /** @param {{ button?: "right" }} [how] */
  const pressesSpread = async (how) => {
    // Both pages' clocks are held, so that a busy machine draws as many frames of a press as any other.
    for (const one of [page, ines]) await one.clock.pauseAt((await one.evaluate(() => Date.now())) + 1000);
    await page.mouse.click(500, 300, how);
    for (const one of [page, ines]) {
      const frames = async () => {
        await one.clock.runFor(20);
        return (await seen(one)).frames;
      };
      await expect.poll(frames).toBeGreaterThan(0);
      await one.clock.runFor(1000);
      const { clear, widest } = await seen(one);
      expect(clear).toBe(true);
      // Over more than 40 CSS pixels.
      expect(widest).toBeGreaterThan(40);
      await one.evaluate(() => Object.assign(/** @type {any} */ (window).seen, { frames: 0, widest: 0 }));
      await one.clock.resume();
    }
  };
  await page.keyboard.press("i");
  await pressesSpread();
  await pressesSpread({ button: "right" });
  // In Touch, hands reach a page: it tells where they press.
  await page.locator("#picture-file").setInputFiles([
    {
      name: "Lights.html",
      mimeType: "text/html",
      buffer: Buffer.from("<!doctype html><title>Lights</title><h1>Lights</h1>"),
    },
  ]);
  await page.frameLocator("#beneath iframe").locator("html[data-bozzetto=bridged]").waitFor();
  await page.locator("#touch").click();
  await pressesSpread();
});
