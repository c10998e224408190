// @ts-check
// Capturing: a box that snaps, figures proposed, an outline, a pane, the stage; by hand and by keys.

import { readFileSync } from "node:fs";
import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { apart, boxSize, decode, drag, painted, pixel, startNow, straight } from "../stage.js";
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

/** A picture of paper with a window on it, and a figure in that: x0, y0, x1, y1. */
const SIZE = { width: 1600, height: 900 };
const WINDOW = [300, 180, 1100, 700];
const FIGURE = [420, 300, 760, 560];
const INK = [28, 60, 92];

/** @param {Page} page */
async function showWindow(page) {
  const buffer = await painted(
    page,
    SIZE,
    (context, [size, [x0, y0, x1, y1], [a, b, c, d], [r, g, blue]]) => {
      context.fillStyle = "#f4f4f2";
      context.fillRect(0, 0, size.width, size.height);
      context.fillStyle = "#ffffff";
      context.fillRect(x0, y0, x1 - x0, y1 - y0);
      context.fillStyle = `rgb(${r} ${g} ${blue})`;
      context.fillRect(a, b, c - a, d - b);
      context.font = "22px sans-serif";
      for (let line = 0; line < 4; line++)
        context.fillText("the light shows white over the fairway", 430, 610 + line * 24);
    },
    /** @type {const} */ ([SIZE, WINDOW, FIGURE, INK]),
  );
  await page.locator("#picture-file").setInputFiles({ name: "Window.png", mimeType: "image/png", buffer });
  await expect(page.locator("#backdrop-name")).toHaveText("Window");
  await expect
    .poll(() => page.locator(".pane:not(.away) img").evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth))
    .toBe(SIZE.width);
}

/** Where a place of the picture is on the screen. @param {Page} page */
async function onScreen(page) {
  const box = await page.locator("#picture").boundingBox();
  if (!box) throw new Error("no picture");
  const by = Math.min(box.width / SIZE.width, box.height / SIZE.height);
  const [left, top] = [box.x + (box.width - by * SIZE.width) / 2, box.y + (box.height - by * SIZE.height) / 2];
  return (/** @type {number} */ x, /** @type {number} */ y) => ({ x: left + x * by, y: top + y * by });
}

/** The file of the newest proof. @param {Page} page */
async function taken(page) {
  const link = page.locator(".proof").first().getByRole("link", { name: "Download" });
  const [download] = await Promise.all([page.waitForEvent("download"), link.click()]);
  return readFileSync(await download.path());
}

test("a box that is drawn roughly lies on the window's edges; a tap proposes the figure, then what is round it", async ({
  page,
}) => {
  await startNow(page, server.base);
  await showWindow(page);
  const at = await onScreen(page);
  const [x0, y0, x1, y1] = WINDOW;
  const rough = [at(x0 - 7, y0 + 8), at(x1 + 6, y1 - 9)];
  // Any edge is met to the pixel, from the outside and from within.
  await page.keyboard.press("c");
  await page.mouse.move(rough[0].x, rough[0].y);
  await page.mouse.down();
  await page.mouse.move(rough[1].x, rough[1].y, { steps: 4 });
  await expect(page.locator("#box-lines i")).toHaveCount(4);
  await expect(page.locator("#loupe")).toBeVisible();
  await page.mouse.up();
  await expect(page.locator("#loupe")).toBeHidden();
  await expect.poll(() => boxSize(page)).toBe("800 × 520");
  await page.keyboard.press("Enter");
  const file = decode(await taken(page));
  expect([file.width, file.height]).toEqual([800, 520]);
  // Exactly this, nothing else: all four corners are the window's, none is paper.
  for (const [x, y] of [
    [0, 0],
    [799, 0],
    [0, 519],
    [799, 519],
  ])
    expect([...file.data.subarray((y * 800 + x) * 4, (y * 800 + x) * 4 + 4)]).toEqual([255, 255, 255, 255]);

  // With Alt it lies where it was drawn.
  await page.keyboard.press("c");
  await page.keyboard.down("Alt");
  await drag(page, straight(rough[0], rough[1], 4));
  await page.keyboard.up("Alt");
  expect(await boxSize(page)).not.toBe("800 × 520");
  await page.keyboard.press("Escape");

  // A tap takes the figure, another one the next larger; the last box comes again.
  await page.keyboard.press("c");
  const figure = at(600, 400);
  await page.mouse.click(figure.x, figure.y);
  await expect.poll(() => boxSize(page)).toBe("340 × 260");
  await page.mouse.click(figure.x, figure.y);
  await expect.poll(() => boxSize(page)).toBe("800 × 520");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Shift+C");
  await expect.poll(() => boxSize(page)).toBe("800 × 520");
  await page.keyboard.press("Escape");
});

