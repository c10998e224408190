// @ts-check
// Worksheets: given with two presses, marked on a phone, handed in, seen on the wall.

import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { joinMany } from "../class.js";
import { Server } from "../server.js";
import { apart, colour, drag, follow, pixel, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Browser, Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

const WHITE = [255, 255, 255];

/** A worksheet of what is on stage. @param {Page} stage */
async function give(stage) {
  await stage.keyboard.press("v");
  const proof = stage.locator(".proof").first();
  await proof.getByRole("button", { name: "Worksheet" }).click();
  await proof.getByLabel("Instruction").fill("Mark the safe water");
  await proof.getByRole("button", { name: "Give it" }).click();
  await expect(proof.getByRole("status").first()).toContainText("It is a worksheet now");
}

/** Draws across the middle of a worksheet with a finger. @param {Page} phone @param {number} from */
async function drawn(phone, from = 0.3) {
  const glass = await phone.locator("#glass").boundingBox();
  if (!glass) throw new Error("no sheet");
  const [y, left, right] = [glass.y + glass.height / 2, glass.x + glass.width * from, glass.x + glass.width * 0.7];
  const client = await phone.context().newCDPSession(phone);
  const line = straight({ x: left, y }, { x: right, y });
  /** @param {"touchStart" | "touchMove" | "touchEnd"} type @param {{ x: number, y: number }[]} touchPoints */
  const touch = (type, touchPoints) => client.send("Input.dispatchTouchEvent", { type, touchPoints });
  await touch("touchStart", [line[0]]);
  for (const place of line) await touch("touchMove", [place]);
  // It rests before it lifts: a finger that is flung is no tap's neighbour to the browser.
  for (let n = 0; n < 10; n++) {
    await phone.evaluate(() => new Promise(requestAnimationFrame));
    await touch("touchMove", [line[line.length - 1]]);
  }
  await touch("touchEnd", []);
  return { x: glass.x + glass.width / 2, y };
}

test("a worksheet is given, marked on a phone, handed in, and on the wall", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const count = phone.locator('[data-count="Mine"]');
  await expect(count).toBeHidden();
  await give(page);
  await expect(count).toHaveText("1");
  await phone.getByRole("link", { name: "Mine" }).tap();
  await expect(phone.locator(".sheet")).toContainText("Mark the safe water");
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  await expect(phone.locator(".sheet")).toContainText("Not handed in yet");
  // What is asked on the stage meanwhile is counted there, and told where they write.
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const asked = `${server.base}/lessons/${lesson}/asked`;
  const ask = () => page.request.post(asked, { form: { kind: "yes-no" } });
  await expect(phone.locator('[data-count="Stage"]')).toBeHidden();
  await ask();
  await expect(phone.locator('[data-count="Stage"]')).toHaveText("1");
  await page.request.post(`${asked}/1/close`);
  await expect(phone.locator('[data-count="Stage"]')).toBeHidden();
  await phone.locator(".sheet").tap();
  await phone.locator("body.ready").waitFor();
  await expect(phone.locator("#asks")).toBeHidden();
  await ask();
  await expect(phone.locator("#asks")).toBeVisible();
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  await phone.locator("#asks a").tap();
  await phone.locator("#asked").getByRole("button", { name: "yes" }).tap();
  await expect(phone.locator("#asked")).toContainText("Your answer: yes");
  await phone.getByRole("link", { name: "Mine" }).tap();
  await expect(phone.locator('[data-count="Stage"]')).toBeHidden();
  await phone.locator(".sheet").tap();
  await phone.locator("body.ready").waitFor();
  await expect(phone.locator("#asks")).toBeHidden();
  // The thick one.
  await phone.locator("#swatches button").nth(1).tap();
  const middle = await drawn(phone);
  await expect.poll(async () => apart(await colour(phone, middle.x, middle.y), WHITE)).toBeGreaterThan(100);
  // Nobody else has it.
  await phone.reload();
  await phone.locator("body.ready").waitFor();
  await expect.poll(async () => apart(await colour(phone, middle.x, middle.y), WHITE)).toBeGreaterThan(100);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");

  await page.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await page.locator("#main .capture").click();
  await expect(page.locator("#wall-count")).toHaveText("1 of 1 handed in");
  const card = page.locator(".hand-in canvas");
  await expect
    .poll(() =>
      card.evaluate((/** @type {HTMLCanvasElement} */ c) => {
        const context = c.getContext("2d");
        return context?.getImageData(c.width / 2, c.height / 2, 1, 1).data[3];
      }),
    )
    .toBeGreaterThan(200);
  // Names are off at first.
  await expect(page.locator(".hand-in b")).toHaveText("1");
  await page.getByRole("radio", { name: "Names" }).click();
  await expect(page.locator(".hand-in b")).toHaveText("Ines");
  const together = await page.locator("#together").boundingBox();
  if (!together) throw new Error("no picture");
  const place = (/** @type {number} */ x, /** @type {number} */ y) => ({
    x: together.x + x * together.width,
    y: together.y + y * together.height,
  });
  const round = [place(0.2, 0.3), place(0.8, 0.3), place(0.8, 0.7), place(0.2, 0.7)];
  await drag(page, round);
  await expect(page.locator("#together-count b")).toHaveText("1 of 1");
  await expect(page.locator("#together-count")).toContainText("1 with a mark wholly inside");
  await page.getByText("Who", { exact: true }).click();
  await expect(page.locator("#together-who p")).toHaveText("Ines");
  // A mark is an area, too: here the only one there is, which lies within itself.
  const area = () => page.locator("#together-area path").getAttribute("d");
  const before = await area();
  const ink = place(0.5, 0.5);
  await page.mouse.click(ink.x, ink.y);
  await expect.poll(area).not.toBe(before);
  await expect(page.locator("#together-count b")).toHaveText("1 of 1");
  const bare = place(0.5, 0.95);
  await page.mouse.click(bare.x, bare.y);
  await expect(page.locator("#together-count")).toContainText("There is no mark");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "All together on stage" }).click();
  await expect(page.locator("#wall-says")).toHaveText("On stage.");
  await page.goto(`${server.base}/lessons/${lesson}/stage`);
  await expect(page.locator("#backdrop-name")).toHaveText("All together");
});

