// @ts-check
// The bench: a capture cut anew, turned, made upright, hidden in part; and nothing that is hidden left anywhere.

import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { apart, colour, decode, drag, follow, painted, places, sees, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */
/** @typedef {[number, number]} Place in parts of the whole picture */

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start();
});
test.afterEach(async () => {
  await server.stop();
});

/** A picture of four colours, one in each quarter, with a secret in the middle of the first. */
const SIZE = { width: 1600, height: 900 };
const QUARTERS = ["#1c3c5c", "#c05020", "#207050", "#d0b040"];
const SECRET = "#e01090";

/** @typedef {{ colours: string[], secret: string }} Given */

/** @param {Page} page @param {(context: any, given: Given) => void} draw */
async function show(page, draw) {
  const buffer = await painted(page, SIZE, draw, { colours: QUARTERS, secret: SECRET });
  await page.locator("#picture-file").setInputFiles({ name: "Berths.png", mimeType: "image/png", buffer });
  await expect(page.locator("#backdrop-name")).toHaveText("Berths");
}

/** @param {any} context @param {Given} given */
function quarters(context, { colours, secret }) {
  for (const [n, colour] of colours.entries()) {
    context.fillStyle = colour;
    context.fillRect((n % 2) * 800, Math.floor(n / 2) * 450, 800, 450);
  }
  context.fillStyle = secret;
  context.fillRect(300, 150, 200, 100);
}

/** @param {Page} page */
const opened = (page) => page.locator("body.ready").waitFor();

/** @param {Page} page @param {Place} from @param {Place} to */
async function pull(page, from, to) {
  const box = await page.locator("#bench-picture").boundingBox();
  if (!box) throw new Error("no picture");
  const at = (/** @type {Place} */ [x, y]) => /** @type {const} */ ([box.x + x * box.width, box.y + y * box.height]);
  await page.mouse.move(...at(from));
  await page.mouse.down();
  await page.mouse.move(...at([(from[0] + to[0]) / 2, (from[1] + to[1]) / 2]));
  await page.mouse.move(...at(to));
  await page.mouse.up();
}

/** What the capture is now, once all changes have been made. @param {Page} page */
async function now(page) {
  await expect(page.locator("#bench-side")).not.toHaveAttribute("aria-busy");
  const address = await page.locator("#bench-result").getAttribute("src");
  const response = await page.request.get(server.base + address);
  return decode(await response.body());
}

/** @param {{ width: number, data: Buffer }} file @param {number} x @param {number} y */
function pixel({ width, data }, x, y) {
  const at = (Math.floor(y) * width + Math.floor(x)) * 4;
  return [...data.subarray(at, at + 4)];
}

/** @param {string} hex */
const rgb = (hex) => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));

test("a capture is cut beyond its first box, turned, and goes back to an older version", async ({ page }) => {
  await startNow(page, server.base);
  await show(page, quarters);
  // First only the secret's surroundings are taken.
  await page.keyboard.press("c");
  const picture = await page.locator("#picture").boundingBox();
  if (!picture) throw new Error("no picture");
  await page.mouse.click(picture.x + picture.width * 0.25, picture.y + picture.height * 0.22);
  await page.keyboard.press("Enter");
  const link = page.locator(".proof").getByRole("link", { name: "Bench" });
  await page.goto(server.base + (await link.getAttribute("href")));
  await opened(page);
  const first = await now(page);
  expect([first.width, first.height]).toEqual([200, 100]);
  expect(pixel(first, 100, 50)).toEqual([...rgb(SECRET), 255]);

  // All of it: beyond the first box as well.
  await pull(page, [0.002, 0.002], [0.998, 0.998]);
  await expect.poll(async () => (await now(page)).width).toBe(1600);
  const whole = await now(page);
  for (const [n, colour] of QUARTERS.entries())
    expect(pixel(whole, 700 + (n % 2) * 200, 400 + Math.floor(n / 2) * 100)).toEqual([...rgb(colour), 255]);

  await page.getByRole("button", { name: "Turn" }).click();
  await expect.poll(async () => (await now(page)).height).toBe(1600);
  // Clockwise: what was lower left is upper left.
  expect(pixel(await now(page), 10, 10)).toEqual([...rgb(QUARTERS[2]), 255]);

  // By keys and by number as on the stage.
  await page.getByRole("button", { name: "Trim" }).focus();
  await page.locator("#box-width").fill("800");
  await page.locator("#box-width").press("Enter");
  await expect.poll(async () => (await now(page)).height).toBe(800);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);

  const versions = page.locator(".versions li");
  await expect(versions).toHaveCount(3);
  await versions.last().getByRole("button").click();
  await expect.poll(async () => (await now(page)).width).toBe(200);
  // Nothing is lost by going back.
  await expect(versions).toHaveCount(4);
});

