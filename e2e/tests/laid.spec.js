// @ts-check
// What lies over the picture and stays: the spotlight and clocks, by real input, as those who follow see it.

import { Server } from "../server.js";
import { apart, colour, drag, follow, seenAt, startNow, straight } from "../stage.js";
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

const PAPER = [251, 250, 245];
/** Paper under a sheet that hides 65 of 100. */
const DIM = PAPER.map((v) => Math.round(v * 0.35));

/** Waits until a place of the picture has a colour, more or less. @param {Page} page @param {{ x: number, y: number }} at @param {number[]} wanted */
const sees = (page, at, wanted) =>
  expect.poll(async () => apart(await colour(page, at.x, at.y), wanted), `${at.x}, ${at.y}`).toBeLessThan(12);

test("a spotlight comes where one points, is pulled, takes the form of a loop, and is there for who comes late", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.mouse.move(400, 300);
  await page.keyboard.press("w");
  await sees(page, { x: 400, y: 300 }, PAPER);
  await sees(page, { x: 800, y: 300 }, DIM);
  await sees(ines, await seenAt(page, ines, 400, 300), PAPER);
  await sees(ines, await seenAt(page, ines, 800, 300), DIM);
  // By its inside it is moved, by its edge made wider, by the wheel larger.
  await drag(page, straight({ x: 400, y: 300 }, { x: 700, y: 300 }));
  await sees(page, { x: 700, y: 300 }, PAPER);
  await sees(page, { x: 400, y: 300 }, DIM);
  const half = (280 * ((await page.locator("#glass").boundingBox())?.width ?? 0)) / 1920;
  await drag(page, straight({ x: 700 + half, y: 300 }, { x: 850 + half, y: 300 }));
  await sees(page, { x: 700 + half + 110, y: 300 }, PAPER);
  await sees(ines, await seenAt(page, ines, 700 + half + 110, 300), PAPER);
  // Into the dark it comes with a tap.
  await page.mouse.click(300, 200);
  await sees(page, { x: 300, y: 200 }, PAPER);
  await sees(page, { x: 900, y: 300 }, DIM);
  // Dimness by number, in the row; a number that cannot be is put right.
  const dark = page.getByRole("spinbutton", { name: "How dark the rest is, as a number" });
  await dark.fill("300");
  await dark.press("Enter");
  await expect(dark).toHaveValue("100");
  await sees(page, { x: 900, y: 500 }, [0, 0, 0]);
  await dark.fill("65");
  await dark.press("Enter");
  // With the pen in hand one draws in it; the spotlight stays.
  await page.keyboard.press("d");
  const loop = Array.from({ length: 26 }, (_, i) => {
    const a = (i / 24) * 2 * Math.PI;
    return { x: 760 + 90 * Math.cos(a), y: 420 + 60 * Math.sin(a) };
  });
  await drag(page, loop);
  await sees(page, { x: 760, y: 420 }, DIM);
  // A tap within the loop gives the light that form.
  await page.locator("#row-spotlight").click();
  await page.mouse.click(760, 420);
  await sees(page, { x: 760, y: 420 }, PAPER);
  await sees(page, { x: 760 + 60, y: 420 }, PAPER);
  await sees(page, { x: 760 + 80, y: 420 + 50 }, DIM);
  await sees(page, { x: 300, y: 200 }, DIM);
  // Who comes late, and who loads again, sees the same.
  const late = await follow(browser, page, "Late");
  await sees(late, await seenAt(page, late, 760, 420), PAPER);
  await sees(late, await seenAt(page, late, 300, 200), DIM);
  await page.reload();
  await page.locator("body.ready").waitFor();
  await sees(page, { x: 760, y: 420 }, PAPER);
  await sees(page, { x: 300, y: 200 }, DIM);
  // Kept to the stage, nobody else sees it.
  await page.locator("#row-spotlight").click();
  await page.locator("#light-told").click();
  await sees(ines, await seenAt(page, ines, 300, 200), PAPER);
  await sees(page, { x: 300, y: 200 }, DIM);
  await page.locator("#light-told").click();
  await sees(ines, await seenAt(page, ines, 300, 200), DIM);
  // Esc puts it away for everybody; its key brings it back as it was, or where one points.
  await page.keyboard.press("Escape");
  await sees(page, { x: 300, y: 200 }, PAPER);
  for (const one of [ines, late]) await sees(one, await seenAt(page, one, 300, 200), PAPER);
  await page.mouse.move(300, 420);
  await page.keyboard.press("w");
  await sees(page, { x: 300, y: 420 }, PAPER);
  await sees(page, { x: 760, y: 420 }, DIM);
});