test("two phones, a tablet with a pen and thirty more are here, and all hand in", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const across = await follow(browser, page, "Olu", { viewport: { width: 844, height: 390 }, hasTouch: true });
  const tablet = await follow(browser, page, "Mei", { viewport: { width: 1024, height: 768 }, hasTouch: true });
  const others = await joinMany(page, 30);
  await expect(page.locator("#people-count")).toHaveText("33");
  await give(page);
  // Held across the picture has the screen: a tap brings the rest.
  await across.touchscreen.tap(422, 195);
  for (const one of [phone, across, tablet]) {
    await one.getByRole("link", { name: "Mine" }).tap();
    await one.locator(".sheet").tap();
    await one.locator("body.ready").waitFor();
  }
  // Who is at their own is here all the same.
  await page.locator("#people").click();
  await expect(page.locator("#people-list li", { hasText: "Ines" })).toContainText("at what is theirs");
  await expect(page.locator("#people-title")).toHaveText("33 here");
  await drawn(phone);
  await drawn(across);
  const glass = await tablet.locator("#glass").boundingBox();
  if (!glass) throw new Error("no sheet");
  await tablet.locator("#swatches button").nth(1).tap();
  const client = await tablet.context().newCDPSession(tablet);
  const pen = async (/** @type {number} */ share, /** @type {number} */ force) => {
    const y = glass.y + glass.height * share;
    const line = straight({ x: glass.x + glass.width * 0.3, y }, { x: glass.x + glass.width * 0.7, y });
    const event = (
      /** @type {"mousePressed" | "mouseMoved" | "mouseReleased"} */ type,
      /** @type {{ x: number, y: number }} */ place,
    ) =>
      client.send("Input.dispatchMouseEvent", {
        type,
        ...place,
        button: "left",
        clickCount: 1,
        pointerType: "pen",
        force,
      });
    await event("mousePressed", line[0]);
    for (const place of line) await event("mouseMoved", place);
    await event("mouseReleased", line[line.length - 1]);
    const clip = { x: glass.x + glass.width / 2, y: y - 20, width: 1, height: 40 };
    const strip = await tablet.screenshot({ clip, scale: "css" });
    return [...Array(40).keys()].filter((n) => apart(pixel(strip, 0, n), WHITE) > 100).length;
  };
  const [light, firm] = [await pen(0.4, 0.05), await pen(0.6, 1)];
  expect(light).toBeGreaterThan(0);
  // The line is wider where the pen presses.
  expect(firm).toBeGreaterThan(light * 1.5);
  for (const one of [phone, across, tablet]) {
    await one.locator("#hand-in").tap();
    await expect(one.locator("#standing")).toHaveText("Handed in. It has arrived.");
  }
  const sheet = new URL(phone.url()).pathname.match(/\/mine\/\d+$/)?.[0] ?? "";
  const handed = await Promise.all(
    others.map(async ({ asks }) => {
      await asks(sheet);
      return (await (await asks(`${sheet}/hand-in?insists=true`, { method: "POST" })).json()).words;
    }),
  );
  expect(new Set(handed)).toEqual(new Set(["Handed in. It has arrived."]));
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const wall = await page.context().newPage();
  await wall.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await wall.locator("#main .capture").click();
  await expect(wall.locator("#wall-count")).toHaveText("33 of 33 handed in");
  // Whoever is sent away is out at once, from what is theirs, too.
  await page.locator("#people-list li", { hasText: "Olu" }).getByRole("button", { name: "Send Olu away" }).click();
  await expect(across.locator("#line")).toContainText("sent you away");
  await expect(page.locator("#people-title")).toHaveText("32 here");
  for (const { leave } of others) leave();
});