test("a capture is marked with the marks of the stage, and keeps them where they are", async ({ page }) => {
  await startNow(page, server.base);
  await show(page, quarters);
  await page.keyboard.press("v");
  const bench = (await page.locator(".proof").getByRole("link", { name: "Bench" }).getAttribute("href")) ?? "";
  await page.goto(server.base + bench);
  await opened(page);
  const mark = page.getByRole("button", { name: "Mark it" });
  const vermilion = [213, 94, 0];
  const is = (/** @type {number} */ x, /** @type {number} */ y) =>
    expect.poll(async () => apart(pixel(await now(page), x, y).slice(0, 3), vermilion));

  await mark.click();
  await opened(page);
  const at = await places(page);
  await sees(page, at(400, 200), rgb(SECRET));
  await page.keyboard.press("2");
  await drag(page, straight(at(320, 200), at(700, 200)));
  await sees(page, at(400, 200), vermilion);
  // It is no lesson: nothing is captured there, and nobody comes.
  await page.keyboard.press("c");
  await expect(page.locator("#box-sheet")).toBeHidden();
  await expect(page.getByRole("button", { name: "Capture" })).toHaveCount(0);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Done" }).click();
  await opened(page);
  await is(400, 200).toBeLessThan(4);
  await is(400, 230).toBeGreaterThan(50);
  // Cut to its first quarter, it lies where it lay.
  await pull(page, [0.998, 0.998], [0.5, 0.5]);
  await expect.poll(async () => (await now(page)).width).toBe(800);
  await is(400, 200).toBeLessThan(4);

  // Taken up again, that quarter fills the stage; who goes without a word has done it, too.
  await mark.click();
  await opened(page);
  await sees(page, at(800, 400), vermilion);
  await page.keyboard.press("2");
  await drag(page, straight(at(600, 700), at(1000, 700)));
  await expect(page.getByRole("button", { name: "Undo" })).toBeEnabled();
  await page.goto(server.base);
  await expect(page.locator(".lesson")).toHaveCount(1);
  await page.goto(server.base + bench);
  await opened(page);
  await is(400, 350).toBeLessThan(4);
  await is(400, 200).toBeLessThan(4);

  // What is hidden is not on the stage on which it is marked.
  await page.getByRole("button", { name: "Hide", exact: true }).click();
  await pull(page, [0.18, 0.15], [0.32, 0.29]);
  await expect(page.locator("#hidden-parts button")).toHaveCount(1);
  await expect.poll(async () => pixel(await now(page), 400, 200)).toEqual([0x14, 0x18, 0x1d, 255]);
  // Pressed twice, it is begun once. The secret is the backdrop's own, and its small picture's.
  const press = () =>
    page.request.post(`${server.base}${bench}/mark`, { headers: { origin: server.base }, maxRedirects: 0 });
  const [one, other] = await Promise.all([press(), press()]);
  expect([one.status(), one.headers().location]).toEqual([303, other.headers().location]);
  expect(pictures().filter(hasSecret)).toHaveLength(2);
  await mark.click();
  await opened(page);
  await sees(page, at(800, 480), [0x14, 0x18, 0x1d]);
  expect(pictures().filter(hasSecret)).toHaveLength(2);
  await page.getByRole("button", { name: "Done" }).click();
  await opened(page);
  await is(400, 350).toBeLessThan(4);
  await page.locator(".versions li").last().getByRole("button").click();
  await expect.poll(async () => (await now(page)).width).toBe(1600);
  expect(pixel(await now(page), 400, 200)).toEqual([...rgb(SECRET), 255]);
});

