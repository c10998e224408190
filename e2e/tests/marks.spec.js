// @ts-check
// What can be drawn besides strokes, and what is done with it.

import { writeFileSync } from "node:fs";
import { Server } from "../server.js";
import { alike, apart, capture, colour, decode, drag, follow, ready, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @typedef {import("@playwright/test").Page} Page */

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start();
});
test.afterEach(async () => {
  await server.stop();
});

const PAPER = [251, 250, 245];
const BLACK = [0, 0, 0];
const VERMILION = [213, 94, 0];
const BLUE = [0, 114, 178];
const PURPLE = [204, 121, 167];

/** Whether a place looks like this colour. @param {Page} page @param {number} x @param {number} y @param {number[]} ink */
const is = async (page, x, y, ink) => apart(await colour(page, x, y), ink) < 12;

/** Changes swatch `i` in its panel. @param {Page} page @param {number} i @param {() => Promise<unknown>} change */
async function edit(page, i, change) {
  await page.locator("#swatches button").nth(i).dblclick();
  await expect(page.locator("#swatch-panel")).toBeVisible();
  await change();
  await page.locator("#swatch-done").click();
}

test("fading ink stays, fades on every screen, and leaves the sheet through the log", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines");
  await edit(page, 5, () => page.locator("#swatch-stay").fill("4"));
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  const at = await seenAt(page, phone, 500, 300);
  await expect.poll(() => is(phone, at.x, at.y, PURPLE)).toBe(true);
  // On its way out it is seen faintly, by both.
  for (const [who, x, y] of /** @type {[Page, number, number][]} */ ([
    [page, 500, 300],
    [phone, at.x, at.y],
  ])) {
    await expect.poll(() => is(who, x, y, PAPER), { timeout: 20_000 }).toBe(true);
  }
  // It is off the sheet: who comes now, and a capture, find nothing.
  await expect(page.locator("#undo")).toBeDisabled();
  await page.reload();
  await ready(page);
  expect(await is(page, 500, 300, PAPER)).toBe(true);
});

test("a mark goes with what holds it when the picture is zoomed, and the same is captured", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Noor");
  await edit(page, 1, () => page.getByRole("button", { name: "By the glass" }).click());
  await page.keyboard.press("3");
  await drag(page, straight({ x: 500, y: 260 }, { x: 780, y: 260 }));
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 460 }, { x: 780, y: 460 }));
  // In Touch the wheel zooms around the pointer, which is in the middle of the picture.
  await page.keyboard.down(" ");
  await page.mouse.move(640, 360);
  await page.mouse.wheel(0, -277.3);
  await page.keyboard.up(" ");
  await expect(page.locator("#zoom-by")).toHaveText("2.0×");
  await expect.poll(() => is(page, 640, 160, BLUE)).toBe(true);
  expect(await is(page, 640, 260, PAPER)).toBe(true);
  expect(await is(page, 640, 460, VERMILION)).toBe(true);
  const at = await seenAt(page, phone, 640, 160);
  await expect.poll(() => is(phone, at.x, at.y, BLUE)).toBe(true);
  await page.keyboard.press("c");
  await drag(page, straight({ x: 560, y: 100 }, { x: 720, y: 200 }));
  const [answer] = await Promise.all([
    page.waitForResponse((r) => r.url().endsWith("/captures")),
    page.keyboard.press("Enter"),
  ]);
  expect(answer.ok()).toBe(true);
  const address = (await answer.text()).match(/data-picture="([^"]+)"/)?.[1];
  const taken = decode(await (await page.request.get(server.base + address)).body());
  const middle = (Math.round(taken.height * 0.6) * taken.width + Math.round(taken.width / 2)) * 4;
  expect(apart([...taken.data.subarray(middle, middle + 3)], BLUE)).toBeLessThan(6);
  // The hold of a selection changes without its moving: whole again, it has stayed where it was.
  await page.keyboard.press("s");
  await page.mouse.click(640, 160);
  await page.getByRole("button", { name: "On the glass" }).click();
  expect(await is(page, 640, 160, BLUE)).toBe(true);
  await page.keyboard.press("Escape");
  await page.locator("#whole").click();
  await expect(page.locator("#whole")).toBeHidden();
  expect(await is(page, 640, 160, BLUE)).toBe(true);
});

