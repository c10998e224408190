// @ts-check
// Whose the keyboard is: the stage's, the text's that is being typed, or a control's; and what comes of it.

import { Server } from "../server.js";
import { add, apart, colour, drag, ready, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start({ demo: true });
});
test.afterAll(async () => {
  await server.stop();
});

const PAPER = [251, 250, 245];
const VERMILION = [213, 94, 0];

test("the swatches and keys of a text leave it being typed", async ({ page }) => {
  await startNow(page, server.base);
  const text = page.locator("#typing");
  await page.keyboard.press("t");
  await page.mouse.click(300, 300);
  await page.keyboard.type("tac");
  await page.locator("#swatches button").nth(1).click();
  await page.keyboard.type("tics ");
  await page.locator("#swatches button").nth(1).click();
  await page.keyboard.type("de");
  await page.locator("#typing-larger").click();
  await page.keyboard.type("ci");
  const wrap = await page.locator("#typing-wrap").boundingBox();
  if (!wrap) throw new Error("no key for the width");
  await drag(page, straight({ x: wrap.x + 20, y: wrap.y + 20 }, { x: wrap.x + 60, y: wrap.y + 20 }, 4));
  await page.keyboard.type("des");
  await expect(text).toHaveValue("tactics decides");
  await expect(page.locator("#box-sheet")).toBeHidden();
  // By keyboard too: from a key of the bar the letters go back to the text.
  await page.locator("#typing-wrap").focus();
  await page.keyboard.press("ArrowRight");
  await page.keyboard.type("!");
  await expect(text).toHaveValue("tactics decides!");
});

test("a film's slider and speeds do not keep the stage's keys", async ({ page }) => {
  await page.goto(server.base);
  await page.getByRole("link", { name: "Open Coastal pilotage, evening 3" }).click();
  await ready(page);
  await page.locator("#order").click();
  await page
    .locator("#order-list")
    .getByRole("button", { name: /Vessel at the buoys/ })
    .first()
    .click();
  await expect(page.locator("#row-video")).toBeVisible();
  const [width, height] = [1280, 800];
  const slider = page.locator("#video-at");
  await slider.click();
  await page.keyboard.press("2");
  await drag(page, straight({ x: width / 2 - 200, y: height / 2 }, { x: width / 2 + 200, y: height / 2 }));
  expect(apart(await colour(page, width / 2, height / 2), VERMILION)).toBeLessThan(8);
  await slider.click();
  await page.keyboard.press("Control+z");
  await expect.poll(async () => apart(await colour(page, width / 2, height / 2), VERMILION)).toBeGreaterThan(40);
  await page.locator("#video-rate").selectOption("0.5");
  await page.keyboard.press("c");
  await expect(page.locator("#box-sheet")).toBeVisible();
  await page.keyboard.press("Escape");
  // By keyboard the arrows pull the slider, and a clicker still goes to the next backdrop.
  await slider.focus();
  const before = Number(await slider.inputValue());
  await page.keyboard.press("Home");
  await expect.poll(async () => Number(await slider.inputValue())).toBeLessThan(before);
  await page.keyboard.press("PageDown");
  await expect(page.locator("#backdrop-name")).not.toHaveText("Vessel at the buoys");
});

test("a tool's key pressed twice keeps the tool", async ({ page }) => {
  await startNow(page, server.base);
  await drag(page, straight({ x: 300, y: 300 }, { x: 600, y: 300 }));
  for (const [key, id] of [
    ["s", "select"],
    ["t", "text"],
    ["e", "erase"],
    ["h", "shapes"],
  ]) {
    await page.keyboard.press(key);
    await page.keyboard.press(key);
    await expect(page.locator(`#${id}`)).toHaveAttribute("aria-pressed", "true");
  }
  await page.keyboard.press("s");
  await page.keyboard.press("s");
  await page.keyboard.press("Control+a");
  await page.keyboard.press("Delete");
  await expect.poll(async () => apart(await colour(page, 450, 300), PAPER)).toBeLessThan(8);
});

