// @ts-check
// A participant's screen: offered, taken onto the stage by the presenter, marked, seen by all, ended.

import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { apart, colour, drag, follow, seenAt, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({
  launchOptions: { executablePath, args: [...args, "--auto-select-tab-capture-source-by-title=Notes of Ines"] },
});

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("a participant's screen waits, is seen by presenter and participants once it is taken, and ends", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  const phone = await follow(browser, page, "Olu", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const notes = await ines.context().newPage();
  await notes.setViewportSize({ width: 1600, height: 900 });
  await notes.goto(`${server.base}/join`);
  await notes.evaluate(() => {
    document.title = "Notes of Ines";
    document.body.replaceChildren();
    document.body.style.background = "#5f7a6a";
  });
  const devtools = await browser.newBrowserCDPSession();
  await expect
    .poll(async () => (await devtools.send("Target.getTargets")).targetInfos.some((t) => t.title === "Notes of Ines"))
    .toBe(true);
  await ines.bringToFront();
  await ines.getByRole("button", { name: "Show my screen…" }).click();
  await expect(ines.locator("#says")).toContainText("It waits for the presenter");
  await expect(page.locator("#sent-up")).toHaveText("1 sent");
  await expect(page.locator("#backdrop-place")).toContainText("1 of 1");
  await page.locator("#people").click();
  await expect(page.locator("#sent li")).toContainText("Screen");
  // Put aside, and had again: they are told both.
  await page.getByRole("button", { name: "Throw away what Ines sent" }).click();
  await expect(ines.locator("#says")).toContainText("has put your screen aside");
  await page.locator("#sent").getByRole("button", { name: "Undo" }).click();
  await expect(ines.locator("#says")).toContainText("waits for the presenter again");
  await page.locator("#sent").getByRole("button", { name: "With the name" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Screen of Ines");
  await page.keyboard.press("Escape");
  const place = { x: 640, y: 300 };
  await expect.poll(async () => apart(await colour(page, place.x, place.y), [95, 122, 106])).toBeLessThan(14);
  await expect(page.locator(".pane-call")).toHaveCount(0);
  const there = await seenAt(page, phone, place.x, place.y);
  await expect.poll(async () => apart(await colour(phone, there.x, there.y), [95, 122, 106])).toBeLessThan(14);
  await notes.evaluate(() => (document.body.style.background = "#8a6f9c"));
  for (const [one, at] of /** @type {const} */ ([
    [page, place],
    [phone, there],
  ]))
    await expect.poll(async () => apart(await colour(one, at.x, at.y), [138, 111, 156])).toBeLessThan(14);
  // It is marked and held as everything is.
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 200 }, { x: 900, y: 200 }));
  const marked = await seenAt(page, phone, 600, 200);
  // On a phone upright the line is a pixel wide.
  await expect.poll(async () => apart(await colour(phone, marked.x, marked.y), [138, 111, 156])).toBeGreaterThan(40);
  await page.keyboard.press("f");
  await expect(page.locator("body.frozen")).toBeVisible();
  await notes.evaluate(() => (document.body.style.background = "#ffffff"));
  await page.keyboard.press("f");
  await expect.poll(async () => apart(await colour(page, place.x, place.y), [255, 255, 255])).toBeLessThan(10);
  // Whoever shows it sees it, too, and is not told that it has stopped.
  await expect(ines.locator(".pane video")).toBeVisible();
  await expect(ines.locator("#stopped")).toBeHidden();
  await ines.getByRole("button", { name: "Stop showing my screen" }).click();
  await expect(ines.getByRole("button", { name: "Show my screen…" })).toBeVisible();
  // What it showed last stays, marked.
  await expect(page.locator("body.frozen")).toBeVisible();
  await expect(page.locator("#says")).toContainText("comes no more");
  const middle = await seenAt(page, page, 640, 400);
  await expect.poll(async () => apart(await colour(page, middle.x, middle.y), [255, 255, 255])).toBeLessThan(10);
});