test("lasso, move, turn, restyle, duplicate, delete; copied to another backdrop", async ({ page }) => {
  await startNow(page, server.base);
  await drag(page, straight({ x: 300, y: 200 }, { x: 500, y: 200 }));
  await drag(page, straight({ x: 300, y: 500 }, { x: 500, y: 500 }));
  await page.keyboard.press("2");
  await page.keyboard.press("s");
  await drag(page, [
    { x: 260, y: 150 },
    { x: 540, y: 150 },
    { x: 540, y: 250 },
    { x: 260, y: 250 },
    { x: 262, y: 152 },
  ]);
  await expect(page.locator("#selection")).toBeVisible();
  await drag(page, straight({ x: 400, y: 200 }, { x: 600, y: 300 }));
  expect(await is(page, 600, 300, BLACK)).toBe(true);
  expect(await is(page, 400, 200, PAPER)).toBe(true);
  await page.getByRole("button", { name: "Restyle" }).click();
  expect(await is(page, 600, 300, VERMILION)).toBe(true);
  // A quarter turn by the knob.
  const knob = await page.locator(".turn").boundingBox();
  if (!knob) throw new Error("no knob");
  await page.keyboard.down("Shift");
  await drag(page, straight({ x: knob.x + 22, y: knob.y + 22 }, { x: 760, y: 300 }));
  await page.keyboard.up("Shift");
  expect(await is(page, 600, 230, VERMILION)).toBe(true);
  expect(await is(page, 680, 300, PAPER)).toBe(true);
  await page.keyboard.press("Control+c");
  await page.keyboard.press("Delete");
  expect(await is(page, 600, 230, PAPER)).toBe(true);
  expect(await is(page, 400, 500, BLACK)).toBe(true);
  // Without a selection the key deletes nothing.
  await page.keyboard.press("Delete");
  expect(await is(page, 400, 500, BLACK)).toBe(true);
  await page.keyboard.press("Control+z");
  expect(await is(page, 600, 230, VERMILION)).toBe(true);
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Plain board" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Board 2");
  expect(await is(page, 600, 230, PAPER)).toBe(true);
  await page.keyboard.press("Control+v");
  await expect(page.locator("#selection")).toBeVisible();
  const box = await page.locator("#selection").boundingBox();
  if (!box) throw new Error("nothing pasted");
  expect(await is(page, box.x + box.width / 2, box.y + box.height / 2, VERMILION)).toBe(true);
});

test("two fingers on a selection move, turn and resize it", async ({ page }) => {
  await startNow(page, server.base);
  await drag(page, straight({ x: 500, y: 360 }, { x: 700, y: 360 }));
  await page.keyboard.press("s");
  await page.mouse.click(600, 360);
  await expect(page.locator("#selection")).toBeVisible();
  const cdp = await page.context().newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {[number, number][]} points */
  const touch = (type, points) =>
    cdp.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
  await touch("touchStart", [[560, 360]]);
  await touch("touchStart", [
    [560, 360],
    [640, 360],
  ]);
  // A quarter turn around the middle, and half as long again.
  for (let i = 1; i <= 12; i++) {
    const [a, r] = [(Math.PI / 2) * (i / 12), 40 + 20 * (i / 12)];
    await touch("touchMove", [
      [600 - r * Math.cos(a), 360 - r * Math.sin(a)],
      [600 + r * Math.cos(a), 360 + r * Math.sin(a)],
    ]);
  }
  await touch("touchEnd", []);
  await page.keyboard.press("Escape");
  for (const y of [230, 300, 420, 490]) expect(await is(page, 600, y, BLACK)).toBe(true);
  expect(await is(page, 500, 360, PAPER)).toBe(true);
});

