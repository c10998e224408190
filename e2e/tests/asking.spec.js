// @ts-check
// A quick question to all: asked, answered on phones, counted live, shown when the presenter wants, and as a table.

import AxeBuilder from "@axe-core/playwright";
import { at, COARSE, file, lasts, probe, record, shown, stop } from "../film.js";
import { Server } from "../server.js";
import { alike, apart, colour, decode, drag, follow, seenAt, startNow, straight } from "../stage.js";
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

const PHONE = { viewport: { width: 390, height: 844 }, hasTouch: true };

/** @param {Page} stage @param {string} kind @param {string} words @param {boolean} [named] */
async function ask(stage, kind, words, named = false) {
  if (await stage.locator("#ask-panel").isHidden()) {
    await stage.locator("#people").click();
    await stage.getByRole("button", { name: "Ask…" }).click();
  }
  await stage.getByLabel("What is asked").fill(words);
  await stage.getByLabel("Answered by").selectOption(kind);
  await stage.getByLabel("Whose an answer is").setChecked(named);
  await stage.getByRole("button", { name: "Ask", exact: true }).click();
  await expect(stage.locator("#asked h2")).toHaveText(words);
}

test("choices, numbers and words are answered, counted, closed, shown and taken as a table", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const [ines, olu] = [await follow(browser, page, "Ines", PHONE), await follow(browser, page, "=Olu", PHONE)];
  await ask(page, "choices-4", "Which buoy comes first?");
  for (const phone of [ines, olu]) await expect(phone.locator("#asked h2")).toHaveText("Which buoy comes first?");
  expect((await new AxeBuilder({ page: ines }).analyze()).violations).toEqual([]);
  await expect(ines.locator("#asked")).toContainText("Nobody sees whose an answer is");
  await ines.getByRole("button", { name: "B", exact: true }).tap();
  await expect(ines.locator("#asked")).toContainText("Your answer: B");
  await expect(ines.getByRole("button", { name: "B", exact: true })).toHaveAttribute("aria-pressed", "true");
  await olu.getByRole("button", { name: "C", exact: true }).tap();
  await expect(page.locator("#asked [role=status]")).toContainText("2 answered");
  // Another answer takes the place of the first.
  await olu.getByRole("button", { name: "B", exact: true }).tap();
  await page.getByText("What they say").click();
  await expect(page.locator("#asked .bars li").nth(1)).toContainText("B");
  await expect(page.locator("#asked .bars b").nth(1)).toHaveText("2");
  expect((await new AxeBuilder({ page }).include("#ask-panel").analyze()).violations).toEqual([]);
  // They see what all have said when the presenter wants, and cannot answer what is closed.
  await expect(ines.locator("#asked .bars")).toHaveCount(0);
  await page.getByRole("button", { name: "Show them" }).click();
  await expect(ines.locator("#asked .bars b").nth(1)).toHaveText("2");
  await page.getByRole("button", { name: "Close it" }).click();
  await expect(ines.getByRole("button", { name: "B", exact: true })).toHaveCount(0);
  await page.getByRole("button", { name: "Hide from them" }).click();
  await expect(ines.locator("#asked .asked")).toHaveCount(0);
  const one = /** @type {string} */ (await page.getByRole("link", { name: "Table" }).getAttribute("href"));
  const table = await (await page.request.get(server.base + one)).text();
  // Nobody finds out whose it was, also from the table.
  expect(table).toMatch(/^answered,name,answer\n[^,]*,,B\n[^,]*,,B\n$/);

  await ask(page, "number", "How many cables?", true);
  await expect(olu.locator("#asked")).toContainText("Your name is kept");
  await olu.getByLabel("Your answer").fill("many");
  await olu.getByRole("button", { name: "Answer", exact: true }).tap();
  await expect(olu.locator("#asked [role=status]")).toHaveText("A number is wanted.");
  await olu.getByLabel("Your answer").fill("2,5");
  await olu.getByRole("button", { name: "Answer", exact: true }).tap();
  await expect(olu.locator("#asked")).toContainText("Your answer: 2.5");
  await expect(page.locator("#asked [role=status]")).toContainText("1 answered; with names");
  const next = /** @type {string} */ (await page.getByRole("link", { name: "Table" }).getAttribute("href"));
  expect(await (await page.request.get(server.base + next)).text()).toMatch(/,'=Olu,2\.5\n$/);
  // What was asked before has its table still.
  await page.getByText("Asked before (1)").click();
  await expect(page.locator(".asked-before li")).toContainText("2 answered");
  // It stays open when the panel is brought up to date.
  await page.waitForResponse((answer) => answer.url().endsWith("/asked"));
  await page.waitForResponse((answer) => answer.url().endsWith("/asked"));
  await expect(page.locator(".asked-before li")).toBeVisible();
  const before = await page.getByRole("link", { name: "Table of Which buoy" }).getAttribute("href");
  expect(before).toBe(one);
  // What is not of this lesson is not there; whoever asks for what was asked before gets nothing of it.
  expect((await page.request.get(server.base + next.replace(`/${lesson}/`, "/99/"))).status()).toBe(404);
});