test("a box is trimmed, given a shape and a size, and taken by keys alone", async ({ page }) => {
  await startNow(page, server.base);
  await showWindow(page);
  const at = await onScreen(page);
  // What had the focus before does not get Enter.
  await page.locator("#people").click();
  await page.keyboard.press("Escape");
  await page.keyboard.press("c");
  await page.keyboard.press("Enter");
  await expect(page.locator("#capture-hint")).toBeVisible();
  await expect(page.locator("#people-panel")).toBeHidden();
  await page.keyboard.press("Escape");
  await page.keyboard.press("c");
  await page.keyboard.down("Alt");
  await drag(page, straight(at(350, 240), at(800, 590), 4));
  await page.keyboard.up("Alt");
  await page.keyboard.press("t");
  await expect.poll(() => boxSize(page)).toBe("340 × 260");
  await page.locator("#box-aspect").selectOption({ label: "1 : 1" });
  await expect.poll(() => boxSize(page)).toBe("340 × 340");
  // It keeps its shape when a grip is pulled.
  const grip = await page.locator("#box .grip.e").boundingBox();
  if (!grip) throw new Error("no grip");
  await page.keyboard.down("Alt");
  await drag(page, straight({ x: grip.x + 22, y: grip.y + 22 }, { x: grip.x + 62, y: grip.y + 22 }, 4));
  await page.keyboard.up("Alt");
  const [w, h] = (await boxSize(page)).split(" × ").map(Number);
  expect(Math.abs(w - h)).toBeLessThanOrEqual(1);
  expect(w).toBeGreaterThan(380);
  await page.locator("#box-aspect").selectOption({ label: "Any shape" });
  await page.locator("#box-width").fill("600");
  await page.locator("#box-height").fill("400");
  await page.keyboard.press("Enter");
  await expect.poll(() => boxSize(page)).toBe("600 × 400");
  expect((await new AxeBuilder({ page }).include("#row").analyze()).violations).toEqual([]);
  await page.keyboard.press("Escape");
  // From start to end by keys.
  await page.keyboard.press("c");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Shift+Alt+ArrowDown");
  const size = await boxSize(page);
  await page.keyboard.press("Enter");
  const file = decode(await taken(page));
  expect(`${file.width} × ${file.height}`).toBe(size);
});