test("shapes keep to squares with Shift and with a second finger; a line held still becomes straight", async ({
  page,
}) => {
  await startNow(page, server.base);
  await page.locator("#shapes").click();
  await page.locator("#figures").getByRole("button", { name: "box" }).click();
  await page.mouse.move(300, 200);
  await page.mouse.down();
  await page.mouse.move(500, 250, { steps: 4 });
  await expect(page.locator(".read-out")).toHaveText("300 × 75");
  await page.keyboard.down("Shift");
  await page.mouse.move(500, 251);
  await expect(page.locator(".read-out")).toHaveText("300 × 300");
  await page.mouse.up();
  await page.keyboard.up("Shift");
  for (const [x, y] of [
    [400, 200],
    [300, 300],
    [500, 300],
    [400, 400],
  ])
    expect(await is(page, x, y, BLACK)).toBe(true);
  const cdp = await page.context().newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {[number, number][]} points */
  const touch = (type, points) =>
    cdp.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x, y, id })) });
  await touch("touchStart", [[700, 200]]);
  await touch("touchStart", [
    [700, 200],
    [300, 600],
  ]);
  for (let i = 1; i <= 10; i++)
    await touch("touchMove", [
      [700 + 20 * i, 200 + 5 * i],
      [300, 600],
    ]);
  await touch("touchEnd", []);
  for (const [x, y] of [
    [800, 200],
    [900, 300],
    [800, 400],
  ])
    expect(await is(page, x, y, BLACK)).toBe(true);

  await page.keyboard.press("d");
  await page.keyboard.press("2");
  // Ink beside the straight line, along 360 pixels.
  const beside = async () => {
    const row = decode(await page.screenshot({ clip: { x: 320, y: 561, width: 360, height: 1 }, scale: "css" }));
    return 360 - alike(row, PAPER, 61);
  };
  const bent = Array.from({ length: 41 }, (_, i) => ({ x: 300 + i * 10, y: 550 + Math.sin(i / 3) * 8 }));
  await drag(page, bent);
  expect(await beside()).toBeGreaterThan(20);
  await page.keyboard.press("Control+z");
  // Half a second of rest is what it is about.
  await page.mouse.move(bent[0].x, bent[0].y);
  await page.mouse.down();
  for (const { x, y } of bent.slice(1)) await page.mouse.move(x, y);
  await expect.poll(beside).toBe(0);
  await page.mouse.up();
  expect(await beside()).toBe(0);
  await page.keyboard.press("Control+z");
  expect(await beside()).toBeGreaterThan(20);
});

test("text is typed, seen by others, opened again, edited, and removed when it is empty", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Sefa");
  await page.keyboard.press("t");
  await page.mouse.click(300, 300);
  await page.keyboard.type("HIHIHIHI");
  // How much of a row of 120 pixels is not paper.
  const ink = async (/** @type {Page} */ who, /** @type {number} */ x, /** @type {number} */ y) => {
    const clip = { x: Math.round(x), y: Math.round(y), width: 120, height: 1 };
    const row = decode(await who.screenshot({ clip, scale: "css" }));
    return 120 - alike(row, PAPER, 12);
  };
  await page.locator("#typing:not(.unread)").waitFor();
  await expect.poll(() => ink(page, 300, 300)).toBeGreaterThan(10);
  const at = await seenAt(page, phone, 300, 300);
  await expect.poll(() => ink(phone, at.x, at.y)).toBeGreaterThan(10);
  // As wide as the browser's own layout of the same font: an engine that is not ours.
  const [ours, theirs] = await page.evaluate(async () => {
    const field = /** @type {HTMLTextAreaElement} */ (document.getElementById("typing"));
    const size = parseFloat(field.style.fontSize);
    await document.fonts.load(`${size}px "Atkinson Hyperlegible Next"`);
    const context = /** @type {CanvasRenderingContext2D} */ (document.createElement("canvas").getContext("2d"));
    context.font = `${size}px "Atkinson Hyperlegible Next"`;
    return [parseFloat(field.style.width) - size * 0.6, context.measureText("HIHIHIHI").width];
  });
  expect(Math.abs(ours - theirs) / theirs).toBeLessThan(0.01);
  // The size is what the back row reads well; made smaller, the stage says so and puts it right.
  const size = await page.locator("#typing-size").textContent();
  for (let i = 0; i < 3; i++) await page.locator("#typing-smaller").click();
  await page.locator("#typing-fit").click();
  await expect(page.locator("#typing-size")).toHaveText(size ?? "");
  await page.keyboard.press("Escape");
  await expect(page.locator("#typing")).toBeHidden();
  await page.reload();
  await ready(page);
  await expect.poll(() => ink(page, 300, 300)).toBeGreaterThan(10);
  await page.keyboard.press("t");
  await page.mouse.click(330, 300);
  await expect(page.locator("#typing")).toHaveValue("HIHIHIHI");
  await page.keyboard.press("Control+a");
  await page.keyboard.press("Delete");
  await page.mouse.click(800, 600);
  await expect(page.locator("#typing")).toBeHidden();
  await expect.poll(() => ink(page, 300, 300)).toBe(0);
  await page.keyboard.press("Control+z");
  await expect.poll(() => ink(page, 300, 300)).toBeGreaterThan(10);
});

