// @ts-check
// Everything a lesson puts on screen, beneath the same glass: documents, videos, web pages, two panes,
// a board for two, and how they are arranged.

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { args, executablePath } from "../browser.js";
import { root, Server } from "../server.js";
import { apart, capture, colour, decode, drag, follow, pixel, ready, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

// The browser's picture of the own tab is given without asking, as somebody would who presses Allow.
test.use({ launchOptions: { executablePath, args: [...args, "--auto-accept-this-tab-capture"] } });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start({ more: ["--private-addresses"] });
});
test.afterAll(async () => {
  await server.stop();
});

const VERMILION = [213, 94, 0];
const BLUE = [0, 114, 178];
const demo = (/** @type {string} */ name) => join(root, "demo", name);

/** @param {import("@playwright/test").Page} page @param {string[]} files */
const bring = (page, files) => page.locator("#picture-file").setInputFiles(files);

test("a document: each page with its marks, as fine as it is enlarged, the same in a capture", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines");
  await bring(page, [demo("Notices to mariners.pdf")]);
  await expect(page.locator("#page-shown")).toHaveText("1 of 4");
  const shown = page.locator(".pane:not(.away) img").first();
  await expect.poll(() => shown.evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth)).toBeGreaterThan(400);
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 200 }, { x: 780, y: 200 }));
  await expect.poll(async () => apart(await colour(page, 640, 200), VERMILION)).toBeLessThan(6);
  // A clicker's key turns the page: its marks stay behind, and come back with it.
  await page.keyboard.press("PageDown");
  await expect(page.locator("#page-shown")).toHaveText("2 of 4");
  await expect.poll(async () => apart(await colour(page, 640, 200), VERMILION)).toBeGreaterThan(60);
  await page.getByRole("button", { name: "Previous page" }).click();
  await expect.poll(async () => apart(await colour(page, 640, 200), VERMILION)).toBeLessThan(6);
  const there = await seenAt(page, phone, 640, 200);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), VERMILION)).toBeLessThan(12);

  // Enlarged far, the letters are as sharp as the screen: the part is fetched at its resolution.
  await page.locator("#touch").click();
  for (let i = 0; i < 11; i++) await page.keyboard.press("+");
  const part = page.locator(".pane .part");
  await expect(part).toHaveCount(1);
  await expect.poll(() => part.evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth > 900)).toBe(true);
  const css = await part.evaluate(
    (i) => i.getBoundingClientRect().width / /** @type {HTMLImageElement} */ (i).naturalWidth,
  );
  // At the resolution of the screen, or up to half as fine again.
  expect(css).toBeLessThan(1.01);
  expect(css).toBeGreaterThan(0.66);
  // It stays when the stage is laid out anew without being seen otherwise.
  await page.locator("#mark").click();
  await page.setViewportSize({ width: 1280, height: 900 });
  await page.setViewportSize({ width: 1280, height: 852 });
  await expect.poll(() => part.evaluate((i) => getComputedStyle(i).opacity)).toBe("1");
  const stage = await page.screenshot({ clip: { x: 400, y: 250, width: 300, height: 200 } });
  const file = decode(await capture(page, { x: 400, y: 250 }, { x: 700, y: 450 }));
  // A document is captured as fine as a wall of 3840 pixels; averaged, it is what the screen shows.
  const scale = file.width / 300;
  let off = 0;
  for (let y = 10; y < 190; y += 12) {
    for (let x = 10; x < 290; x += 12) {
      const sum = [0, 0, 0];
      const n = Math.round(scale);
      for (let dy = 0; dy < n; dy++)
        for (let dx = 0; dx < n; dx++)
          for (let c = 0; c < 3; c++)
            sum[c] +=
              file.data[((Math.floor(y * scale) + dy) * file.width + Math.floor(x * scale) + dx) * 4 + c] / (n * n);
      off += apart(sum, pixel(stage, x, y));
    }
  }
  expect(off / (15 * 24)).toBeLessThan(12);
});