test("an outline is closed, and lets through what lies outside, hard or softly", async ({ page }) => {
  await startNow(page, server.base);
  await showWindow(page);
  const at = await onScreen(page);
  /** All but the last eighth of a circle round the figure's middle. */
  const round = Array.from({ length: 60 }, (_, i) => {
    const turn = (i / 60) * (7 / 4) * Math.PI;
    return at(590 + 120 * Math.cos(turn), 430 + 120 * Math.sin(turn));
  });
  for (const soft of [false, true]) {
    await page.keyboard.press("x");
    await page.locator("#outline-soft").setChecked(soft);
    await page.mouse.move(round[0].x, round[0].y);
    await page.mouse.down();
    for (const place of round) await page.mouse.move(place.x, place.y);
    await expect(page.locator("#outline .closing")).toHaveAttribute("d", /^M.+L/);
    await page.mouse.up();
    await page.keyboard.press("Enter");
    await expect(page.locator(".proof").first()).toContainText("kept in Captures");
    const { width, height, data } = decode(await taken(page));
    const alpha = (/** @type {number} */ x, /** @type {number} */ y) =>
      data[(Math.floor(y) * width + Math.floor(x)) * 4 + 3];
    expect(Math.abs(width - height)).toBeLessThan(4);
    expect([alpha(1, 1), alpha(width - 2, height - 2), alpha(width / 2, height / 2)]).toEqual([0, 0, 255]);
    const middle = (Math.floor(height / 2) * width + Math.floor(width / 2)) * 4;
    expect([...data.subarray(middle, middle + 3)]).toEqual(INK);
    // How many pixels of the middle row are neither in nor out.
    const between = Array.from({ length: width }, (_, x) => alpha(x, height / 2)).filter((a) => a > 8 && a < 247);
    if (soft) expect(between.length).toBeGreaterThan(16);
    else expect(between.length).toBeLessThan(6);
    await page.keyboard.press("Escape");
  }
  // A tap encloses nothing, nor does a line: there is nothing to take.
  await page.keyboard.press("x");
  await page.mouse.click(round[0].x, round[0].y);
  await expect(page.locator("#capture-take")).toBeDisabled();
  await drag(page, straight(at(300, 300), at(900, 360)));
  await expect(page.locator("#capture-hint")).toHaveText("That line encloses nothing: draw it round something");
  await expect(page.locator("#capture-take")).toBeDisabled();
  await page.keyboard.press("Escape");
});

test("of two panes the one that is touched is lit and taken; the stage is taken at once", async ({ page }) => {
  const lesson = await startNow(page, server.base);
  await showWindow(page);
  await page.locator("#order").click();
  await page.locator("#order-list button.beside").first().click();
  await expect(page.locator(".pane:not(.away)")).toHaveCount(2);
  const whole = await page.locator("#picture").boundingBox();
  if (!whole) throw new Error("no picture");
  await page.keyboard.press("b");
  await page.mouse.move(whole.x + whole.width * 0.25, whole.y + whole.height / 2);
  const lit = await page.locator("#lit").boundingBox();
  expect((lit?.x ?? 0) + (lit?.width ?? 0)).toBeLessThan(whole.x + whole.width * 0.52);
  await page.mouse.click(whole.x + whole.width * 0.25, whole.y + whole.height / 2);
  const pane = decode(await taken(page));
  // The picture alone, pixel by pixel: no bar above or below it.
  expect([pane.width, pane.height]).toEqual([SIZE.width, SIZE.height]);
  expect(apart([...pane.data.subarray(0, 3)], [244, 244, 242])).toBe(0);
  await page.keyboard.press("Escape");

  await page.keyboard.press("v");
  await expect(page.locator(".proof")).toHaveCount(1);
  const stage = await taken(page);
  const { width, height } = decode(stage);
  expect(Math.abs(width / height - whole.width / whole.height)).toBeLessThan(0.01);
  expect(apart(pixel(stage, Math.floor(width * 0.1), Math.floor(height / 2)), [244, 244, 242])).toBeLessThan(14);
  await page.goto(`${server.base}/lessons/${lesson}/captures`);
  await expect(page.locator(".capture .small-line").nth(0)).toContainText("Pane");
  await expect(page.locator(".capture .small-line").nth(1)).toContainText("Stage");
});

