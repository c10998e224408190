// @ts-check
// Captures as files: what they are called, where they go, and how they lie on paper.

import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { decode, pixel, startNow } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

test("names follow a pattern, which shows what it makes while it is typed", async ({ page }) => {
  const server = await Server.start();
  await page.goto(`${server.base}/settings`);
  const says = page.locator("#names-say");
  await expect(says).toHaveText(/For example Harbour approach \d.*\d, Coastal pilotage, as a file .*\.png/);
  const field = page.getByLabel("They are called");
  await field.fill("{date} {page}");
  await expect(says).toHaveText("There is no {page}. There are {lesson}, {backdrop}, {number}, {date} and {time}.");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.locator("body")).toContainText("Names of captures: There is no {page}.");
  await page.goto(`${server.base}/settings`);
  await page.getByLabel("They are called").fill("{number} {backdrop}: approach?");
  await expect(page.locator("#names-say")).toContainText("as a file 07 Harbour approach. approach-.png");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await startNow(page, server.base);
  for (const name of ["01 Board: approach?", "02 Board: approach?"]) {
    await page.keyboard.press("v");
    await expect(page.locator(".proof h2").first()).toHaveText(name);
  }
  await server.stop();
});

/** The folder that is chosen is one of the browser's own, which has the same ways. @param {Page} page */
const withFolder = (page) =>
  page.addInitScript(() => {
    /** @type {any} */ (window).showDirectoryPicker = async () =>
      (await navigator.storage.getDirectory()).getDirectoryHandle("Handouts", { create: true });
  });

/** What is in that folder: names, and the first bytes. @param {Page} page */
const inFolder = (page) =>
  page.evaluate(async () => {
    const folder = await (await navigator.storage.getDirectory()).getDirectoryHandle("Handouts");
    /** @type {Record<string, string>} */
    const all = {};
    for await (const [name, file] of /** @type {any} */ (folder).entries()) {
      const bytes = new Uint8Array(await (await file.getFile()).arrayBuffer());
      all[name] = String.fromCharCode(...bytes.subarray(0, 4));
    }
    return all;
  });

test("files go into a folder that was chosen once, and say their names; a folder that is gone loses nothing", async ({
  page,
}) => {
  const server = await Server.start({ demo: true });
  await withFolder(page);
  await page.goto(`${server.base}/settings`);
  const goes = page.locator("#files-go");
  await expect(goes).toHaveText("to the browser's downloads");
  await page.getByRole("button", { name: "Choose a folder…" }).click();
  await expect(goes).toHaveText("into the folder Handouts");
  // From the captures page, one and several; twice the same is counted.
  await page.goto(`${server.base}/lessons/1/captures`);
  const one = page.locator('a[href$="/download"]').first();
  const label = (await one.getAttribute("aria-label")) ?? "";
  const name = label.replace(/^Download (.*) as PNG$/, "$1").replace(":", ".");
  await one.click();
  await expect(page.locator("#says")).toHaveText(`Saved as ${name}.png in Handouts.`);
  await one.click();
  await expect(page.locator("#says")).toHaveText(`Saved as ${name} (2).png in Handouts.`);
  await page.getByLabel("All").check();
  await page.getByRole("button", { name: "Download PDF", exact: true }).click();
  await expect(page.locator("#says")).toHaveText("Saved as Captures, Coastal pilotage, evening 3.pdf in Handouts.");
  expect(await inFolder(page)).toEqual({
    [`${name}.png`]: "\u0089PNG",
    [`${name} (2).png`]: "\u0089PNG",
    "Captures, Coastal pilotage, evening 3.pdf": "%PDF",
  });
  // The folder vanishes: the file comes as files do, and that is said.
  await page.evaluate(async () => {
    await /** @type {any} */ (await navigator.storage.getDirectory()).removeEntry("Handouts", { recursive: true });
  });
  const [download] = await Promise.all([page.waitForEvent("download"), one.click()]);
  expect(download.suggestedFilename()).toBe(`${name}.png`);
  await expect(page.locator("#says")).toHaveText("Downloaded: the folder Handouts is not there any more.");
  await page.goto(`${server.base}/settings`);
  await page.getByRole("button", { name: "To the downloads again" }).click();
  await expect(goes).toHaveText("to the browser's downloads");
  await server.stop();
});