test("a picture that is pasted lies on what is on stage: moved, cropped, captured", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Amrit");
  await page.evaluate(async () => {
    const canvas = new OffscreenCanvas(320, 180);
    const context = /** @type {OffscreenCanvasRenderingContext2D} */ (canvas.getContext("2d"));
    context.fillStyle = "#146b59";
    context.fillRect(0, 0, 320, 180);
    context.fillStyle = "#9db2ff";
    context.fillRect(160, 0, 160, 180);
    await navigator.clipboard.write([new ClipboardItem({ "image/png": await canvas.convertToBlob() })]);
  });
  const [green, blue] = [
    [20, 107, 89],
    [157, 178, 255],
  ];
  await page.keyboard.press("Control+v");
  await expect(page.locator("#selection")).toBeVisible();
  await expect.poll(() => is(page, 590, 360, green)).toBe(true);
  expect(await is(page, 690, 360, blue)).toBe(true);
  await drag(page, straight({ x: 640, y: 360 }, { x: 440, y: 260 }));
  await expect.poll(() => is(page, 390, 260, green)).toBe(true);
  const at = await seenAt(page, phone, 390, 260);
  await expect.poll(() => is(phone, at.x, at.y, green)).toBe(true);
  // The left handle crops the green half away.
  await page.getByRole("button", { name: "Crop" }).click();
  const grip = await page.locator("#selection .grip.w").boundingBox();
  if (!grip) throw new Error("no handle");
  await drag(page, straight({ x: grip.x + 22, y: grip.y + 22 }, { x: 442, y: grip.y + 22 }));
  await expect.poll(() => is(page, 390, 260, PAPER)).toBe(true);
  expect(await is(page, 490, 260, blue)).toBe(true);
  await page.keyboard.press("Escape");
  await page.keyboard.press("c");
  await drag(page, straight({ x: 380, y: 220 }, { x: 520, y: 300 }));
  const [answer] = await Promise.all([
    page.waitForResponse((r) => r.url().endsWith("/captures")),
    page.keyboard.press("Enter"),
  ]);
  const address = (await answer.text()).match(/data-picture="([^"]+)"/)?.[1];
  const taken = decode(await (await page.request.get(server.base + address)).body());
  const seen = (/** @type {number} */ fx) => {
    const i = (Math.round(taken.height / 2) * taken.width + Math.round(taken.width * fx)) * 4;
    return [...taken.data.subarray(i, i + 3)];
  };
  expect(apart(seen(0.1), PAPER)).toBeLessThan(3);
  expect(apart(seen(0.8), blue)).toBeLessThan(3);
});

test("while a pen is near, a hand that rests on the glass draws nothing", async ({ page }) => {
  await startNow(page, server.base);
  const cdp = await page.context().newCDPSession(page);
  const pen = { pointerType: /** @type {const} */ ("pen"), button: /** @type {const} */ ("left"), force: 0.5 };
  await cdp.send("Input.dispatchMouseEvent", { type: "mousePressed", x: 300, y: 200, clickCount: 1, ...pen });
  for (let x = 300; x <= 600; x += 10)
    await cdp.send("Input.dispatchMouseEvent", { type: "mouseMoved", x, y: 200, buttons: 1, ...pen });
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number} [x] */
  const palm = (type, x) =>
    cdp.send("Input.dispatchTouchEvent", { type, touchPoints: x === undefined ? [] : [{ x, y: 400, id: 1 }] });
  await palm("touchStart", 300);
  for (let x = 310; x <= 600; x += 10) await palm("touchMove", x);
  await palm("touchEnd");
  await cdp.send("Input.dispatchMouseEvent", { type: "mouseReleased", x: 600, y: 200, ...pen });
  expect(await is(page, 450, 200, BLACK)).toBe(true);
  expect(await is(page, 450, 400, PAPER)).toBe(true);
});