/** The corners of the sheet in the next picture, and the colours that lie near them. */
const SHEET = [
  [520, 130],
  [1120, 210],
  [1040, 820],
  [400, 690],
];
const DOTS = ["#c02020", "#2060c0", "#20a040", "#c0a020"];

/** A sheet at an angle on a table, in light that falls off. @param {any} context */
function sheetOnTable(context) {
  const corners = [
    [520, 130],
    [1120, 210],
    [1040, 820],
    [400, 690],
  ];
  const dots = ["#c02020", "#2060c0", "#20a040", "#c0a020"];
  context.fillStyle = "#4a3b2c";
  context.fillRect(0, 0, 1600, 900);
  context.fillStyle = "#f0efe8";
  context.beginPath();
  for (const [x, y] of corners) context.lineTo(x, y);
  context.fill();
  for (const [n, [x, y]] of corners.entries()) {
    // A ninth of the way to the middle.
    const [mx, my] = [770, 462];
    context.fillStyle = dots[n];
    context.beginPath();
    context.arc(x + (mx - x) / 5, y + (my - y) / 5, 22, 0, 7);
    context.fill();
  }
  const light = context.createLinearGradient(0, 0, 1600, 0);
  light.addColorStop(0, "rgb(0 0 0 / 0)");
  light.addColorStop(1, "rgb(0 0 0 / 0.5)");
  context.fillStyle = light;
  context.fillRect(0, 0, 1600, 900);
}

test("a sheet that was photographed at an angle becomes an upright page, with even light", async ({ page }) => {
  await startNow(page, server.base);
  await show(page, sheetOnTable);
  await page.keyboard.press("v");
  const link = page.locator(".proof").getByRole("link", { name: "Bench" });
  await page.goto(server.base + (await link.getAttribute("href")));
  await opened(page);
  expect((await now(page)).width).toBe(1600);
  await page.getByRole("button", { name: "Flatten" }).click();
  await expect(page.locator("#bench-hint")).toContainText("The corners were found");
  await expect.poll(async () => (await now(page)).width).toBeLessThan(1000);
  const box = await page.locator("#bench-picture").boundingBox();
  if (!box) throw new Error("no picture");
  for (const [n, [x, y]] of SHEET.entries()) {
    const corner = await page.locator(`[data-corner="${n}"]`).boundingBox();
    const by = box.width / SIZE.width;
    expect(Math.abs((corner?.x ?? 0) + 22 - box.x - x * by)).toBeLessThan(2);
    expect(Math.abs((corner?.y ?? 0) + 22 - box.y - y * by)).toBeLessThan(2);
  }
  // Nothing of the table is left, and each dot is in its corner.
  const flat = await now(page);
  const { width, height } = flat;
  for (const [x, y] of [
    [3, 3],
    [width - 4, 3],
    [width - 4, height - 4],
    [3, height - 4],
  ])
    expect(Math.min(...pixel(flat, x, y))).toBeGreaterThan(110);
  for (const [n, colour] of DOTS.entries()) {
    const [right, low] = [n === 1 || n === 2, n > 1];
    const found = rgb(colour).map((v) => v * 0.9);
    const places = [];
    for (let y = 0; y < height / 2; y += 4)
      for (let x = 0; x < width / 2; x += 4) {
        const is = pixel(flat, right ? width - 1 - x : x, low ? height - 1 - y : y).slice(0, 3);
        // The same colour, however much light falls on it.
        const bright = Math.max(...is) / Math.max(...found);
        if (
          bright > 0.4 &&
          apart(
            is,
            found.map((v) => v * bright),
          ) < 16
        )
          places.push([x, y]);
      }
    expect(places.length, colour).toBeGreaterThan(20);
  }
  await page.getByLabel("Clean").check();
  await expect
    .poll(async () => Math.min(...pixel(await now(page), width / 2, height / 2).slice(0, 3)))
    .toBeGreaterThan(248);
  const clean = await now(page);
  expect(Math.min(...pixel(clean, width - 20, height / 2).slice(0, 3))).toBeGreaterThan(248);

  // By keys: a corner goes where it is wanted, and what goes round nothing is said.
  const address = (await page.locator("#bench-result").getAttribute("src")) ?? "";
  await page.locator('[data-corner="0"]').focus();
  for (let i = 0; i < 3; i++) await page.keyboard.press("Shift+ArrowRight");
  await expect(page.locator("#bench-result")).not.toHaveAttribute("src", address);
  for (let i = 0; i < 45; i++) await page.keyboard.press("Shift+ArrowDown");
  await expect(page.locator("#bench-hint")).toContainText("do not go round a sheet");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "As it was seen" }).click();
  await expect.poll(async () => (await now(page)).width).toBe(1600);
});