/** A tab's picture keeps its size here, so a drawn one stands for the window. @param {import("@playwright/test").Page} page */
const drawsWindow = (page) =>
  page.evaluate(() => {
    const window_ = Object.assign(document.createElement("canvas"), { width: 1600, height: 900 });
    const context = window_.getContext("2d");
    setInterval(() => context?.fillRect(0, 0, 2, 2), 100);
    Object.assign(window, { window_ });
    navigator.mediaDevices.getDisplayMedia = async () => window_.captureStream();
  });

test("a participant's window that becomes another shape is seen whole, and goes when its page goes", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await drawsWindow(ines);
  await ines.getByRole("button", { name: "Show my screen…" }).click();
  await expect(page.locator("#sent-up")).toHaveText("1 sent");
  await page.locator("#people").click();
  await page.locator("#sent").getByRole("button", { name: "On stage, nameless" }).click();
  await page.keyboard.press("Escape");
  const shape = () =>
    page.locator(".pane canvas").evaluate((e) => {
      const { width, height } = e.getBoundingClientRect();
      return width / height;
    });
  await expect.poll(shape).toBeCloseTo(16 / 9, 1);
  await ines.evaluate(() => Object.assign(/** @type {any} */ (window).window_, { width: 900, height: 900 }));
  await expect.poll(shape).toBeCloseTo(1, 1);
  await ines.close();
  await expect(page.locator("#says")).toContainText("comes no more");
  await expect(page.locator("#backdrop-name")).toHaveText("Sent 1");
});

test("what is covered of a participant's screen is in no picture of it; a killed server ends it, and all are told", async ({
  page,
  browser,
}) => {
  const own = await Server.start();
  await startNow(page, own.base);
  const ines = await follow(browser, page, "Ines");
  const phone = await follow(browser, page, "Olu", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await drawsWindow(ines);
  const paint = (/** @type {string} */ colour) =>
    ines.evaluate((colour) => {
      const context = /** @type {any} */ (window).window_.getContext("2d");
      context.fillStyle = colour;
      context.fillRect(0, 0, 1600, 900);
    }, colour);
  /** What has come to a follower's page, beneath what is drawn over it there. */
  const got = () =>
    phone
      .locator(".pane canvas")
      .last()
      .evaluate((canvas) => {
        const copy = new OffscreenCanvas(1, 1).getContext("2d");
        copy?.drawImage(/** @type {HTMLCanvasElement} */ (canvas), 0, 0, 1, 1);
        return [...(copy?.getImageData(0, 0, 1, 1).data ?? [])].slice(0, 3);
      });
  await paint("#5f7a6a");
  await ines.getByRole("button", { name: "Show my screen…" }).click();
  await page.locator("#people").click();
  await page.locator("#sent").getByRole("button", { name: "With the name" }).click();
  await page.keyboard.press("Escape");
  await expect.poll(async () => apart(await got(), [95, 122, 106])).toBeLessThan(14);
  await page.keyboard.press("u");
  await expect(page.locator("#row-cover")).toBeVisible();
  await paint("#8a6f9c");
  await expect.poll(async () => apart(await got(), [59, 70, 81])).toBeLessThan(14);
  await page.locator("#aid-away").click();
  await expect.poll(async () => apart(await got(), [138, 111, 156])).toBeLessThan(14);

  await own.kill();
  await own.again();
  await expect(ines.locator("#says")).toContainText("Your screen is shown no more");
  await expect(page.locator("#says")).toContainText("Nothing new comes from the camera or screen");
  await expect(phone.locator("#stopped")).toBeVisible();
  await ines.getByRole("button", { name: "Show my screen…" }).click();
  await page.locator("#people").click();
  await page.locator("#sent").getByRole("button", { name: "With the name" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Screen of Ines");
  await expect(phone.locator("#stopped")).toBeHidden();
  await expect.poll(async () => apart(await got(), [138, 111, 156])).toBeLessThan(14);
  await own.stop();
});