test("pages that are turned in the moment of a pause, or without a line, stay turned", async ({
  page,
  context,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines");
  await bring(page, [demo("Notices to mariners.pdf")]);
  const shown = page.locator("#page-shown");
  await expect(shown).toHaveText("1 of 4");
  // All of them are in the strip.
  await page.locator("#pages-key").click();
  const strip = page.locator("#pages-list img");
  await expect(strip).toHaveCount(4);
  for (const small of await strip.all())
    await expect.poll(() => small.evaluate((i) => /** @type {HTMLImageElement} */ (i).naturalWidth)).toBeGreaterThan(0);
  await page.keyboard.press("Escape");
  const picture = page.locator(".pane:not(.away) img").first();
  /** Which page is on the phone. */
  const there = () =>
    phone
      .locator(".pane:not(.away) img")
      .first()
      .evaluate((i) => /pages\/(\d+)/.exec(/** @type {HTMLImageElement} */ (i).src)?.[1]);
  const first = await there();
  // Both at once: what the server says of the pause is older than the page.
  const before = await picture.getAttribute("src");
  await page.evaluate(() => {
    for (const id of ["pause", "page-on"]) /** @type {HTMLElement} */ (document.getElementById(id)).click();
  });
  await expect(page.locator("body")).toHaveClass(/paused/);
  await expect(shown).toHaveText("2 of 4");
  await expect(picture).not.toHaveAttribute("src", before ?? "");
  await page.evaluate(() => /** @type {HTMLElement} */ (document.getElementById("pause")).click());
  await expect(page.locator("body")).not.toHaveClass(/paused/);
  await expect.poll(there).not.toBe(first);
  const second = await there();
  await expect(shown).toHaveText("2 of 4");
  await context.setOffline(true);
  await expect(page.locator("#line")).toBeVisible();
  await page.keyboard.press("PageDown");
  await expect(shown).toHaveText("3 of 4");
  await context.setOffline(false);
  await expect(page.locator("#line")).toBeHidden();
  await expect.poll(there).not.toBe(second);
  await expect(shown).toHaveText("3 of 4");
  await page.reload();
  await ready(page);
  await expect(shown).toHaveText("3 of 4");
});

test("a video: played, stopped and stepped, and followers are at the same moment", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Noor");
  await bring(page, [demo("Vessel at the buoys.webm")]);
  await expect(page.locator("#backdrop-name")).toHaveText("Vessel at the buoys");
  const moment = (/** @type {import("@playwright/test").Page} */ p) =>
    p.locator("video").evaluate((v) => /** @type {HTMLVideoElement} */ (v).currentTime);
  await page.getByRole("button", { name: "Again and again" }).click();
  await page.getByRole("button", { name: "Play" }).click();
  await expect.poll(() => moment(page)).toBeGreaterThan(1);
  await expect
    .poll(async () => {
      const [a, b] = await Promise.all([moment(page), moment(phone)]);
      return Math.abs(a - b);
    })
    .toBeLessThan(0.5);
  // Ink goes on over the film, and stays while it runs.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 100 }, { x: 900, y: 100 }));
  await expect.poll(async () => apart(await colour(page, 600, 100), VERMILION)).toBeLessThan(8);
  await page.keyboard.press("f");
  await expect(page.locator("#freeze-word")).toHaveText("Go on");
  await expect.poll(async () => Math.abs((await moment(page)) - (await moment(phone)))).toBeLessThan(0.02);
  const before = await moment(page);
  await page.getByRole("button", { name: "One frame on" }).click();
  await page.getByRole("button", { name: "One frame on" }).click();
  await expect.poll(async () => (await moment(page)) - before).toBeGreaterThan(0.05);
  expect((await moment(page)) - before).toBeLessThan(0.13);
  await expect.poll(async () => Math.abs((await moment(page)) - (await moment(phone)))).toBeLessThan(0.02);
  // The capture has the film's own pixels of that very frame.
  const wanted = await page.locator("video").evaluate((v) => {
    const video = /** @type {HTMLVideoElement} */ (v);
    const canvas = new OffscreenCanvas(video.videoWidth, video.videoHeight);
    const context = /** @type {OffscreenCanvasRenderingContext2D} */ (canvas.getContext("2d"));
    context.drawImage(video, 0, 0);
    return [
      [640, 300],
      [200, 600],
      [1000, 420],
    ].map(([x, y]) => [...context.getImageData(x, y, 1, 1).data.slice(0, 3)]);
  });
  const box = await page.locator("#glass").boundingBox();
  if (!box) throw new Error("no stage");
  const file = await capture(
    page,
    { x: box.x + 1, y: box.y + 1 },
    { x: box.x + box.width - 1, y: box.y + box.height - 1 },
  );
  const size = decode(file);
  expect(size.width).toBeGreaterThanOrEqual(1276);
  const at = (/** @type {number} */ v, /** @type {number} */ whole, /** @type {number} */ now) =>
    Math.round((v / whole) * now);
  [
    [640, 300],
    [200, 600],
    [1000, 420],
  ].forEach(([x, y], i) =>
    expect(apart(pixel(file, at(x, 1280, size.width), at(y, 720, size.height)), wanted[i])).toBeLessThan(14),
  );
  // What is no video says so, and nothing is stored.
  const bad = test.info().outputPath("broken.webm");
  writeFileSync(bad, readFileSync(demo("Vessel at the buoys.webm")).subarray(0, 400));
  await bring(page, [bad]);
  await expect(page.locator("#says")).toContainText("cannot play it", { timeout: 20_000 });
  await expect(page.locator("#backdrop-name")).toHaveText("Vessel at the buoys");
});

/** A page with a red square 900 CSS pixels down, a mark's place; taller than its window. */
const LONG = `<!doctype html><title>Long</title><body style="margin:0;height:3000px;background:#fff">
<div style="position:absolute;left:300px;top:500px;width:40px;height:40px;background:#c00"></div>
<div id="moves" style="position:absolute;left:700px;top:200px;width:120px;height:120px"></div>
<script>let n=0;setInterval(()=>{n=(n+1)%2;document.getElementById("moves").style.background=n?"#00c":"#0c0"},150)</script>`;