test("what is hidden is in no file, and participants have what is left", async ({ page, browser }) => {
  await startNow(page, server.base);
  await show(page, quarters);
  const phone = await follow(browser, page, "Ines");
  await page.keyboard.press("v");
  const proof = page.locator(".proof");
  await proof.getByRole("button", { name: "Hand out" }).click();
  await expect(proof).toContainText("handed out");
  const bench = await proof.getByRole("link", { name: "Bench" }).getAttribute("href");
  expect(pictures().filter(hasSecret)).toHaveLength(3);
  const shownBefore = (await phone.locator("#take-away-list img").first().getAttribute("src")) ?? "";
  await page.goto(server.base + bench);
  await opened(page);
  await page.getByRole("button", { name: "Hide", exact: true }).click();
  await pull(page, [0.18, 0.15], [0.32, 0.29]);
  await expect(page.locator("#hidden-parts button")).toHaveCount(1);
  const secret = async () => {
    const file = await now(page);
    return pixel(file, 400, 200);
  };
  await expect.poll(secret).toEqual([0x14, 0x18, 0x1d, 255]);
  // A blur of one colour is that colour; of its surroundings it takes nothing along.
  await page.locator("#hide-how").selectOption("pixelate");
  await expect.poll(async () => apart(await secret(), [0x14, 0x18, 0x1d, 255])).toBeGreaterThan(8);
  await page.locator("#hide-how").selectOption("fill");
  await expect.poll(secret).toEqual([0x14, 0x18, 0x1d, 255]);
  // A second part; the first is taken in hand again by pressing it, the second is shown again.
  await pull(page, [0.6, 0.6], [0.8, 0.8]);
  const parts = page.locator("#hidden-parts button");
  await expect(parts).toHaveCount(2);
  for (const [which, at] of /** @type {[number, Place][]} */ ([
    [0, [0.25, 0.22]],
    [1, [0.7, 0.7]],
  ])) {
    await pull(page, at, at);
    await expect(parts.nth(which)).toHaveClass("chosen");
  }
  await page.keyboard.press("Delete");
  await expect(parts).toHaveCount(1);
  await expect.poll(secret).toEqual([0x14, 0x18, 0x1d, 255]);

  // What participants have is the new one, without loading their page again; the files of before are gone.
  const taken = phone.locator("#take-away-list img").first();
  await expect(taken).not.toHaveAttribute("src", shownBefore);
  const small = await phone.request.get(new URL((await taken.getAttribute("src")) ?? "", phone.url()).href);
  const file = decode(await small.body());
  expect(pixel(file, Math.round(file.width / 4), Math.round((file.height * 200) / 900))).toEqual([
    0x14, 0x18, 0x1d, 255,
  ]);
  // The backdrop itself is the presenter's, and still there.
  expect(pictures().filter(hasSecret)).toHaveLength(1);

  // For good: the picture stays, and cannot be cut anew.
  page.once("dialog", (dialog) => dialog.accept());
  await page.getByRole("button", { name: "Hide for good" }).click();
  await expect(page.getByText("what it was made from is not kept")).toBeVisible();
  expect((await page.request.get(`${server.base}${bench}/whole.png`)).status()).toBe(422);
  expect(await secret()).toEqual([0x14, 0x18, 0x1d, 255]);
});

