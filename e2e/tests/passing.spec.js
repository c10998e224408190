// @ts-check
// The pen is passed: participants draw on the stage, each with their own colour, and raise a hand.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { apart, drag, follow, pixel, startNow, straight } from "../stage.js";
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

const WHITE = [255, 255, 255];
const TABLET = { viewport: { width: 1024, height: 768 }, hasTouch: true };

/** A place of the picture. @param {Page} page @param {number} x @param {number} y fractions */
async function at(page, x, y) {
  const picture = await page.locator("#glass").boundingBox();
  if (!picture) throw new Error("no picture");
  return { x: picture.x + x * picture.width, y: picture.y + y * picture.height };
}

/** Whether there is ink at a place, to within some pixels. @param {Page} page @param {number} x @param {number} y */
async function marked(page, x, y) {
  const place = await at(page, x, y);
  const clip = { x: Math.round(place.x), y: Math.round(place.y) - 6, width: 1, height: 13 };
  const strip = await page.screenshot({ clip, scale: "css" });
  return [...Array(clip.height).keys()].some((n) => apart(pixel(strip, 0, n), WHITE) > 50);
}

/**
 * Draws with a pen, from (0.2, y) to (0.8, y) of the picture; `halfway` is done while it is down.
 * @param {Page} page @param {number} y @param {() => Promise<unknown>} [halfway]
 */
async function pen(page, y, halfway) {
  const client = await page.context().newCDPSession(page);
  const line = straight(await at(page, 0.2, y), await at(page, 0.8, y));
  /** @param {"mousePressed" | "mouseMoved" | "mouseReleased"} type @param {{ x: number, y: number }} place */
  const event = (type, place) =>
    client.send("Input.dispatchMouseEvent", {
      type,
      ...place,
      button: "left",
      buttons: type === "mouseReleased" ? 0 : 1,
      pointerType: "pen",
      force: 0.5,
      clickCount: 1,
    });
  await event("mousePressed", line[0]);
  for (const [n, place] of line.entries()) {
    await event("mouseMoved", place);
    if (n !== line.length >> 1) continue;
    // Whoever rests makes a shape of it: this one scribbles on.
    let scribbles = true;
    const seen = halfway?.().finally(() => (scribbles = false));
    for (let i = 0; seen && scribbles; i++) await event("mouseMoved", { x: place.x + (i % 2) * 30, y: place.y });
    await seen;
  }
  await event("mouseReleased", line[line.length - 1]);
}