test("the server writes each capture into another folder too, and says when it cannot", async ({ page }) => {
  const folder = mkdtempSync(join(tmpdir(), "bozzetto-also-"));
  const also = join(folder, "cloud");
  mkdirSync(also);
  const server = await Server.start({ more: ["--also-save", also] });
  await startNow(page, server.base);
  await page.keyboard.press("v");
  const says = page.locator(".proof .words .small-line").first();
  await expect(says).toContainText("also saved as ");
  const [lesson] = readdirSync(also);
  const [file] = readdirSync(join(also, lesson));
  await expect(says).toContainText(`also saved as ${lesson}/${file}`);
  const before = readFileSync(join(also, lesson, file));
  expect(decode(before).width).toBeGreaterThan(1000);
  // What is changed later is so there too: nothing that was hidden stays in it.
  const proof = page.locator(".proof").first();
  const bench = `${server.base}${await proof.locator('a[href$="/bench"]').getAttribute("href")}`;
  const said = await page.request.get(bench);
  const { cut } = JSON.parse(
    (await said.text())
      .match(/data-said="([^"]*)"/)?.[1]
      .replaceAll("&#34;", '"')
      .replaceAll("&quot;", '"') ?? "",
  );
  cut.bench.hidden = [{ area: { x0: 400, y0: 300, x1: 900, y1: 600 }, how: "fill" }];
  const made = await page.request.post(`${bench}/cut`, { data: cut, headers: { origin: server.base } });
  expect(made.status()).toBe(200);
  const after = readFileSync(join(also, lesson, file));
  const at = Math.round((650 / 1920) * decode(after).width);
  const down = Math.round((450 / 1920) * decode(after).width);
  expect(pixel(after, at, down)).not.toEqual(pixel(before, at, down));
  expect(readdirSync(join(also, lesson))).toEqual([file]);
  // Gone, it is said, and the capture is kept; nothing is made in its place.
  renameSync(also, `${also}-gone`);
  await page.keyboard.press("v");
  await expect(page.locator(".proof .words .small-line").first()).toContainText(
    `not saved in ${also}: it is not there`,
  );
  expect(readdirSync(folder)).toEqual(["cloud-gone"]);
  await page.goto(page.url().replace("stage", "captures"));
  await expect(page.locator(".capture")).toHaveCount(2);
  // What was changed meanwhile is so in the same file once the folder is back, and so is what is new.
  cut.bench.hidden = [{ area: { x0: 0, y0: 0, x1: 1900, y1: 1000 }, how: "fill" }];
  expect((await page.request.post(`${bench}/cut`, { data: cut, headers: { origin: server.base } })).status()).toBe(200);
  await page.reload();
  await expect(page.locator(".capture .warns").first()).toContainText(`not saved in ${also}: it is not there`);
  await expect(page.locator(".capture").filter({ hasText: `${file} is as it was` })).toHaveCount(1);
  renameSync(`${also}-gone`, also);
  cut.bench.hidden.pop();
  expect((await page.request.post(`${bench}/cut`, { data: cut, headers: { origin: server.base } })).status()).toBe(200);
  await page.reload();
  await expect(page.locator(".capture").filter({ hasText: "also saved as" })).toHaveCount(2);
  await expect(page.locator(".warns")).toHaveCount(0);
  expect(readdirSync(join(also, lesson))).toHaveLength(2);
  const shown = readFileSync(join(also, lesson, file));
  expect(pixel(shown, at, down)).toEqual(pixel(before, at, down));
  await server.stop();
  rmSync(folder, { recursive: true, force: true });
});