test("what goes on after a reload can be started again", async ({ page }) => {
  await startNow(page, server.base);
  await add(page, "bench");
  await page.getByRole("button", { name: "Start it" }).click();
  await expect(page.locator("[data-runs=yes]")).toBeVisible();
  await page.keyboard.press("f");
  await expect(page.locator("#freeze-word")).toHaveText("Go on");
  await page.reload();
  await page.locator("#freeze").click();
  await page.getByRole("button", { name: "Start it" }).click();
  await expect(page.locator("[data-runs=yes]")).toBeVisible();
});

test("undo belongs to what is being set or typed", async ({ page }) => {
  await startNow(page, server.base);
  await page.keyboard.press("2");
  await drag(page, straight({ x: 300, y: 200 }, { x: 600, y: 200 }));
  await page.locator("#shapes").click();
  await page.locator("#figures").getByRole("button", { name: "open polyline" }).click();
  for (const [x, y] of [
    [300, 300],
    [600, 300],
    [600, 500],
  ])
    await page.mouse.click(x, y);
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Enter");
  expect(apart(await colour(page, 450, 300), VERMILION)).toBeLessThan(8);
  expect(apart(await colour(page, 600, 400), PAPER)).toBeLessThan(8);
  expect(apart(await colour(page, 450, 200), VERMILION)).toBeLessThan(8);
  await page.keyboard.press("t");
  await page.mouse.click(300, 600);
  await page.keyboard.type("fog");
  await page.locator("#undo").click();
  await expect(page.locator("#typing")).not.toHaveValue("fog");
  await page.locator("#redo").click();
  await expect(page.locator("#typing")).toHaveValue("fog");
  await page.keyboard.press("Escape");
  // Only now does it reach what was there before.
  for (let i = 0; i < 3; i++) await page.keyboard.press("Control+z");
  await expect.poll(async () => apart(await colour(page, 450, 200), PAPER)).toBeLessThan(8);
});

test("pasted words become a text, and so does a dropped file of words", async ({ page }) => {
  await startNow(page, server.base);
  await page.evaluate(() => navigator.clipboard.writeText("Fog signal\nevery 20 s"));
  await page.keyboard.press("Control+v");
  await expect(page.locator("#typing")).toHaveValue("Fog signal\nevery 20 s");
  await page.keyboard.press("Escape");
  const transfer = await page.evaluateHandle(() => {
    const transfer = new DataTransfer();
    transfer.items.add(new File(["Leading lights"], "note.txt", { type: "text/plain" }));
    return transfer;
  });
  await page.dispatchEvent("#glass", "drop", { dataTransfer: transfer, clientX: 300, clientY: 500 });
  await expect(page.locator("#typing")).toHaveValue("Leading lights");
});

test("the lever is moved by arrow keys, and the child lock survives a reload", async ({ page }) => {
  await startNow(page, server.base);
  await page.locator("#mark").focus();
  await page.keyboard.press("ArrowLeft");
  await expect(page.locator("#touch")).toBeFocused();
  await expect(page.locator("#touch")).toHaveAttribute("aria-checked", "true");
  await page.keyboard.press("ArrowRight");
  await expect(page.locator("#mark")).toHaveAttribute("aria-checked", "true");
  await page.locator("#more").click();
  await page.locator("#lock").hover();
  await page.mouse.down();
  await expect(page.locator("body.locked")).toBeVisible();
  await page.mouse.up();
  await page.reload();
  await expect(page.locator("body.ready.locked")).toBeVisible();
  await expect(page.locator("#unlock")).toBeVisible();
});

test("settings made elsewhere meanwhile stay, and an open stage hears of them", async ({ page, context }) => {
  await startNow(page, server.base);
  const laptop = await context.newPage();
  await laptop.goto(`${server.base}/settings`);
  await laptop.getByLabel("moves the picture").check();
  await laptop.getByLabel("left", { exact: true }).check();
  await laptop.getByRole("button", { name: "Keep" }).click();
  await expect(page.locator("body.edge-left")).toBeVisible();
  // The stage sets something else: the laptop's settings stay.
  await page.keyboard.press("e");
  const kept = page.waitForResponse((r) => r.url().endsWith("/settings/kept"));
  await page.getByRole("button", { name: "Large" }).click();
  await kept;
  await laptop.reload();
  await expect(laptop.getByLabel("moves the picture")).toBeChecked();
  await laptop.getByLabel("bottom").check();
  await laptop.getByRole("button", { name: "Keep" }).click();
  await expect(page.locator("body.edge-bottom")).toBeVisible();
  await expect(page.locator("[data-eraser='40']")).toHaveAttribute("aria-pressed", "true");
});