test("a place on the picture is answered with a tap, and shown to all as points", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Ines", PHONE);
  const other = await follow(browser, page, "Olu", PHONE);
  await record(page, { microphone: "none", ...COARSE });
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the pen to Olu" }).click();
  await expect(other.locator("#pen-bar")).toBeVisible();
  await page.keyboard.press("Escape");
  await ask(page, "place", "Where is the light?");
  await expect(phone.locator("#asked")).toContainText("Tap the place");
  const mount = await phone.locator("#mount").boundingBox();
  if (!mount) throw new Error("no picture");
  await phone.touchscreen.tap(mount.x + mount.width / 4, mount.y + mount.height / 2);
  await expect(phone.locator("#asked")).toContainText("Your answer: where the dot is");
  const there = /^M0\.2[45]\d* 0\.(49|50)\d*h0$/;
  await expect(phone.locator("#asked-places path")).toHaveAttribute("d", there);
  await page.getByText("What they say").click();
  await expect(page.locator("#asked-places path")).toHaveAttribute("d", there);
  const recorded = async () => {
    const [m, s] = ((await page.locator("#record-word").textContent()) ?? "").split(":").map(Number);
    return m * 60 + s;
  };
  const alone = await recorded();
  await lasts(page, alone + 2);
  await page.getByRole("button", { name: "Show them" }).click();
  await expect(phone.locator("#asked .bars")).toHaveCount(0);
  await expect(phone.locator("#asked-places path")).toHaveAttribute("d", there);
  // What is answered after that comes to everybody by itself, whatever is open on the stage; a pen waits until then.
  await page.keyboard.press("Escape");
  const waits = await seenAt(page, other, 640, 400);
  await drag(other, straight({ x: waits.x - 60, y: waits.y }, { x: waits.x + 60, y: waits.y }));
  await other.touchscreen.tap(mount.x + (mount.width * 3) / 4, mount.y + mount.height / 2);
  const both = /^M0\.2\S+ 0\.(49|50)\d*h0M0\.7[45]\d* 0\.(49|50)\d*h0$/;
  for (const one of [page, phone, other]) await expect(one.locator("#asked-places path")).toHaveAttribute("d", both);
  await lasts(page, (await recorded()) + 2);
  const [stage, theirs] = [{ x: 640, y: 150 }, await seenAt(page, other, 640, 150)];
  const paper = await colour(page, stage.x, stage.y);
  await drag(other, straight({ x: theirs.x - 60, y: theirs.y }, { x: theirs.x + 60, y: theirs.y }));
  await expect.poll(async () => apart(await colour(page, stage.x, stage.y), paper)).toBeGreaterThan(40);
  for (const one of [page, other]) await expect(one.locator("#asked-places path")).toHaveAttribute("d", both);
  // That is all they have drawn.
  const green = async () => alike(decode(await page.locator("#picture").screenshot()), [0, 158, 115], 40);
  expect(await green()).toBeGreaterThan(20);
  await other.getByRole("button", { name: "Undo" }).click();
  await expect.poll(green).toBe(0);
  // The film has what all could see, from then on.
  const film = await file(page, await stop(page), "film.mp4");
  const dot = (/** @type {number} */ time, /** @type {number} */ x) =>
    apart(at(shown(film, time), x, 0.5), [224, 134, 66]);
  expect(dot(alone + 1, 0.25)).toBeGreaterThan(80);
  for (const x of [0.25, 0.75]) expect(dot(probe(film).seconds - 1.2, x)).toBeLessThan(24);
  // It is a place on the picture: where that is enlarged, everywhere, it goes with it.
  await page.keyboard.press("Escape");
  await page.locator("#touch").click();
  await page.keyboard.press("+");
  const moved = /^M0\.(0|1)\d+ 0\.(49|50)\d*h0M/;
  await expect(page.locator("#asked-places path")).toHaveAttribute("d", moved);
  await expect(phone.locator("#asked-places path")).toHaveAttribute("d", moved);

  // On a phone held across what is asked keeps no finger from the picture, and a tap there is an answer and nothing else.
  await ask(page, "place", "Where is the wind?");
  await phone.setViewportSize({ width: 844, height: 390 });
  await expect(phone.locator("#asked")).toContainText("Where is the wind?");
  await phone.touchscreen.tap(422, 20);
  await expect(phone.locator("#asked-places path")).toHaveAttribute("d", /^M0\.(49|5)\d* 0\.0[45]\d*h0$/);
  await expect(phone.locator("header")).toHaveCSS("opacity", "0");
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  await phone.touchscreen.tap(30, 150);
  await expect(phone.locator("header")).toHaveCSS("opacity", "1");
});
