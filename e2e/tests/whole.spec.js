// @ts-check
// Captures of what is not in view, of all backdrops, later, again and again, and before a wipe.

import { Server } from "../server.js";
import { alike, apart, colour, decode, drag, painted, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start();
});
test.afterEach(async () => {
  await server.stop();
});

const SIZE = { width: 1600, height: 900 };
const INK = [0, 0, 0];

/** Puts a picture of two halves on stage. @param {Page} page */
async function show(page) {
  const buffer = await painted(
    page,
    SIZE,
    (context, { width, height }) => {
      for (const [n, colour] of ["#1c6ccc", "#e0b040"].entries()) {
        context.fillStyle = colour;
        context.fillRect((n * width) / 2, 0, width / 2, height);
      }
    },
    SIZE,
  );
  await page.locator("#picture-file").setInputFiles({ name: "Halves.png", mimeType: "image/png", buffer });
  await expect(page.locator("#backdrop-name")).toHaveText("Halves");
}

/** The newest proof's picture. @param {Page} page @param {number} number how many proofs there are */
async function proof(page, number = 1) {
  const proofs = page.locator(".proof");
  // What is taken is as large as a picture gets: a busy machine takes its time.
  await expect(proofs).toHaveCount(number, { timeout: 90_000 });
  const address = await proofs.first().getAttribute("data-picture");
  return decode(await (await page.request.get(server.base + address)).body());
}

/** @param {ReturnType<typeof decode>} file @param {number} x @param {number} y */
const at = ({ width, data }, x, y) => [...data.subarray((y * width + x) * 4, (y * width + x) * 4 + 3)];

test("a backdrop is taken whole, also what is not in view, with what is written beside and below it", async ({
  page,
}) => {
  await startNow(page, server.base);
  await show(page);
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no picture");
  // A thick line in the right half, and one that only the glass holds; then only the left half is in view.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 900, y: 300 }, { x: 1200, y: 300 }));
  await page.keyboard.press("Space");
  await page.mouse.move(glass.x + 10, glass.y + 10);
  for (let i = 0; i < 8; i++) await page.mouse.wheel(0, -300);
  await page.keyboard.press("d");
  await page.keyboard.press("Shift+V");
  await page.keyboard.press("Enter");
  const file = await proof(page);
  expect([file.width, file.height]).toEqual([SIZE.width, SIZE.height]);
  expect(at(file, 200, 700)).toEqual([0x1c, 0x6c, 0xcc]);
  expect(at(file, 1500, 700)).toEqual([0xe0, 0xb0, 0x40]);
  const scale = SIZE.width / glass.width;
  const [x, y] = [(1050 - glass.x) * scale, (300 - glass.y) * scale].map(Math.round);
  expect(apart(at(file, x, y), [0xe0, 0xb0, 0x40])).toBeGreaterThan(60);
  await page.keyboard.press("Escape");

  // A board goes on below: so does the capture, and all its pages are taken, one after the other.
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).not.toHaveText("Halves");
  await page.keyboard.press("1");
  await page.keyboard.press("Space");
  await page.mouse.move(640, 300);
  await page.mouse.wheel(0, 400);
  await page.keyboard.press("d");
  await drag(page, straight({ x: 300, y: 600 }, { x: 900, y: 600 }));
  await page.keyboard.press("+");
  await expect(page.locator("#page-shown")).toHaveText(/2/);
  await page.keyboard.press("Shift+V");
  await page.getByLabel("All 2 pages").check();
  await page.locator("#capture-take").click();
  const second = await proof(page, 2);
  const first = page.locator(".proof").nth(1);
  const below = decode(await (await page.request.get(server.base + (await first.getAttribute("data-picture")))).body());
  expect(below.height / below.width).toBeGreaterThan(second.height / second.width + 0.02);
  await expect(page.locator(".proof").first()).toContainText("page 2");
});