test("a web page: marks scroll and zoom with it exactly; it freezes, is captured, and followers see it", async ({
  page,
  browser,
}, info) => {
  test.setTimeout(240_000);
  await startNow(page, server.base);
  const file = info.outputPath("Long.html");
  writeFileSync(file, LONG);
  await bring(page, [file]);
  const frame = page.locator("iframe");
  await expect(frame).toBeVisible();
  const inside = page.frameLocator("iframe");
  await expect(inside.locator("#moves")).toBeAttached();
  /** Where a place of the page is on the stage. @param {number} x @param {number} y */
  const at = async (x, y) => {
    const box = await frame.boundingBox();
    const scroll = await inside.locator("body").evaluate(() => scrollY);
    const scale = (box?.width ?? 0) / 1280;
    return { x: (box?.x ?? 0) + x * scale, y: (box?.y ?? 0) + (y - scroll) * scale };
  };
  await page.keyboard.press("2");
  const [from, to] = [await at(200, 520), await at(500, 520)];
  await drag(page, straight(from, to));
  await expect
    .poll(async () => {
      const p = await at(420, 520);
      return apart(await colour(page, p.x, p.y), VERMILION);
    })
    .toBeLessThan(6);
  // The wheel scrolls the page under the glass; the mark goes along, to the pixel.
  const red = () => inside.locator("div").first().boundingBox();
  const before = await red();
  await page.mouse.move(from.x, from.y);
  await page.mouse.wheel(0, 200);
  await expect.poll(async () => (await red())?.y ?? 0).toBeLessThan((before?.y ?? 0) - 100);
  const edge = async () => {
    // The upper edge of the mark, 12 units thick, looked for in the picture.
    const p = await at(420, 520);
    const strip = decode(
      await page.screenshot({ clip: { x: Math.round(p.x), y: Math.round(p.y) - 20, width: 1, height: 40 } }),
    );
    for (let y = 0; y < 40; y++) if (apart([...strip.data.subarray(y * 4, y * 4 + 3)], VERMILION) < 40) return y - 20;
    return null;
  };
  await expect.poll(edge).not.toBeNull();
  const scrolled = await edge();
  await page.mouse.wheel(0, 160);
  await expect
    .poll(async () => {
      const e = await edge();
      return e === null ? 99 : Math.abs(e - (scrolled ?? 0));
    })
    .toBeLessThanOrEqual(1);

  // With Ctrl the wheel enlarges it and does not scroll, whether hands mark it or touch it.
  const down = () => inside.locator("body").evaluate(() => scrollY);
  const still = await down();
  for (const lever of ["#mark", "#touch"]) {
    await page.locator(lever).click();
    await page.mouse.move(from.x, from.y);
    await page.keyboard.down("Control");
    await page.mouse.wheel(0, -200);
    await page.keyboard.up("Control");
    await expect(page.locator("#whole"), lever).toBeVisible();
    expect(await down(), lever).toBe(still);
    await page.locator("#whole").click();
    await expect(page.locator("#whole")).toBeHidden();
  }
  await page.locator("#mark").click();

  // Followers see the page as a picture of this tab, without the marks, which lie on top.
  const phone = await follow(browser, page, "Sefa");
  await expect(page.locator("#tab-ask")).toBeVisible();
  await page.locator("#tab-allow").click();
  const spot = await at(320, 505);
  const there = await seenAt(page, phone, spot.x, spot.y);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), [204, 0, 0])).toBeLessThan(40);
  const mark = await at(420, 520);
  const marked = await seenAt(page, phone, mark.x, mark.y);
  await expect.poll(async () => apart(await colour(phone, marked.x, marked.y), VERMILION)).toBeLessThan(8);

  // Frozen, the simulation stands still for everybody; let go, it goes on.
  const moving = await at(760, 260 + (await inside.locator("body").evaluate(() => scrollY)));
  await inside.locator("#moves").evaluate((e) => {
    e.style.position = "fixed";
  });
  const blinks = async () => {
    const seen = new Set();
    for (let i = 0; i < 12; i++) seen.add((await colour(page, moving.x, moving.y)).join());
    return seen.size > 1;
  };
  await expect.poll(blinks).toBe(true);
  await page.keyboard.press("f");
  await expect(page.locator("body.frozen")).toBeVisible();
  await expect.poll(blinks).toBe(false);
  const held = await colour(page, moving.x, moving.y);
  const shot = await capture(page, { x: moving.x - 30, y: moving.y - 30 }, { x: moving.x + 30, y: moving.y + 30 });
  const { width, height } = decode(shot);
  expect(apart(pixel(shot, Math.floor(width / 2), Math.floor(height / 2)), held)).toBeLessThan(4);
  // A page that scrolls by itself meanwhile takes no mark along; let go, both are where it is by now.
  const stays = await at(420, 520);
  expect(apart(await colour(page, stays.x, stays.y), VERMILION)).toBeLessThan(40);
  await inside.locator("body").evaluate(() => scrollBy(0, 60));
  expect(apart(await colour(page, stays.x, stays.y), VERMILION)).toBeLessThan(40);
  await page.keyboard.press("f");
  await expect
    .poll(async () => {
      const e = await edge();
      return e === null ? 99 : Math.abs(e - (scrolled ?? 0));
    })
    .toBeLessThanOrEqual(1);
  await expect.poll(blinks).toBe(true);
});