test("the rail stands at three edges, folds, slides, and locks everything but the pen", async ({ page }) => {
  await startNow(page, server.base);
  const rail = async () => {
    const box = await page.locator("#rail").boundingBox();
    if (!box) throw new Error("no rail");
    return box;
  };
  for (const [width, height] of [
    [1280, 800],
    [1920, 1080],
    [3840, 2160],
    [1080, 1920],
  ]) {
    await page.setViewportSize({ width, height });
    for (const edge of ["left", "right", "bottom"]) {
      await page.locator("#more").click();
      await page.locator(`#rail-${edge}`).click();
      await page.keyboard.press("Escape");
      const box = await rail();
      const glass = await page.locator("#glass").boundingBox();
      if (!glass) throw new Error("no glass");
      // Beside the picture, never over it.
      if (edge === "left") expect(glass.x).toBeGreaterThanOrEqual(box.x + box.width);
      if (edge === "right") expect(glass.x + glass.width).toBeLessThanOrEqual(box.x);
      if (edge === "bottom") expect(glass.y + glass.height).toBeLessThanOrEqual(box.y);
      const outside = await page.evaluate(() => {
        const rail = document.getElementById("rail")?.getBoundingClientRect();
        return [...document.querySelectorAll("#rail-tools button")]
          .filter((key) => {
            const k = key.getBoundingClientRect();
            const within =
              rail &&
              k.left >= rail.left - 1 &&
              k.top >= rail.top - 1 &&
              k.right <= rail.right + 1 &&
              k.bottom <= rail.bottom + 1;
            return k.width > 0 && !within;
          })
          .map((key) => key.id || key.ariaLabel);
      });
      expect(outside).toEqual([]);
      expect(box.x + box.width <= width && box.y + box.height <= height).toBe(true);
    }
  }
  await page.setViewportSize({ width: 1280, height: 852 });
  await page.locator("#more").click();
  await page.locator("#rail-left").click();
  await page.keyboard.press("Escape");
  const grip = page.locator("#rail-grip");
  const before = await grip.boundingBox();
  await grip.focus();
  const moved = page.waitForResponse((r) => r.url().endsWith("/settings/kept"));
  for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowUp");
  expect((await grip.boundingBox())?.y).toBeLessThan((before?.y ?? 0) - 5);
  await moved;
  const kept = page.waitForResponse((r) => r.url().endsWith("/settings/kept"));
  await grip.click();
  await expect(page.locator("#undo")).toBeHidden();
  expect((await page.locator("#glass").boundingBox())?.width).toBe(1280);
  await kept;
  await page.reload();
  await page.locator("body.ready").waitFor();
  await expect(page.locator("#undo")).toBeHidden();
  await page.locator("#rail-grip").click();
  await expect(page.locator("#undo")).toBeVisible();

  // The lock: a short press does nothing.
  await page.locator("#more").click();
  await page.locator("#lock").click();
  await expect(page.locator("#undo")).toBeVisible();
  await page.locator("#lock").hover();
  await page.mouse.down();
  await expect(page.locator("#undo")).toBeHidden({ timeout: 4000 });
  await page.mouse.up();
  for (const key of ["e", "2", "c", "Control+z"]) await page.keyboard.press(key);
  await drag(page, straight({ x: 500, y: 300 }, { x: 900, y: 300 }));
  expect(await is(page, 700, 300, BLACK)).toBe(true);
  await page.locator("#unlock").hover();
  await page.mouse.down();
  await expect(page.locator("#undo")).toBeVisible({ timeout: 4000 });
  await page.mouse.up();
});

test("keys are given anew, a taken one is refused by name; swatches that the last seat cannot see are put right", async ({
  page,
}) => {
  await startNow(page, server.base);
  await page.keyboard.press("?");
  await page.locator('button[data-deed="erase"]').click();
  await page.keyboard.press("d");
  await expect(page.locator("#keys-say")).toHaveText("D is the key of “Draw” already.");
  await page.locator('button[data-deed="erase"]').click();
  await page.keyboard.press(",");
  await expect(page.locator("#keys-say")).toHaveText("Kept: ,.");
  await page.locator("#help-close").click();
  await expect
    .poll(async () => (await page.request.get(`${server.base}/lessons/1/stage`)).text())
    .toContain("erase&#34;:&#34;,");
  await page.reload();
  await ready(page);
  await page.keyboard.press(",");
  await expect(page.locator("#erase")).toHaveAttribute("aria-pressed", "true");

  await page.goto(`${server.base}/settings`);
  await page.getByLabel("farthest seat").fill("no");
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(page.locator("main")).toContainText("Farthest seat: please give 0.5 to 100 m.");
  await page.goto(`${server.base}/settings`);
  await page.getByLabel("farthest seat").fill("18");
  await page.getByRole("button", { name: "Keep" }).click();
  await expect(page.locator(".kept")).toHaveText("Kept.");
  await page.goto(`${server.base}/lessons/1/stage`);
  await ready(page);
  const pen = page.locator("#swatches button").first();
  await expect(pen).toHaveAttribute("aria-label", /Too thin for the last seat at 18.0 m/);
  await edit(page, 0, () => page.locator("#swatch-legible").click());
  await expect(pen).not.toHaveAttribute("aria-label", /Too thin/);
  await expect(pen).not.toHaveClass(/short/);
});