test("held, its key has the spotlight go along with what points; two fingers resize it", async ({ browser }) => {
  const context = await browser.newContext({ hasTouch: true, viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  await startNow(page, server.base);
  await page.mouse.move(300, 300);
  await page.keyboard.down("w");
  await page.mouse.move(500, 320, { steps: 5 });
  await page.mouse.move(700, 340, { steps: 5 });
  await sees(page, { x: 700, y: 340 }, PAPER);
  await sees(page, { x: 300, y: 300 }, DIM);
  // Held for long it is only lent.
  await page.waitForFunction((from) => performance.now() - from > 450, await page.evaluate(() => performance.now()));
  await page.keyboard.up("w");
  await sees(page, { x: 300, y: 500 }, PAPER);
  await page.mouse.move(640, 320);
  await page.keyboard.press("w");
  await sees(page, { x: 640, y: 320 }, PAPER);
  await sees(page, { x: 640, y: 560 }, DIM);
  const session = await context.newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number[][]} points */
  const touch = (type, ...points) =>
    session.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
  await touch("touchStart", [600, 320]);
  await touch("touchStart", [600, 320], [680, 320]);
  for (let i = 1; i <= 8; i++) await touch("touchMove", [600 - 14 * i, 320], [680 + 14 * i, 320]);
  await touch("touchEnd");
  await sees(page, { x: 640, y: 560 }, PAPER);
  // How long a countdown takes is keyed in on the screen; what cannot be counted down is said.
  await page.keyboard.press("k");
  const keyIn = async (/** @type {string[]} */ ...figures) => {
    await page.locator("#clock-typed").tap();
    for (const figure of figures) await page.locator(`#keypad-panel [data-digit="${figure}"]`).tap();
    await page.locator("#keypad-take").tap();
  };
  await keyIn("1", "3", "0");
  await expect(page.locator("#row-clocks button")).toHaveText("Countdown 1:30");
  await keyIn("9", "9", "00", "00");
  await expect(page.locator("#says")).toContainText("from 1 second to 24 hours");
  await expect(page.locator("#row-clocks button")).toHaveText("Countdown 1:30");
});

test("a countdown is the same on three screens, across a restart, warns, ends and is heard", async ({
  page,
  browser,
}) => {
  await page.addInitScript(() => {
    const tones = /** @type {any} */ (window);
    tones.heard = [];
    const start = OscillatorNode.prototype.start;
    OscillatorNode.prototype.start = function (when) {
      tones.heard.push(Math.round(this.frequency.value));
      return start.call(this, when);
    };
  });
  await startNow(page, server.base);
  await page.keyboard.press("k");
  const typed = page.getByRole("textbox", { name: "How long" });
  await typed.fill("soon");
  await typed.press("Enter");
  await expect(page.locator("#says")).toContainText("A time is written like 5, 5:00 or 1:30:00");
  await typed.fill("24:00:01");
  await typed.press("Enter");
  await expect(page.locator("#says")).toContainText("from 1 second to 24 hours");
  await typed.fill("0:40");
  await typed.press("Enter");
  const chip = page.locator("#row-clocks button");
  await expect(chip).toHaveText("Countdown 0:40");
  await page.getByRole("button", { name: "Start" }).click();
  await expect(chip).toHaveText(/Countdown 0:3[0-8]/);
  await page.getByRole("button", { name: "Pause" }).click();
  const paused = await chip.textContent();
  await page.getByRole("button", { name: "+1 min" }).click();
  await expect(chip).toHaveText((paused ?? "").replace("0:", "1:"));
  await page.getByRole("button", { name: "Start" }).click();
  // Everybody sees its face; at what it says, the server's clock is what counts.
  const ines = await follow(browser, page, "Ines");
  // Who follows moves nothing that lies there.
  const plate = PAPER.map((v, i) => Math.round([20, 24, 29][i] * 0.94 + v * 0.06));
  const on = await seenAt(page, ines, 1060, 30);
  await sees(ines, on, plate);
  await drag(ines, straight(on, { x: on.x - 250, y: on.y + 150 }));
  await sees(ines, on, plate);
  const late = await follow(browser, page, "Late");
  await server.kill();
  await server.again();
  await expect(page.locator("#line")).toBeHidden();
  const screens = [page, ines, late];
  for (const one of screens) {
    await one.evaluate(() => {
      const canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("laid"));
      const context = canvas.getContext("2d");
      if (!context) throw new Error("no canvas");
      /** @returns {string} */
      const face = () => {
        const [w, h] = [Math.round(canvas.width / 4), Math.round(canvas.height / 4)];
        const { data } = context.getImageData(canvas.width - w, 0, w, h);
        let sum = 0;
        for (let i = 0; i < data.length; i += 4) sum = (sum * 31 + data[i] + data[i + 1] * 3 + data[i + 2] * 7) % 1e9;
        return `${sum}`;
      };
      /** @type {number[]} */
      const changed = [];
      Object.assign(window, { changed });
      let was = face();
      const look = () => {
        const is = face();
        if (is !== was) changed.push(Date.now() - 1000 * changed.length);
        was = is;
        requestAnimationFrame(look);
      };
      look();
    });
  }
  // A busy machine paints a second and hears of the server's clock too late, never too early: the earliest
  // of the last five is the clock's, and with each beat it is known better.
  const spread = async () => {
    const changes = screens.map((one) => one.evaluate(() => /** @type {any} */ (window).changed.slice(-5)));
    const last = await Promise.all(changes);
    if (last.some((changed) => changed.length < 5)) return Number.POSITIVE_INFINITY;
    const offsets = last.map((changed) => Math.min(...changed) % 1000);
    const apart = offsets.flatMap((a) => offsets.map((b) => Math.abs(a - b)));
    return Math.max(...apart.map((by) => Math.min(by, 1000 - by)));
  };
  await expect.poll(spread, { timeout: 30_000 }).toBeLessThan(100);
  // It ends, is heard, and is seen.
  await typed.fill("0:03");
  await typed.press("Enter");
  await page.getByRole("button", { name: "Start" }).click();
  await expect(chip).toHaveText("Countdown 0:00");
  await expect.poll(() => page.evaluate(() => /** @type {any} */ (window).heard)).toEqual([660, 880, 880, 880]);
  const face = { x: 1060, y: 30 };
  await sees(page, face, [231, 176, 75]);
  await sees(ines, await seenAt(page, ines, face.x, face.y), [231, 176, 75]);
  await page.locator("#clock-remove").click();
  await sees(ines, await seenAt(page, ines, face.x, face.y), PAPER);
});