test("a ZIP of pages runs with its own scripts and data; each of its pages has its own marks", async ({ page }) => {
  await startNow(page, server.base);
  await bring(page, [join(root, "e2e", "fixtures", "Lights.zip")]);
  const inside = page.frameLocator("iframe");
  await expect(inside.locator("#said")).toHaveText("High water at 06:40");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 300 }, { x: 900, y: 300 }));
  const marked = async () => apart(await colour(page, 700, 300), VERMILION) < 8;
  await expect.poll(marked).toBe(true);
  // A link is followed: the marks stay with the page that they were made on.
  await page.locator("#touch").click();
  await inside.getByRole("link", { name: "The white sector" }).click();
  await expect(inside.getByRole("heading", { name: "The white sector" })).toBeVisible();
  await expect.poll(marked).toBe(false);
  // Left there, it comes back there, scrolled as it was; its links lead on.
  await page.mouse.move(600, 400);
  const scroll = () => inside.locator("body").evaluate(() => scrollY);
  // A page that has only just come may not take the first turn of the wheel.
  let before = 0;
  await expect
    .poll(async () => {
      const was = before;
      before = await scroll();
      if (before === 0) await page.mouse.wheel(0, 240);
      return before > 100 && before === was;
    })
    .toBe(true);
  await page.reload();
  await ready(page);
  await expect(inside.getByRole("heading", { name: "The white sector" })).toBeAttached();
  await expect.poll(async () => Math.abs((await scroll()) - before)).toBeLessThan(2);
  await page.locator("#touch").click();
  await page.mouse.move(600, 400);
  await page.mouse.wheel(0, -2000);
  await inside.getByRole("link", { name: "Back" }).click();
  await expect.poll(marked).toBe(true);
});

test("an uploaded page reaches nothing of ours", async ({ page }, info) => {
  await startNow(page, server.base);
  const file = info.outputPath("Nosy.html");
  writeFileSync(
    file,
    `<!doctype html><title>Nosy</title><body><script>
    const said = {};
    const attempt = async (name, deed) => { try { said[name] = "got " + (await deed()); } catch (e) { said[name] = "refused"; } };
    (async () => {
      await attempt("cookie", () => document.cookie);
      await attempt("storage", () => localStorage.length);
      await attempt("parent", () => parent.document.title);
      await attempt("database", () => new Promise((ok, no) => { const r = indexedDB.open("bozzetto"); r.onsuccess = ok; r.onerror = no; }));
      await attempt("lesson", () => fetch("${server.base}/lessons/1/captures").then((r) => r.text()));
      await attempt("home", () => fetch("/").then((r) => r.text()));
      await attempt("socket", () => new Promise((ok, no) => { const s = new WebSocket("${server.base.replace("http", "ws")}/lessons/1/live"); s.onopen = () => ok("open"); s.onerror = no; }));
      await attempt("script", () => new Promise((ok, no) => { const s = document.createElement("script"); s.src = "${server.base}/static/x/js/page.js"; s.onload = () => ok("run"); s.onerror = no; document.body.append(s); }));
      await attempt("picture", () => new Promise((ok, no) => { const i = new Image(); i.onload = () => ok("seen"); i.onerror = no; i.src = "${server.base}/lessons/1/backdrops/1/thumbnail.png"; }));
      await attempt("popup", () => { if (!window.open("/")) throw 0; return "open"; });
      await attempt("top", () => { top.location = "/"; return new Promise((ok) => setTimeout(() => ok("tried"), 300)); });
      document.body.textContent = JSON.stringify(said);
    })();
  </script>`,
  );
  await bring(page, [file]);
  const text = page.frameLocator("iframe").locator("body");
  await expect(text).toContainText("{");
  const said = JSON.parse((await text.textContent()) ?? "{}");
  const { top, ...others } = said;
  expect(others).toEqual({
    cookie: "refused",
    storage: "refused",
    parent: "refused",
    database: "refused",
    lesson: "refused",
    home: "refused",
    socket: "refused",
    script: "refused",
    picture: "refused",
    popup: "refused",
  });
  // Whatever was tried, the stage is still there.
  expect(top).toBeTruthy();
  await expect(page.locator("#backdrop-name")).toHaveText("Nosy");
  expect(page.url()).toContain("/stage");
});