test("a file that is dropped, and full screen", async ({ page }) => {
  await startNow(page, server.base);
  const drop = (/** @type {string} */ target) =>
    page.evaluate((selector) => {
      const svg =
        '<svg xmlns="http://www.w3.org/2000/svg" width="320" height="180"><rect width="320" height="180" fill="#146b59"/></svg>';
      const dataTransfer = new DataTransfer();
      dataTransfer.items.add(new File([svg], "berths.svg", { type: "image/svg+xml" }));
      document
        .querySelector(selector)
        ?.dispatchEvent(new DragEvent("drop", { dataTransfer, bubbles: true, clientX: 640, clientY: 360 }));
    }, target);
  await drop("#glass");
  await expect.poll(() => is(page, 640, 360, [20, 107, 89])).toBe(true);
  await expect(page.locator("#backdrop-place")).toHaveText("1 of 1");
  await drop("#rail");
  await expect(page.locator("#backdrop-name")).toHaveText("berths");
  await page.keyboard.press("z");
  await expect.poll(() => page.evaluate(() => document.fullscreenElement !== null)).toBe(true);
  await page.keyboard.press("z");
  await expect.poll(() => page.evaluate(() => document.fullscreenElement !== null)).toBe(false);
});

test("marks are saved as SVG and as InkML, and read again", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("3");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  await page.keyboard.press("j");
  await page.mouse.click(500, 500);
  await expect
    .poll(async () => (await page.request.get(`${server.base}/lessons/1/backdrops/1/marks.svg`)).text())
    .toContain("<path");
  for (const [id, stamp] of /** @type {[string, boolean][]} */ ([
    ["save-svg", true],
    ["save-inkml", false],
  ])) {
    await page.locator("#more").click();
    const [download] = await Promise.all([page.waitForEvent("download"), page.locator(`#${id}`).click()]);
    const path = await download.path();
    expect(download.suggestedFilename()).toMatch(/^Board\.(svg|inkml)$/);
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: "Wipe" }).click();
    expect(await is(page, 420, 300, PAPER)).toBe(true);
    await page.locator("#marks-file").setInputFiles(path);
    await expect.poll(() => is(page, 420, 300, BLUE)).toBe(true);
    await page.keyboard.press("Escape");
    const ink = decode(await page.screenshot({ clip: { x: 470, y: 470, width: 60, height: 60 } }));
    expect(alike(ink, BLUE, 12) > 20).toBe(stamp);
    await page.keyboard.press("Control+z");
    await page.keyboard.press("Control+z");
    await expect.poll(() => is(page, 420, 300, BLUE)).toBe(true);
  }
  await page
    .locator("#marks-file")
    .setInputFiles({ name: "words.inkml", mimeType: "text/xml", buffer: Buffer.from("only words") });
  await expect(page.locator("#says")).toContainText("This is not an InkML file that can be read");
});

test("a level line is pulled along, not blown up", async ({ page }) => {
  await startNow(page, server.base);
  await page.locator("#shapes").click();
  await page.locator("#figures").getByRole("button", { name: "line", exact: true }).click();
  await drag(page, straight({ x: 300, y: 300 }, { x: 800, y: 300 }));
  await page.keyboard.press("s");
  await page.mouse.click(500, 300);
  const bar = await page.locator("#selection-bar").boundingBox();
  for (const grip of ["e", "w", "nw", "ne", "se", "sw"]) {
    const at = await page.locator(`#selection .grip.${grip}`).boundingBox();
    if (!at || !bar) throw new Error(`no grip ${grip}`);
    expect(at.y + at.height <= bar.y || at.y >= bar.y + bar.height, `${grip} beside the bar`).toBe(true);
  }
  await expect(page.locator("#selection .grip.n")).toBeHidden();
  const corner = await page.locator("#selection .grip.se").boundingBox();
  if (!corner) throw new Error("no corner");
  const from = { x: corner.x + 22, y: corner.y + 22 };
  await drag(page, straight(from, { x: from.x + 60, y: from.y + 60 }, 6));
  const { width, height } = (await page.locator("#selection").boundingBox()) ?? { width: 0, height: 0 };
  expect(width).toBeGreaterThan(540);
  expect(width).toBeLessThan(640);
  expect(height).toBeLessThan(100);
});