test("by keyboard alone one draws, sets a text, and moves what is selected", async ({ page }) => {
  await startNow(page, server.base);
  const press = async (/** @type {string} */ key, times = 1) => {
    for (let i = 0; i < times; i++) await page.keyboard.press(key);
  };
  // From the middle of the picture, 160 CSS pixels to the right.
  await press("2");
  await press("ArrowRight");
  await press("ArrowLeft");
  await press("Enter");
  await press("ArrowRight", 10);
  await press("Enter");
  await press("Escape");
  expect(apart(await colour(page, 720, 360), VERMILION)).toBeLessThan(8);
  expect(apart(await colour(page, 560, 360), PAPER)).toBeLessThan(8);
  await press("t");
  await press("ArrowUp", 5);
  await press("Enter");
  await page.keyboard.type("fog");
  await expect(page.locator("#typing")).toHaveValue("fog");
  await press("Escape");
  await press("s");
  await press("ArrowDown", 5);
  await press("Enter", 2);
  await expect(page.locator("#selection")).toBeVisible();
});

test("pages that are reached from the stage open beside it", async ({ page, context }) => {
  await startNow(page, server.base);
  const stage = page.url();
  for (const name of ["Captures", "Lessons", "Settings"]) {
    await page.locator("#more").click();
    const [beside] = await Promise.all([
      context.waitForEvent("page"),
      page.locator("#more-panel").getByRole("link", { name }).click(),
    ]);
    await expect(beside.getByRole("heading", { level: 1 })).toBeVisible();
    await beside.close();
    await page.keyboard.press("Escape");
    expect(page.url()).toBe(stage);
  }
});

test("each thing on the stage has its line in Help: found by typing, by a long press, or by ? on the thing", async ({
  page,
}) => {
  await startNow(page, server.base);
  const help = page.getByRole("dialog", { name: "Help" });
  const shown = page.locator("#help-lines li:visible");
  await page.keyboard.press("?");
  await page.keyboard.type("bearing");
  await expect(shown).toHaveText([/^Protractor/]);
  await page.keyboard.type(" nowhere");
  await expect(page.getByText("Nothing here has these words.")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(help).toBeHidden();
  // What is pressed for long is not pressed.
  const erase = await page.locator("#erase").boundingBox();
  if (!erase) throw new Error("no eraser");
  await page.mouse.move(erase.x + 20, erase.y + 20);
  await page.mouse.down();
  await expect(help).toBeVisible();
  await page.mouse.up();
  await expect(page.locator("#help-lines .here")).toContainText("Erase");
  await page.getByRole("button", { name: "Close" }).click();
  await expect(page.locator("#erase")).toHaveAttribute("aria-pressed", "false");
  await page.locator("#aids").focus();
  await page.keyboard.press("?");
  await expect(page.locator("#help-lines .here")).toContainText("Aids");
  await page.keyboard.type("bear");
  await expect(shown).toHaveText([/^Protractor/]);
  await page.getByLabel("Find").fill("");
  // A key that is given anew is said by the thing itself, too.
  await page.locator('button[data-deed="ruler"]').click();
  await page.keyboard.press(",");
  await expect(page.locator("#ruler")).toHaveAttribute("title", /\(,\)$/);
  // All of the rail, all of the aids, and all that has a key.
  const without = await page.evaluate(() => {
    const lines = /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("#help-lines li"));
    const known = new Set([...lines].flatMap((line) => (line.dataset.of ?? "").split(" ")));
    const all = [...document.querySelectorAll("#rail-tools :is(button, [role=radiogroup])[id], #aids-panel button")];
    return all.map(({ id }) => id).filter((id) => !known.has(id));
  });
  expect(without).toEqual(["unlock", "rail-grip"]);
  await expect(page.locator("#help-lines button")).toHaveCount(31);
});