test("a capture lies on paper as it is wanted, with its caption below", async ({ page }, info) => {
  const server = await Server.start({ demo: true });
  await page.goto(`${server.base}/lessons/1/captures`);
  await page.getByRole("link", { name: "Bench" }).first().click();
  await page.getByLabel("Format").selectOption("pdf");
  await page.getByLabel("Page", { exact: true }).selectOption("A4");
  await page.getByLabel("It lies").selectOption("upright");
  await expect(page.getByLabel("Fit to")).toBeHidden();
  await expect(page.locator(".send output")).toContainText("px");
  const saved = async (/** @type {string} */ name) => {
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("button", { name: "Download", exact: true }).click(),
    ]);
    await download.saveAs(info.outputPath(`${name}.pdf`));
    execFileSync("qpdf", ["--check", info.outputPath(`${name}.pdf`)]);
    execFileSync("pdftoppm", ["-r", "72", "-png", info.outputPath(`${name}.pdf`), info.outputPath(name)]);
    return decode(readFileSync(info.outputPath(`${name}-1.png`)));
  };
  /** Rows beneath the picture that have ink. @param {ReturnType<typeof decode>} print */
  const inked = ({ width, height, data }) =>
    Array.from({ length: height }, (_, y) => y).filter((y) => {
      const row = [...data.subarray(y * width * 4, (y + 1) * width * 4)];
      return row.some((v, i) => i % 4 !== 3 && v < 128);
    });
  const upright = await saved("upright");
  expect([upright.width, upright.height]).toEqual([596, 842]);
  const last = inked(upright).at(-1) ?? 0;
  await page.getByText("Its caption below, or its name").click();
  const bare = await saved("bare");
  expect(inked(bare).at(-1)).toBeLessThan(last - 5);
  await page.getByLabel("It lies").selectOption("across");
  const across = await saved("across");
  expect([across.width, across.height]).toEqual([842, 596]);
  await page.getByLabel("At most, kB").fill("2");
  await expect(page.locator(".send output")).toContainText("It does not fit into 2 kB");
  await server.stop();
});

test("an SVG file shows what the picture shows, and its marks are lines", async ({ page }, info) => {
  const server = await Server.start({ demo: true });
  await page.goto(`${server.base}/lessons/1/captures`);
  await page.getByRole("link", { name: "Bench" }).first().click();
  const saved = async (/** @type {string} */ format) => {
    await page.getByLabel("Format").selectOption(format);
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("button", { name: "Download", exact: true }).click(),
    ]);
    const path = info.outputPath(download.suggestedFilename());
    await download.saveAs(path);
    return readFileSync(path);
  };
  const png = await saved("png");
  const svg = await saved("svg");
  const text = svg.toString();
  // One picture beneath, and each mark a path above it.
  expect(text.match(/<image/g)).toHaveLength(1);
  expect(text.match(/<path/g)?.length).toBeGreaterThan(1);
  expect(text.indexOf("<path")).toBeGreaterThan(text.indexOf("<image"));
  execFileSync("xmllint", ["--noout", "--huge", "-"], { input: svg });
  // Drawn by the browser at the size of the picture, how much of it differs.
  const apart = await page.evaluate(
    async (addresses) => {
      const [png, svg] = await Promise.all(
        addresses.map(async (address) => {
          const image = new Image();
          image.src = address;
          await image.decode();
          return image;
        }),
      );
      const [one, other] = [png, svg].map((image) => {
        const context = new OffscreenCanvas(png.naturalWidth, png.naturalHeight).getContext("2d");
        context?.drawImage(image, 0, 0, png.naturalWidth, png.naturalHeight);
        return context?.getImageData(0, 0, png.naturalWidth, png.naturalHeight).data ?? new Uint8ClampedArray();
      });
      return one.reduce((n, v, i) => (Math.abs(v - other[i]) > 24 ? n + 1 : n), 0) / one.length;
    },
    [`data:image/png;base64,${png.toString("base64")}`, `data:image/svg+xml;base64,${svg.toString("base64")}`],
  );
  expect(apart).toBeLessThan(0.002);
  await server.stop();
});

test("a proof that nobody has to do with goes by itself; its capture is in Captures", async ({ page }) => {
  // A minute is a second here, and its ends are counted.
  await page.addInitScript(() => {
    const real = window.setTimeout;
    const counted = /** @type {any} */ (window);
    counted.minutes = 0;
    counted.setTimeout = (/** @type {any} */ f, /** @type {number} */ t, /** @type {any[]} */ ...a) => {
      const over = () => {
        f();
        counted.minutes += 1;
      };
      return t === 60_000 ? real(over, 1000) : real(f, t, ...a);
    };
  });
  const server = await Server.start();
  await startNow(page, server.base);
  await page.keyboard.press("v");
  const proof = page.locator(".proof");
  await proof.hover();
  await expect.poll(() => page.evaluate(() => /** @type {any} */ (window).minutes)).toBeGreaterThan(1);
  await expect(proof).toBeVisible();
  await page.mouse.move(300, 300);
  await expect(proof).toHaveCount(0);
  await page.goto(page.url().replace("stage", "captures"));
  await expect(page.locator(".capture")).toHaveCount(1);
  await server.stop();
});