test("on a dark board the pens at hand are light", async ({ page, browser }) => {
  await startNow(page, server.base);
  await page.locator("#order").click();
  await page.locator("#board-surface").selectOption("slate");
  await page.locator("[data-board='plain']").click();
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  await expect(page.locator("#in-hand")).toHaveText("White writing pen");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  await expect.poll(async () => apart(await colour(page, 500, 300), [255, 255, 255])).toBeLessThan(12);
  await page.keyboard.press("PageUp");
  await expect(page.locator("#in-hand")).toHaveText("Black writing pen");
  await page.keyboard.press("PageDown");
  await expect(page.locator("#in-hand")).toHaveText("White writing pen");
  // A highlighter lights the board up and leaves white writing white; followers and captures have it so.
  const phone = await follow(browser, page, "Nino");
  await page.keyboard.press("1");
  await drag(page, straight({ x: 300, y: 400 }, { x: 700, y: 400 }));
  await page.keyboard.press("4");
  await expect(page.locator("#in-hand")).toHaveText("Yellow highlighter");
  await drag(page, straight({ x: 500, y: 300 }, { x: 500, y: 500 }, 20));
  await drag(page, straight({ x: 300, y: 400 }, { x: 480, y: 400 }, 20));
  const lit = [102, 104, 63];
  for (const [who, { x, y }] of /** @type {[Page, { x: number, y: number }][]} */ ([
    [page, { x: 500, y: 350 }],
    [phone, await seenAt(page, phone, 500, 350)],
  ])) {
    await expect.poll(async () => apart(await colour(who, x, y), lit)).toBeLessThan(6);
  }
  expect(apart(await colour(page, 400, 400), [255, 255, 255])).toBeLessThan(40);
  const file = await capture(page, { x: 480, y: 320 }, { x: 520, y: 380 });
  const { width, height, data } = decode(file);
  const middle = (Math.floor(height / 2) * width + Math.floor(width / 2)) * 4;
  expect(apart([...data.subarray(middle, middle + 3)], await colour(page, 500, 350))).toBeLessThan(3);
});

test("a pen that trembles and reports without pause is held still all the same", async ({ page }) => {
  await startNow(page, server.base);
  const cdp = await page.context().newCDPSession(page);
  const pen = { pointerType: /** @type {const} */ ("pen"), button: /** @type {const} */ ("left") };
  await page.keyboard.press("2");
  const bent = Array.from({ length: 41 }, (_, i) => ({ x: 300 + i * 10, y: 300 + Math.sin(i / 3) * 8 }));
  /** Ink beside the straight line. */
  const beside = async () => {
    const row = decode(await page.screenshot({ clip: { x: 320, y: 311, width: 360, height: 1 }, scale: "css" }));
    return 360 - alike(row, PAPER, 61);
  };
  await cdp.send("Input.dispatchMouseEvent", { type: "mousePressed", ...bent[0], clickCount: 1, force: 0.4, ...pen });
  for (const p of bent.slice(1))
    await cdp.send("Input.dispatchMouseEvent", { type: "mouseMoved", ...p, buttons: 1, force: 0.5, ...pen });
  expect(await beside()).toBeGreaterThan(20);
  let n = 0;
  await expect
    .poll(
      async () => {
        for (let i = 0; i < 6; i++, n++)
          await cdp.send("Input.dispatchMouseEvent", {
            type: "mouseMoved",
            x: 700 + 0.4 * Math.sin(n),
            y: bent[40].y + 0.3 * Math.cos(n * 1.7),
            buttons: 1,
            force: 0.45 + 0.1 * Math.sin(n / 3),
            ...pen,
          });
        return beside();
      },
      { intervals: [0] },
    )
    .toBe(0);
  await cdp.send("Input.dispatchMouseEvent", { type: "mouseReleased", x: 700, y: bent[40].y, ...pen });
  await expect(page.locator("#undo")).toBeEnabled();
  expect(await beside()).toBe(0);
});