test("a hand-in is remarked on, given back, handed in again, noted, put on stage and out", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await give(page);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  await phone.getByRole("link", { name: "Mine" }).tap();
  await phone.locator(".sheet").tap();
  await phone.locator("body.ready").waitFor();
  await drawn(phone);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");

  const wall = await page.context().newPage();
  await wall.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await wall.locator("#main .capture").click();
  await wall.getByRole("button", { name: "Open hand-in 1" }).click();
  await expect(wall.locator("#hand-in")).toContainText("handed in");
  await wall.getByRole("link", { name: "Open large and remark" }).click();
  await wall.locator("body.ready").waitFor();
  const glass = await wall.locator("#glass").boundingBox();
  const sheet = await phone.locator("#glass").boundingBox();
  if (!glass || !sheet) throw new Error("no sheet");
  const high = (sheet.width * glass.height) / glass.width;
  const marked = async (/** @type {number} */ y) =>
    apart(await colour(phone, sheet.x + sheet.width / 2, sheet.y + sheet.height / 2 + (y - 0.5) * high), WHITE) > 50;
  /** Whether there is what Ines drew, and the remark. */
  const drawings = async () => [await marked(0.5), await marked(0.8)];
  const low = glass.y + glass.height * 0.8;
  await wall.keyboard.press("2");
  await drag(wall, straight({ x: glass.x + 0.4 * glass.width, y: low }, { x: glass.x + 0.6 * glass.width, y: low }));
  await expect.poll(drawings).toEqual([true, true]);
  // Everybody wipes only what is their own.
  await wall.locator("#wipe").click();
  await expect.poll(drawings).toEqual([true, false]);
  await wall.locator("#undo").click();
  await expect.poll(drawings).toEqual([true, true]);
  await phone.locator("#wipe").tap();
  await expect.poll(drawings).toEqual([false, true]);
  await phone.locator("#undo").tap();
  await expect.poll(drawings).toEqual([true, true]);
  await wall.getByRole("link", { name: "Done" }).click();
  await wall.getByRole("button", { name: "Open hand-in 1" }).click();
  await expect(wall.locator("#hand-in")).toContainText("1 remark");

  await wall.getByRole("button", { name: "For another try" }).click();
  await expect(phone.locator("#standing")).toContainText("given it back");
  await expect(wall.locator(".hand-in label")).toContainText("for another try");
  // It is closed meanwhile: what was given back is in time all the same.
  await wall.getByRole("button", { name: "Close it" }).click();
  await drawn(phone, 0.6);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");
  await expect(wall.locator(".hand-in label")).toContainText("version 2");

  await wall.getByLabel("Right").check();
  await wall.getByLabel("Points").fill("7,5");
  await wall.getByLabel("Points").press("Enter");
  await expect(wall.locator(".hand-in label")).toContainText("✓ 7.5");
  expect((await new AxeBuilder({ page: wall }).analyze()).violations).toEqual([]);
  const table = await (await page.request.get(`${wall.url()}/csv?names=true`)).text();
  expect(table.split("\n")[1]).toMatch(/^1,Ines,handed in,2,[-0-9]+ [:0-9]+,tick,7.5$/);
  const zip = await page.request.get(`${wall.url()}/zip`);
  const packed = join(mkdtempSync(join(tmpdir(), "wall-")), "all.zip");
  writeFileSync(packed, await zip.body());
  expect(execFileSync("unzip", ["-Z1", packed]).toString()).toMatch(/\.csv\n001\.png\n$/);
  const pdf = await page.request.get(`${wall.url()}/pdf?layout=6`);
  expect((await pdf.body()).subarray(0, 5).toString()).toBe("%PDF-");

  await wall.getByRole("button", { name: "On stage, nameless" }).click();
  await expect(wall.locator("#wall-says")).toHaveText("On stage.");
  await expect(page.locator("#backdrop-name")).toHaveText(/ 1$/);
  // After the end, it is late, until the presenter takes it.
  await drawn(phone, 0.3);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toContainText("after the end");
  await wall.getByRole("button", { name: "Open hand-in 1" }).click();
  await wall.getByRole("button", { name: "Take it all the same" }).click();
  await expect(wall.locator(".hand-in label")).toContainText(/handed in \d.*version 3/);
});