test("addresses: a page that will not be framed is found out and said, another is shown", async ({ page }) => {
  const site = createServer((request, response) => {
    response.setHeader("content-type", "text/html");
    if (request.url === "/closed") response.setHeader("x-frame-options", "DENY");
    if (request.url === "/never") return;
    response.end("<!doctype html><title>Elsewhere</title><h1>Tide tables</h1>");
  });
  await new Promise((/** @type {(v?: unknown) => void} */ done) => site.listen(0, "127.0.0.1", done));
  const address = site.address();
  const base = `http://127.0.0.1:${typeof address === "object" && address ? address.port : 0}`;
  try {
    await startNow(page, server.base);
    await page.locator("#order").click();
    await page.locator("#add-address").click();
    await page.locator("#address").fill(`${base}/closed`);
    await page.getByRole("button", { name: "Put it on stage" }).click();
    await expect(page.locator("#address-says")).toContainText("does not let itself be shown inside other pages");
    await expect(page.locator("#address-says")).toContainText("share that tab, or take a picture");
    await page.locator("#address").fill("no address at all");
    await page.getByRole("button", { name: "Put it on stage" }).click();
    await expect(page.locator("#says")).toContainText("no address of a web page");
    await page.locator("#address").fill(`${server.base}/`);
    await page.getByRole("button", { name: "Put it on stage" }).click();
    await expect(page.locator("#says")).toContainText("address of Bozzetto itself");
    await expect(page.locator("#backdrop-name")).toHaveText("Board");
    // Without a scheme both are tried: here nobody answers to https.
    await page.locator("#address").fill(`${base.replace("http://", "")}/open`);
    await page.getByRole("button", { name: "Put it on stage" }).click();
    // In a frame of its own within ours.
    await expect(page.frameLocator("iframe").frameLocator("iframe").locator("h1")).toHaveText("Tide tables");
  } finally {
    site.closeAllConnections();
    site.close();
  }
});

test("two panes: marks belong to their pane, the divider moves, they swap and close", async ({ page, browser }) => {
  await startNow(page, server.base);
  await bring(page, [demo("Berth plan.svg")]);
  await expect(page.locator("#backdrop-name")).toHaveText("Berth plan");
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Put Board beside" }).click();
  await expect(page.locator("#divider")).toBeVisible();
  const phone = await follow(browser, page, "Tomasz");
  await page.keyboard.press("2");
  // A stroke that begins in one half is cut off at its edge.
  await drag(page, straight({ x: 300, y: 400 }, { x: 900, y: 400 }));
  await expect.poll(async () => apart(await colour(page, 500, 400), VERMILION)).toBeLessThan(6);
  expect(apart(await colour(page, 760, 400), VERMILION)).toBeGreaterThan(60);
  const [left, right] = [await seenAt(page, phone, 500, 400), await seenAt(page, phone, 760, 400)];
  await expect.poll(async () => apart(await colour(phone, left.x, left.y), VERMILION)).toBeLessThan(12);
  expect(apart(await colour(phone, right.x, right.y), VERMILION)).toBeGreaterThan(60);
  // The capture of both is what both show.
  const file = await capture(page, { x: 440, y: 380 }, { x: 840, y: 420 });
  const { width, height } = decode(file);
  expect(apart(pixel(file, Math.floor(width * 0.15), Math.floor(height / 2)), VERMILION)).toBeLessThan(8);
  expect(apart(pixel(file, Math.floor(width * 0.8), Math.floor(height / 2)), [251, 250, 245])).toBeLessThan(6);
  // A key goes to the other half: the rail and its row are about that one then.
  await expect(page.locator("#backdrop-name")).toHaveText("Berth plan");
  await page.keyboard.press("y");
  await expect(page.locator("#backdrop-name")).toHaveText("Board");
  await expect(page.locator("#row-pages")).toBeVisible();
  await page.keyboard.press("y");
  await expect(page.locator("#row-pages")).toBeHidden();
  await page.locator("#divider").focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
  await expect(page.locator("#divider")).toHaveAttribute("aria-valuenow", "58");
  await page.locator("#swap").click();
  await expect(page.locator(".pane:not(.away)")).toHaveCount(2);
  await expect.poll(async () => apart(await colour(page, 200, 400), [251, 250, 245])).toBeLessThan(6);
  await page.locator("#close-left").click();
  await expect(page.locator("#divider")).toBeHidden();
  await expect(page.locator("#backdrop-name")).toHaveText("Berth plan");
  // A note with one key, and back with the same.
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).toHaveText(/^Note/);
  await page.keyboard.press("n");
  await expect(page.locator("#backdrop-name")).toHaveText("Berth plan");
});