test("a hand is raised, the pen passed, drawn with, wiped and taken back", async ({ page, browser }) => {
  await startNow(page, server.base);
  const tablet = await follow(browser, page, "Ines", TABLET);
  const phone = await follow(browser, page, "Olu", { viewport: { width: 390, height: 844 }, hasTouch: true });
  await expect(tablet.locator("#pen-bar")).toBeHidden();
  await phone.getByRole("button", { name: "Raise a hand" }).tap();
  await tablet.getByRole("button", { name: "Raise a hand" }).tap();
  await expect(page.locator("#hands-up")).toHaveText("2 up");
  await page.locator("#people").click();
  const people = page.locator("#people-list li");
  await expect(people.first()).toContainText("Oluhand 1");
  await expect(people.nth(1)).toContainText("Ineshand 2");
  expect((await new AxeBuilder({ page }).include("#people-panel").analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Olu's hand down" }).click();
  await expect(phone.getByRole("button", { name: "Raise a hand" })).toBeVisible();
  await page.getByRole("button", { name: "Pass the pen to Ines" }).click();
  await expect(people.first()).toContainText("Ineshas a pen");
  await expect(page.locator("#hands-up")).toBeHidden();
  await page.keyboard.press("Escape");

  // What they draw is on every screen, with their name beside it while they do.
  await expect(tablet.locator("#passed")).toContainText("passed you a pen");
  expect((await new AxeBuilder({ page: tablet }).analyze()).violations).toEqual([]);
  await tablet.locator("#swatches button").nth(1).click();
  await pen(tablet, 0.3, () => expect(page.locator("#drawing")).toHaveText("Ines"));
  await expect(page.locator("#drawing")).toHaveText("");
  for (const one of [page, tablet]) await expect.poll(() => marked(one, 0.5, 0.3)).toBe(true);
  // Nobody else may.
  await expect(phone.locator("#pen-bar")).toBeHidden();

  // The presenter draws, too; each undoes and erases only their own.
  const [left, right] = [await at(page, 0.2, 0.6), await at(page, 0.8, 0.6)];
  await page.keyboard.press("2");
  await drag(page, straight(left, right));
  await expect.poll(() => marked(tablet, 0.5, 0.6)).toBe(true);
  await tablet.getByRole("button", { name: "Erase" }).click();
  await pen(tablet, 0.6);
  await pen(tablet, 0.3);
  await expect.poll(() => marked(page, 0.5, 0.3)).toBe(false);
  expect(await marked(page, 0.5, 0.6)).toBe(true);
  await tablet.getByRole("button", { name: "Undo" }).click();
  await expect.poll(() => marked(page, 0.5, 0.3)).toBe(true);

  // Something else comes on stage, and what was there comes back with what was drawn; undo still is theirs.
  await page.keyboard.press("n");
  await expect.poll(() => marked(tablet, 0.5, 0.6)).toBe(false);
  await page.keyboard.press("n");
  await expect.poll(() => marked(tablet, 0.5, 0.6)).toBe(true);
  await tablet.getByRole("button", { name: "Undo" }).click();
  await expect.poll(() => marked(page, 0.5, 0.3)).toBe(false);
  expect(await marked(page, 0.5, 0.6)).toBe(true);

  // Wiped by the presenter alone, and back with an undo.
  await tablet.getByRole("radio", { name: "Draw" }).click();
  await pen(tablet, 0.3);
  await expect.poll(() => marked(page, 0.5, 0.3)).toBe(true);
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Wipe what Ines has drawn" }).click();
  await page.keyboard.press("Escape");
  await expect.poll(() => marked(tablet, 0.5, 0.3)).toBe(false);
  expect(await marked(page, 0.5, 0.6)).toBe(true);
  await page.locator("#undo").click();
  await expect.poll(() => marked(tablet, 0.5, 0.3)).toBe(true);

  // A pause holds it; one key takes all pens back.
  await page.locator("#people").click();
  await pen(tablet, 0.8, async () => {
    await expect(page.locator("#drawing")).toHaveText("Ines");
    await page.locator("#pause").click();
    await expect(tablet.locator("#paused")).toBeVisible();
  });
  await expect(tablet.locator("#says")).toContainText("paused");
  await expect(page.locator("#drawing")).toHaveText("");
  await page.locator("#pause").click();
  await page.getByRole("button", { name: "Pass the pen to all" }).click();
  await expect(phone.locator("#pen-bar")).toBeVisible();
  await page.keyboard.press("Escape");
  await pen(tablet, 0.8, async () => {
    await expect(page.locator("#drawing")).toHaveText("Ines");
    await page.keyboard.press(".");
    await expect(phone.locator("#pen-bar")).toBeHidden();
    await expect(tablet.locator("#pen-bar")).toBeHidden();
  });
  await expect(page.locator("#drawing")).toHaveText("");
  expect(await marked(page, 0.5, 0.8)).toBe(false);

  // Passed once more, it draws as before.
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the pen to Ines" }).click();
  await page.keyboard.press("Escape");
  await expect(tablet.locator("#pen-bar")).toBeVisible();
  await pen(tablet, 0.9);
  await expect.poll(() => marked(page, 0.5, 0.9)).toBe(true);
  for (const one of [page, tablet]) expect(await marked(one, 0.5, 0.8)).toBe(false);
});