test("an empty one is asked about, a broken line hands in later, and what goes elsewhere fits", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const other = await follow(browser, page, "Olu", { viewport: { width: 844, height: 390 }, hasTouch: true });
  await page.keyboard.press("v");
  const proof = page.locator(".proof").first();
  await proof.getByRole("button", { name: "Worksheet" }).click();
  await proof.getByLabel("Instruction").fill("Ring it");
  await proof.getByText("Time, who, elsewhere").click();
  await proof.getByLabel("Minutes, if there is a limit").fill("10");
  await proof.getByLabel("For", { exact: true }).selectOption("those who are ticked");
  await proof.getByLabel("Ines").check();
  await proof.getByLabel("Width in pixels").fill("600");
  await proof.getByLabel("Height in pixels").fill("400");
  await proof.getByLabel("The most in kB").fill("5");
  await proof.getByRole("button", { name: "Give it" }).click();
  await expect(page.locator("#says")).toContainText("from 10");
  await proof.getByLabel("The most in kB").fill("20");
  await proof.getByRole("button", { name: "Give it" }).click();
  await expect(proof.getByRole("status").first()).toContainText("It is a worksheet now");

  // It is for one of them: the other has none, and gets none by its address.
  await expect(phone.locator('[data-count="Mine"]')).toHaveText("1");
  await expect(other.locator('[data-count="Mine"]')).toBeHidden();
  await phone.getByRole("link", { name: "Mine" }).tap();
  await phone.locator(".sheet").tap();
  await phone.locator("body.ready").waitFor();
  await expect(phone.locator("#left")).toHaveText(/^(10:00|9:\d\d) left$/);
  for (const place of ["", "/elsewhere", "/standing", "/backdrops/0/picture"])
    expect((await other.request.get(`${phone.url()}${place}`, { maxRedirects: 0 })).status(), place).toBe(404);

  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toContainText("Nothing is marked on it yet");
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toContainText("nothing has changed since");

  await phone.context().setOffline(true);
  await drawn(phone);
  await phone.locator("#hand-in").tap();
  await expect(phone.locator("#standing")).toContainText("kept here, and handed in as soon as the line is back");
  // Also when its page is closed meanwhile.
  const there = phone.url();
  await phone.goto("about:blank");
  await phone.context().setOffline(false);
  // As if that had been five minutes ago.
  await phone.goto(`${server.base}/join`);
  await phone.evaluate(() => {
    const key = Object.keys(localStorage).find((name) => name.startsWith("bozzetto-hands-in")) ?? "";
    const [how, since] = (localStorage.getItem(key) ?? "").split(" ");
    localStorage.setItem(key, `${how} ${Number(since) - 5 * 60_000}`);
  });
  await phone.goto(there);
  await expect(phone.locator("#standing")).toHaveText("Handed in. It has arrived.");
  const sheet = new URL(phone.url()).pathname.split("/").pop();
  const now = await (await page.request.get(`${server.base}/lessons/${lesson}/worksheets/${sheet}/now`)).json();
  expect(now.answers.map((/** @type {{ words: string }} */ a) => a.words)).toEqual([
    expect.stringMatching(/^handed in .*, version 2, waited 5 min for a line$/),
  ]);

  const [bytes, ...size] = await phone.evaluate(async () => {
    const blob = await (await fetch(`${location.pathname}/elsewhere`)).blob();
    const picture = await createImageBitmap(blob);
    return [blob.size, picture.width, picture.height];
  });
  expect(bytes).toBeLessThanOrEqual(20_000);
  expect(size[0] === 600 || size[1] === 400).toBe(true);
  expect(size[0] <= 600 && size[1] <= 400).toBe(true);
});