test("boards in two panes fill them, to the last corner; what is written further down stays there", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  for (const ruling of ["Plain", "Squared"]) {
    await page.locator("#order").click();
    await page.getByRole("button", { name: ruling }).click();
    await page.locator("#order-panel").waitFor({ state: "hidden" });
  }
  await page.locator("#order").click();
  await page.getByRole("button", { name: "Put Board beside" }).click();
  await expect(page.locator("#divider")).toBeVisible();
  const phone = await follow(browser, page, "Tomasz");
  const paper = [251, 250, 245];
  const corners = [
    { x: 4, y: 4 },
    { x: 620, y: 4 },
    { x: 4, y: 712 },
    { x: 620, y: 712 },
    { x: 660, y: 4 },
    { x: 1276, y: 712 },
  ];
  for (const { x, y } of corners) {
    await expect.poll(async () => apart(await colour(page, x, y), paper), `${x}, ${y} on stage`).toBeLessThan(6);
    const there = await seenAt(page, phone, x, y);
    await expect
      .poll(async () => apart(await colour(phone, there.x, there.y), paper), `${x}, ${y} at the follower's`)
      .toBeLessThan(6);
  }
  await page.keyboard.press("2");
  await drag(page, straight({ x: 700, y: 650 }, { x: 1200, y: 650 }));
  const there = await seenAt(page, phone, 1000, 650);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), VERMILION)).toBeLessThan(12);
  const file = await capture(page, { x: 900, y: 600 }, { x: 1100, y: 700 });
  const { width, height } = decode(file);
  expect(apart(pixel(file, width / 2, height / 2), VERMILION)).toBeLessThan(8);
  expect(apart(pixel(file, 3, height - 4), paper)).toBeLessThan(6);
  // Alone on stage the same board is larger (a pane is 953 units wide, the stage 1920): the line lies below, and the wheel goes there.
  await page.locator("#close-left").click();
  await expect(page.locator("#divider")).toBeHidden();
  await expect(page.locator("#whole")).toBeHidden();
  await page.mouse.move(640, 300);
  await page.mouse.wheel(0, 900);
  await expect(page.locator("#whole")).toBeVisible();
  const y = (650 * 1920) / 953 - 900;
  await expect.poll(async () => apart(await colour(page, 700, y), VERMILION)).toBeLessThan(6);
  await page.locator("#whole").click();
  await expect.poll(async () => apart(await colour(page, 700, y), VERMILION)).toBeGreaterThan(60);
});

test("a board for two: two fingers at once, each its colour, its undo and its wipe", async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 852 }, hasTouch: true });
  const page = await context.newPage();
  await startNow(page, server.base);
  await page.locator("#order").click();
  await page.locator("#board-halved").check();
  await page.getByRole("button", { name: "Ruled" }).click();
  await expect(page.locator("#row-left")).toBeVisible();
  const cdp = await context.newCDPSession(page);
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {number} dx @param {number} y */
  const touch = (type, dx, y) =>
    cdp.send("Input.dispatchTouchEvent", {
      type,
      touchPoints:
        type === "touchEnd"
          ? []
          : [
              { x: 200 + dx, y, id: 1 },
              { x: 1000 - dx, y, id: 2 },
            ],
    });
  for (const y of [200, 400]) {
    await touch("touchStart", 0, y);
    for (let i = 1; i <= 10; i++) await touch("touchMove", i * 20, y);
    await touch("touchEnd", 0, y);
  }
  const seen = async (/** @type {number} */ x, /** @type {number} */ y) => {
    const c = await colour(page, x, y);
    return apart(c, BLUE) < 30 ? "blue" : apart(c, VERMILION) < 30 ? "vermilion" : "none";
  };
  /** The ink at a place: the middle of a thin line may be a pixel off. @param {number} x @param {number} y */
  const ink = async (x, y) => {
    for (const dy of [0, 1, -1, 2, -2]) {
      const s = await seen(x, y + dy);
      if (s !== "none") return s;
    }
    return "none";
  };
  await expect.poll(() => ink(300, 200)).toBe("blue");
  expect(await ink(900, 200)).toBe("vermilion");
  expect(await ink(300, 400)).toBe("blue");
  await page.getByRole("button", { name: "Undo on the left half" }).click();
  await expect.poll(() => ink(300, 400)).toBe("none");
  expect(await ink(900, 400)).toBe("vermilion");
  await page.getByRole("button", { name: "Wipe the right half" }).click();
  await expect.poll(() => ink(900, 200)).toBe("none");
  expect(await ink(300, 200)).toBe("blue");
  await page.getByRole("button", { name: "Undo on the right half" }).click();
  await expect.poll(() => ink(900, 200)).toBe("vermilion");
  expect(await ink(300, 400)).toBe("none");
});