test("on a board for two both drag figures at once, each their own, and neither is a square for the other's finger", async ({
  browser,
}) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 852 }, hasTouch: true });
  const page = await context.newPage();
  await startNow(page, server.base);
  await page.locator("#order").click();
  await page.locator("#board-halved").check();
  await page.locator("[data-board='plain']").click();
  await expect(page.locator("#row-left")).toBeVisible();
  await page.keyboard.press("h");
  await page.locator("#shapes").click();
  await page.locator("#figures").getByRole("button", { name: "box" }).click();
  const cdp = await context.newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {{ x: number, y: number, id: number }[]} touchPoints */
  const touch = (type, touchPoints) => cdp.send("Input.dispatchTouchEvent", { type, touchPoints });
  const left = (/** @type {number} */ t) => ({ x: 100 + 300 * t, y: 200 + 100 * t, id: 1 });
  const right = (/** @type {number} */ t) => ({ x: 1100 - 300 * t, y: 500 - 120 * t, id: 2 });
  await touch("touchStart", [left(0)]);
  await touch("touchMove", [left(0.2)]);
  await touch("touchStart", [left(0.2), right(0)]);
  for (let i = 3; i <= 10; i++) await touch("touchMove", [left(i / 10), right(i / 10)]);
  await touch("touchEnd", [right(1)]);
  await touch("touchEnd", []);
  /** Whether an edge is there: a thin line may be a pixel off. @param {number} x @param {number} y @param {number[]} ink */
  const edge = async (x, y, ink) => {
    for (const d of [0, 1, -1, 2, -2]) if (await is(page, x, y + d, ink)) return true;
    return false;
  };
  await expect.poll(() => edge(250, 300, BLUE)).toBe(true);
  expect(await edge(250, 200, BLUE)).toBe(true);
  await expect.poll(() => edge(950, 380, VERMILION)).toBe(true);
  expect(await edge(950, 500, VERMILION)).toBe(true);
});

test("six thousand strokes read from a file reach everybody, are undone as one, and doubled", async ({
  page,
  browser,
}, info) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Tomasz");
  // Small waves, over the whole board: 1.7 MB.
  const trace = (/** @type {number} */ n) =>
    Array.from(
      { length: 20 },
      (_, i) => `${20 + (n % 100) * 18 + i * 0.7} ${20 + Math.floor(n / 100) * 17 + 4 * Math.sin(i / 4)}`,
    ).join(", ");
  const traces = Array.from({ length: 6000 }, (_, n) => `<trace>${trace(n)}</trace>`).join("\n");
  const file = info.outputPath("many.inkml");
  writeFileSync(
    file,
    `<ink xmlns="http://www.w3.org/2003/InkML"><traceFormat><channel name="X" units="px"/><channel name="Y" units="px"/></traceFormat>${traces}</ink>`,
  );
  await page.locator("#marks-file").setInputFiles(file);
  await expect(page.locator("#selection")).toBeVisible();
  const last = await seenAt(page, phone, (20 + 99 * 18 + 7) * (1280 / 1920), (20 + 59 * 17) * (1280 / 1920));
  /** The darkest of some rows: the line is thin. @param {Page} who @param {number} x @param {number} y */
  const dark = async (who, x, y) =>
    Math.max(
      ...(await Promise.all([-3, -2, -1, 0, 1, 2, 3].map(async (dy) => apart(await colour(who, x, y + dy), PAPER)))),
    );
  await expect.poll(() => dark(phone, last.x, last.y)).toBeGreaterThan(60);
  // Nothing waits any more: a capture is taken at once.
  await page.keyboard.press("Escape");
  const shot = await capture(page, { x: 20, y: 20 }, { x: 220, y: 120 });
  expect(decode(shot).width).toBeGreaterThan(200);
  await page.keyboard.press("Control+z");
  await expect.poll(() => dark(phone, last.x, last.y)).toBeLessThan(20);
  await expect(page.locator("#undo")).toBeDisabled();
  await page.keyboard.press("Control+Shift+z");
  await expect.poll(() => dark(phone, last.x, last.y)).toBeGreaterThan(60);
  // Doubled there are more than one change may hold: that is said, and nothing of it is shown.
  await page.keyboard.press("s");
  await page.keyboard.press("Control+a");
  await page.getByRole("button", { name: "Duplicate" }).click();
  await page.keyboard.press("Control+a");
  await page.getByRole("button", { name: "Duplicate" }).click();
  await expect(page.locator("#says")).toContainText("too much");
  await page.reload();
  await ready(page);
  await expect
    .poll(() =>
      page.evaluate(
        () =>
          new Promise((done) => {
            const open = indexedDB.open("bozzetto", 1);
            open.onsuccess = () => {
              const all = open.result.transaction("unacknowledged").objectStore("unacknowledged").count();
              all.onsuccess = () => done(all.result);
            };
          }),
      ),
    )
    .toBe(0);
});