test("by touch alone: each way of taking, and what becomes of it", async ({ browser }) => {
  const context = await browser.newContext({ hasTouch: true, viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  await startNow(page, server.base);
  await showWindow(page);
  const at = await onScreen(page);
  const client = await context.newCDPSession(page);
  /** @param {{ x: number, y: number }[]} way */
  const pull = async (way) => {
    const touch = (
      /** @type {"touchStart" | "touchMove" | "touchEnd"} */ type,
      /** @type {typeof way} */ touchPoints,
    ) => client.send("Input.dispatchTouchEvent", { type, touchPoints });
    await touch("touchStart", [way[0]]);
    for (const place of way) await touch("touchMove", [place]);
    // It rests before it is lifted: the browser takes no tap for one that follows a flick.
    await page.waitForTimeout(100);
    await touch("touchEnd", []);
  };
  /** @param {string} key @param {() => Promise<unknown>} show @param {string} way */
  const taken = async (key, show, way) => {
    await page.locator("#capture").tap();
    await page.locator(`#way-${key}`).tap();
    await show();
    const proof = page.locator(`.proof[data-way="${way}"]`);
    await expect(proof).toHaveCount(1);
    return proof;
  };
  const take = () => page.locator("#capture-take").tap();
  const box = await taken("box", () => pull(straight(at(305, 205), at(1095, 715), 6)).then(take), "box");
  await box.getByRole("button", { name: "Hand out" }).tap();
  await expect(box).toContainText("handed out");
  await box.getByRole("button", { name: "Discard" }).tap();
  await expect(page.locator('.proof[data-way="box"]')).toHaveCount(0);
  const corners = [at(400, 300), at(900, 320), at(800, 600), at(420, 560)];
  const round = corners.flatMap((corner, i) => straight(corner, corners[(i + 1) % 4], 8));
  await taken("outline", () => pull(round).then(take), "outline");
  await taken("pane", () => page.touchscreen.tap(at(700, 400).x, at(700, 400).y), "pane");
  const stage = await taken("stage", take, "stage");
  await stage.getByRole("button", { name: "Place" }).tap();
  await expect(page.locator("#selection")).toBeVisible();
});

test("what lay over the picture at that moment is left out of a capture, and comes back, whatever happened since", async ({
  page,
}) => {
  await startNow(page, server.base);
  await showWindow(page);
  const at = await onScreen(page);
  await page.keyboard.press("2");
  await drag(page, straight(at(350, 220), at(1000, 220)));
  await page.keyboard.press("k");
  await page.keyboard.press("v");
  const proof = page.locator(".proof").first();
  const [marks, clocks] = [proof.getByLabel("Marks"), proof.getByLabel("Clocks")];
  await expect(marks).toBeChecked();
  await expect(clocks).toBeChecked();
  // There is no ruler: nothing to leave out.
  await expect(proof.getByLabel("Instruments")).toHaveCount(0);
  /** Pixels of the file that are not the picture's own, of its upper half and of all. */
  const laid = async () => {
    const { width, height, data } = decode(await taken(page));
    const count = (/** @type {(r: number, g: number, b: number) => boolean} */ is) => {
      let n = 0;
      for (let i = 0; i < width * height * 4; i += 4) if (is(data[i], data[i + 1], data[i + 2])) n++;
      return n;
    };
    // Vermilion ink, and the clock's dark face.
    return {
      ink: count((r, g, b) => r > 180 && g < 120 && b < 60),
      face: count((r, g, b) => r < 45 && g < 55 && b < 60),
    };
  };
  const whole = await laid();
  expect(whole.ink).toBeGreaterThan(1000);
  expect(whole.face).toBeGreaterThan(5000);
  // What happens on the stage meanwhile is no part of that moment.
  await drag(page, straight(at(350, 260), at(1000, 260)));
  /** Has it in or not, and waits for the picture that is made then. @param {typeof marks} part @param {boolean} is */
  const choose = async (part, is) => {
    const before = (await proof.locator("img").getAttribute("src")) ?? "";
    await part.setChecked(is);
    await expect(proof.locator("img")).not.toHaveAttribute("src", before);
    await expect(part).toBeChecked({ checked: is });
  };
  await choose(marks, false);
  await expect(clocks).toBeChecked();
  const unmarked = await laid();
  expect(unmarked.ink).toBe(0);
  // The ink's rim is as dark as the face.
  expect(unmarked.face).toBeGreaterThan(0.9 * whole.face);
  await choose(clocks, false);
  const bare = await laid();
  expect(bare.ink).toBe(0);
  expect(bare.face).toBeLessThan(2000);
  // The stage is wiped: the capture still knows.
  await page.locator("#wipe").click();
  await choose(marks, true);
  await choose(clocks, true);
  expect(await laid()).toEqual(whole);
});