test("a board's pages go on, each with its marks; AVIF is read; what moves is frozen by lowering the glass", async ({
  page,
}) => {
  await startNow(page, server.base);
  await bring(page, [join(root, "e2e/fixtures/plain.avif")]);
  await expect(page.locator("#backdrop-name")).toHaveText("plain");
  await expect.poll(async () => apart(await colour(page, 640, 300), [47, 111, 95])).toBeLessThan(6);
  // What stands in a file's name stands in the backdrop's.
  const svg = Buffer.from(
    '<svg xmlns="http://www.w3.org/2000/svg" width="16" height="9"><rect width="16" height="9" fill="#fff"/></svg>',
  );
  await page
    .locator("#picture-file")
    .setInputFiles([{ name: 'Buoy "S" & <b>.svg', mimeType: "image/svg+xml", buffer: svg }]);
  await expect(page.locator("#backdrop-name")).toHaveText('Buoy "S" & <b>');
  // Of one that moves the first picture is shown, and that is said: red, then blue.
  const moves = Buffer.from(
    "R0lGODlhEAAJAIEAAMgeKAAAAAAAAAAAACH/C05FVFNDQVBFMi4wAwEAAAAh+QQACgAAACwAAAAAEAAJAAAIFgABCBxIsKDBgwgTKlzIsKHDhxARBgQAIfkEAAoAAAAsAAAAABAACQCBFFrSAAAAAAAAAAAACBYAAQgcSLCgwYMIEypcyLChw4cQEQYEADs=",
    "base64",
  );
  await page
    .locator("#picture-file")
    .setInputFiles([{ name: "Buoy swings.gif", mimeType: "image/gif", buffer: moves }]);
  await expect(page.locator("#says")).toHaveText("Buoy swings.gif: It moves, and is shown still: its first picture.");
  await expect.poll(async () => apart(await colour(page, 640, 300), [200, 30, 40])).toBeLessThan(8);
  await page.locator("#order").click();
  await page.locator("#board-surface").selectOption("slate");
  await page.getByRole("button", { name: "Dotted" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Board 2");
  await expect.poll(async () => apart(await colour(page, 650, 310), [28, 36, 43])).toBeLessThan(6);
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 200 }, { x: 800, y: 200 }));
  await expect.poll(async () => apart(await colour(page, 500, 200), VERMILION)).toBeLessThan(6);
  await page.keyboard.press("+");
  await expect(page.locator("#page-shown")).toHaveText("2 of 2");
  /** The second row has taken some room: the same place of the board is elsewhere on the screen. */
  const there = async () => {
    const box = await page.locator("#glass").boundingBox();
    return colour(
      page,
      (box?.x ?? 0) + (500 / 1280) * (box?.width ?? 0),
      (box?.y ?? 0) + (200 / 1280) * (box?.width ?? 0),
    );
  };
  await expect.poll(async () => apart(await there(), VERMILION)).toBeGreaterThan(60);
  await page.locator("#page-back").click();
  await expect.poll(async () => apart(await there(), VERMILION)).toBeLessThan(6);
  await expect(page.locator("#page-shown")).toHaveText("1 of 2");
  await page.locator("#more").click();
  await page.getByLabel("Lowering the glass (Mark) freezes what moves").check();
  await page.keyboard.press("Escape");
  await page.locator("#order").click();
  await page.locator('[data-source="bench"]').click();
  await page.locator(".pane-call button").click();
  await expect(page.locator(".pane:not(.away) canvas")).toBeVisible();
  await page.locator("#touch").click();
  await expect(page.locator("body.frozen")).toHaveCount(0);
  await page.locator("#mark").click();
  await expect(page.locator("body.frozen")).toBeVisible();
});

test("the running order is prepared: brought, moved by keys and by dragging, duplicated, removed, kept in the library", async ({
  page,
}, info) => {
  await page.goto(server.base);
  await page.getByText("New lesson").click();
  await page.getByLabel("Name", { exact: true }).fill("Evening 4");
  await page.getByRole("button", { name: "Make it" }).click();
  await ready(page);
  const lesson = Number(page.url().match(/lessons\/(\d+)/)?.[1]);
  await page.goto(`${server.base}/lessons/${lesson}/order`);
  const names = page.locator(".backdrop h2");
  await expect(names).toHaveText(["1. Board"]);
  const locked = info.outputPath("Locked.pdf");
  execFileSync("qpdf", ["--encrypt", "secret", "owner", "256", "--", demo("Notices to mariners.pdf"), locked]);
  await page
    .locator("#bring-files")
    .setInputFiles([demo("Berth plan.svg"), demo("Vessel at the buoys.webm"), locked, demo("Tide and lights.html")]);
  await expect(page.locator("#says")).toContainText("Locked.pdf: The PDF is locked with a password");
  await expect(names).toHaveCount(4);
  await page.getByRole("button", { name: "Berth plan: earlier" }).click();
  await expect(names.first()).toHaveText("1. Berth plan");
  await page
    .locator(".backdrop", { hasText: "Berth plan" })
    .dragTo(page.locator(".backdrop").last(), { targetPosition: { x: 280, y: 60 } });
  await expect(names.last()).toHaveText("4. Berth plan");
  await expect(names).toHaveCount(4);
  await page.getByRole("button", { name: /Duplicate Board/ }).click();
  await expect(names).toHaveCount(5);
  await page.getByRole("button", { name: "Remove Vessel at the buoys" }).click();
  await expect(page.getByRole("status")).toContainText("is removed");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(names).toHaveCount(5);
  await page.getByRole("button", { name: "Rename Berth plan" }).click();
  await page.getByLabel("Name of the backdrop").fill("Berths, proposal B");
  await page.keyboard.press("Enter");
  await expect(names.last()).toHaveText("5. Berths, proposal B");
  await page.getByRole("button", { name: "Keep Berths, proposal B in the library" }).click();
  await expect(page.getByText("In the library")).toBeVisible();
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.goto(`${server.base}/library?for=${lesson}`);
  await page.locator("#words").fill("no such thing");
  await expect(page.locator("#order")).toContainText("Nothing here is called");
  await page.locator("#words").fill("proposal berths");
  await expect(page.locator(".backdrop")).toHaveCount(1);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Use Berths" }).click();
  await expect(page.locator(".backdrop")).toContainText("in the running order now");
  await page.goto(`${server.base}/lessons/${lesson}/order`);
  await expect(names).toHaveCount(6);
});