test("a capture is placed as a mark, replaced by a newer one in its place, and hides what is hidden in it later", async ({
  page,
}) => {
  await startNow(page, server.base);
  await show(page, quarters);
  await page.keyboard.press("v");
  const proof = page.locator(".proof").first();
  const address = await proof.getByRole("link", { name: "Bench" }).getAttribute("href");
  await proof.getByRole("button", { name: "New page" }).click();
  await expect(page.locator("#says")).toHaveText(/^Placed on .*, and kept in Captures\.$/);
  await expect(proof).toHaveCount(0);
  await expect(page.locator("#backdrop-name")).not.toHaveText("Berths");
  // Half as large as the stage, in its middle: its secret is at a quarter of that.
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no picture");
  const seen = (/** @type {number} */ x, /** @type {number} */ y) =>
    colour(page, glass.x + glass.width * (0.25 + x / 2), glass.y + glass.height * (0.25 + y / 2));
  await expect.poll(async () => apart(await seen(0.25, 0.22), rgb(SECRET))).toBeLessThan(12);
  await expect.poll(async () => apart(await seen(0.75, 0.75), rgb(QUARTERS[3]))).toBeLessThan(12);
  const frame = await page.locator("#selection").boundingBox();

  // Hidden in the capture, it is hidden in what was placed of it, too.
  const bench = await page.context().newPage();
  await bench.goto(server.base + address);
  await opened(bench);
  await bench.getByRole("button", { name: "Hide", exact: true }).click();
  await pull(bench, [0.18, 0.15], [0.32, 0.29]);
  await expect(bench.locator("#hidden-parts button")).toHaveCount(1);
  await now(bench);
  expect(pictures().filter(hasSecret)).toHaveLength(1);
  await bench.close();
  await page.reload();
  await opened(page);
  await expect.poll(async () => apart(await seen(0.25, 0.22), [0x14, 0x18, 0x1d])).toBeLessThan(12);

  // The next capture, of one quarter, takes its place: as high as it was, and in the middle of it.
  await page.keyboard.press("PageUp");
  await expect(page.locator("#backdrop-name")).toHaveText("Berths");
  await page.keyboard.press("c");
  const corner = { x: glass.x + glass.width / 2, y: glass.y + glass.height / 2 };
  await page.keyboard.down("Alt");
  await page.mouse.move(corner.x + 40, corner.y + 40);
  await page.mouse.down();
  await page.mouse.move(corner.x + 90, corner.y + 90);
  await page.mouse.move(corner.x + 140, corner.y + 140);
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.press("Enter");
  await expect(page.locator(".proof")).toHaveCount(1);
  await page.keyboard.press("PageDown");
  await expect(page.locator("#backdrop-name")).not.toHaveText("Berths");
  await page.keyboard.press("s");
  await page.mouse.click(glass.x + glass.width / 2, glass.y + glass.height / 2);
  await page.getByRole("button", { name: "Newest capture" }).click();
  await expect.poll(async () => apart(await seen(0.5, 0.1), rgb(QUARTERS[3]))).toBeLessThan(12);
  await expect.poll(async () => apart(await seen(0.02, 0.5), [0xfb, 0xfa, 0xf5])).toBeLessThan(12);
  const after = await page.locator("#selection").boundingBox();
  expect(Math.abs((after?.height ?? 0) - (frame?.height ?? 0))).toBeLessThan(2);
});

/** The pictures that the server keeps. */
function pictures() {
  const folder = join(server.data, "media");
  const files = readdirSync(folder).map((name) => readFileSync(join(folder, name)));
  return files.filter((file) => file[1] === 0x50 && file[2] === 0x4e).map((file) => decode(file));
}

/** @param {{ width: number, height: number, data: Buffer }} file */
function hasSecret(file) {
  const [r, g, b] = rgb(SECRET);
  for (let i = 0; i < file.data.length; i += 4)
    if (Math.abs(file.data[i] - r) + Math.abs(file.data[i + 1] - g) + Math.abs(file.data[i + 2] - b) < 24) return true;
  return false;
}