test("all backdrops are taken at once, and what cannot be is said", async ({ page }) => {
  await startNow(page, server.base);
  const lesson = page.url().replace(/\/stage.*/, "");
  await show(page);
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).not.toHaveText("Halves");
  await page.goto(`${lesson}/captures`);
  await page.getByRole("button", { name: "Take all backdrops" }).click();
  await expect(page.locator("#captures-all")).toContainText("no still backdrop is marked");
  await page.getByLabel("Only what is marked").uncheck();
  await page.getByRole("button", { name: "Take all backdrops" }).click();
  const all = page.locator("#captures-all [role=status]");
  await expect(all).toHaveText(/^3 of 3 taken\.$/, { timeout: 90_000 });
  await expect(page.locator(".capture")).toHaveCount(3);
});

test("later, again and again until it is stopped, and before each wipe", async ({ page }) => {
  await page.goto(`${server.base}/settings`);
  await page.getByLabel("is taken before each wipe").check();
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await startNow(page, server.base);
  await page.keyboard.press("1");
  await page.keyboard.press("c");
  await page.keyboard.press("Alt+ArrowRight");
  await page.locator("#capture-when").selectOption("in 3 s");
  await page.locator("#capture-take").click();
  // What is drawn meanwhile is in it.
  await expect(page.locator("#timed-says")).toHaveText(/^Taken in \d s$/);
  await drag(page, straight({ x: 300, y: 360 }, { x: 1000, y: 360 }));
  const later = await proof(page);
  await expect(page.locator("#row-timed")).toBeHidden();
  expect(dark(later)).toBeGreaterThan(100);

  await page.keyboard.press("Shift+V");
  await page.locator("#capture-when").selectOption("every 5 s");
  await page.locator("#capture-take").click();
  await expect(page.locator("#timed-says")).toHaveText(/^2 taken/);
  await page.getByRole("button", { name: "Stop taking" }).click();
  await expect(page.locator("#row-timed")).toBeHidden();

  // The wipe takes what it removes.
  for (let i = 0; i < 2; i++) await page.locator('.proof [data-do="close-proof"]').first().click();
  await page.locator("#wipe").click();
  expect(dark(await proof(page))).toBeGreaterThan(100);
  await expect.poll(async () => apart(await colour(page, 640, 360), INK)).toBeGreaterThan(150);
});

test("what becomes of captures is set at the proof and in the settings, for each way of taking", async ({
  page,
  context,
}) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  await startNow(page, server.base);
  const lesson = page.url().replace(/\/stage.*/, "");
  const says = page.locator("#says");
  await page.keyboard.press("v");
  await page.getByLabel("What becomes of captures like this").selectOption("keep it and hand it out");
  await page.keyboard.press("Escape");
  await page.keyboard.press("v");
  await expect(says).toHaveText(/: handed out, and kept in Captures\.$/);
  await expect(page.locator(".proof")).toHaveCount(0);
  // Another way still asks.
  await page.keyboard.press("Shift+V");
  await page.keyboard.press("Enter");
  await expect(page.locator(".proof")).toHaveCount(1);
  await page.keyboard.press("Escape");

  const other = await context.newPage();
  await other.goto(`${server.base}/settings`);
  await expect(other.getByLabel("After the stage")).toHaveValue("hand-out");
  await other.getByLabel("After the stage").selectOption("keep and copy it");
  await other.getByLabel("After a whole backdrop").selectOption("keep and place it");
  await other.getByRole("button", { name: "Keep", exact: true }).click();
  await other.goto(`${lesson}/captures`);
  await expect(other.locator(".capture.out")).toHaveCount(1);
  await expect(other.locator(".capture")).toHaveCount(3);
  await other.close();

  await page.bringToFront();
  await page.keyboard.press("v");
  await expect(says).toHaveText(/: kept in Captures\. Copied\. It can be pasted anywhere\.$/);
  const width = await page.evaluate(async () => {
    const [item] = await navigator.clipboard.read();
    return (await createImageBitmap(await item.getType("image/png"))).width;
  });
  expect(width).toBeGreaterThan(1000);
  await page.keyboard.press("Shift+V");
  await page.keyboard.press("Enter");
  await expect(says).toHaveText(/^Placed on .*, and kept in Captures\.$/);
  await expect(page.locator("#selection")).toBeVisible();
});

/** How many pixels have ink on them. @param {ReturnType<typeof decode>} file */
function dark(file) {
  return alike(file, INK, 60);
}