test("the backdrop on stage is renamed, moved and removed in the stage's own panel, and comes back", async ({
  page,
}) => {
  await startNow(page, server.base);
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 300 }, { x: 700, y: 300 }));
  await page.locator("#order").click();
  await page.locator("[data-board='ruled']").click();
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  await page.locator("#order").click();
  await page.locator("#order-rename").click();
  await page.locator("#order-name").fill("Tides tonight");
  await page.keyboard.press("Enter");
  await expect(page.locator("#backdrop-name")).toHaveText("Tides tonight");
  await page.locator("#order-earlier").click();
  await expect(page.locator("#backdrop-place")).toContainText("1 of 2");
  await page.locator("#order-list button", { hasText: "Board" }).first().click();
  await expect.poll(async () => apart(await colour(page, 500, 300), VERMILION)).toBeLessThan(8);
  await page.locator("#order").click();
  await page.locator("#order-remove").click();
  await expect(page.locator("#order-removed")).toContainText("Board is removed");
  await expect(page.locator("#backdrop-name")).toHaveText("Tides tonight");
  await page.locator("#order-restore").click();
  await expect(page.locator("#backdrop-name")).toHaveText("Board");
  await page.keyboard.press("Escape");
  await expect.poll(async () => apart(await colour(page, 500, 300), VERMILION)).toBeLessThan(8);
});

test("a stroke on a backdrop that is taken away meanwhile comes back with it; instead of nothing there is a board", async ({
  page,
}) => {
  const id = await startNow(page, server.base);
  await page.request.post(`${server.base}/lessons/${id}/boards`, {
    form: { ruling: "ruled" },
    headers: { origin: server.base },
  });
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  const order = await (await page.request.get(`${server.base}/lessons/${id}/order/list`)).text();
  const taken = [...order.matchAll(/id="backdrop-(\d+)"/g)].at(-1)?.[1];
  await page.keyboard.press("2");
  await page.mouse.move(300, 300);
  await page.mouse.down();
  for (let x = 310; x < 500; x += 10) await page.mouse.move(x, 300);
  const answer = await page.request.post(`${server.base}/lessons/${id}/backdrops/${taken}/remove`, {
    headers: { origin: server.base },
  });
  expect(answer.status()).toBe(200);
  await expect(page.locator("#backdrop-place")).toContainText("1 of 1");
  for (let x = 510; x < 700; x += 10) await page.mouse.move(x, 300);
  await page.mouse.up();
  expect(apart(await colour(page, 600, 300), VERMILION)).toBeGreaterThan(60);
  await expect(page.locator("#line")).toBeHidden();
  await page.request.post(`${server.base}/lessons/${id}/backdrops/${taken}/restore`, {
    headers: { origin: server.base },
  });
  await expect(page.locator("#backdrop-place")).toContainText("1 of 2");
  await page.keyboard.press("PageDown");
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  await expect.poll(async () => apart(await colour(page, 400, 300), VERMILION)).toBeLessThan(8);
  // One after the other is removed: what is left is a board to draw on.
  for (const _ of [1, 2]) {
    await page.locator("#order").click();
    await page.locator("#order-remove").click();
    await expect(page.locator("#order-removed")).toBeVisible();
    await page.keyboard.press("Escape");
  }
  await expect(page.locator("#backdrop-place")).toContainText("1 of 1");
  await drag(page, straight({ x: 300, y: 400 }, { x: 700, y: 400 }));
  await expect.poll(async () => apart(await colour(page, 500, 400), VERMILION)).toBeLessThan(8);
});

test("by keyboard one stays where one was in the running order, and offline it says what failed", async ({
  page,
  context,
}) => {
  await page.goto(`${server.base}`);
  await page.getByRole("button", { name: "Start now" }).click();
  await ready(page);
  const id = Number(page.url().match(/lessons\/(\d+)/)?.[1]);
  for (const ruling of ["ruled", "squared"]) {
    await page.request.post(`${server.base}/lessons/${id}/boards`, {
      form: { ruling },
      headers: { origin: server.base },
    });
  }
  await page.goto(`${server.base}/lessons/${id}/order`);
  const cards = page.locator("#order .backdrop");
  await expect(cards).toHaveCount(3);
  const first = await cards.first().getAttribute("id");
  await page.keyboard.press("Tab");
  await page
    .locator(`#${first}`)
    .getByRole("button", { name: /: later$/ })
    .focus();
  await page.keyboard.press("Enter");
  await expect(cards.nth(1)).toHaveAttribute("id", first ?? "");
  await expect(page.locator(`#${first}`).getByRole("button", { name: /: later$/ })).toBeFocused();
  /** @type {string[]} */
  const thrown = [];
  page.on("pageerror", (e) => thrown.push(`${e}`));
  await context.setOffline(true);
  await cards.nth(2).dragTo(cards.first(), { targetPosition: { x: 10, y: 10 } });
  await expect(page.locator("#says")).toContainText("The line to the server is down");
  await expect(cards.nth(1)).toHaveAttribute("id", first ?? "");
  expect(thrown).toEqual([]);
});