test("a stopwatch: laps are named, the best and the worst marked, and saved as a table", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("l");
  await page.getByRole("button", { name: "Start" }).click();
  const chip = page.locator("#row-clocks button");
  const lap = page.getByRole("button", { name: "Lap", exact: true });
  for (const reading of ["0:00.5", "0:01.6", "0:02.2"]) {
    await expect.poll(async () => ((await chip.textContent()) ?? "") >= `Stopwatch ${reading}`).toBe(true);
    await lap.click();
  }
  await page.getByRole("button", { name: "Pause" }).click();
  await page.locator("#clock-laps").click();
  const rows = page.locator("#laps-list tr");
  await expect(rows).toHaveCount(3);
  const shown = await rows.locator("td:nth-child(3)").allTextContents();
  const marks = await rows.evaluateAll((all) => all.map((row) => row.className));
  // Two laps may read alike and still differ: what is marked reads as the longest and the shortest do.
  const inOrder = [...shown].sort();
  expect(shown[marks.indexOf("worst")]).toBe(inOrder[2]);
  expect(shown[marks.indexOf("best")]).toBe(inOrder[0]);
  const name = page.getByRole("textbox", { name: "Name of lap 2" });
  await name.fill("Orca, tacking");
  await name.press("Tab");
  const [saved] = await Promise.all([page.waitForEvent("download"), page.locator("#laps-csv").click()]);
  const stream = await saved.createReadStream();
  let csv = "";
  for await (const part of stream) csv += part;
  const lines = csv.trimEnd().split("\r\n");
  expect(lines[0]).toBe("Lap,Name,Split (s),Total (s),");
  expect(lines[2]).toMatch(/^2,"Orca, tacking",\d\.\d\d,\d\.\d\d,/);
  const total = Number(lines[3].split(",")[3]);
  const splits = lines.slice(1).map((line) => Number(line.split(",").at(-3)));
  expect(Math.abs(splits.reduce((a, b) => a + b) - total)).toBeLessThan(0.03);
  // Two at once, each with its own settings; both put away with Esc twice, and back as they were.
  await page.keyboard.press("Escape");
  await page.keyboard.press("k");
  await expect(page.locator("#row-clocks button")).toHaveCount(2);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await expect(page.locator("#row-aids")).toBeHidden();
  await page.keyboard.press("l");
  await page.locator("#clock-laps").click();
  await expect(page.getByRole("textbox", { name: "Name of lap 2" })).toHaveValue("Orca, tacking");
});
