// @ts-check
// Typing at a display that has no keyboard: with fingers, on the screen.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { startNow } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("a text that a finger begins is typed on the screen, in another language's letters too", async ({ browser }) => {
  const context = await browser.newContext({ hasTouch: true, viewport: { width: 1280, height: 800 }, locale: "es-ES" });
  const page = await context.newPage();
  await startNow(page, server.base);
  const stage = page.url();
  const field = page.locator("#typing");
  const keys = page.getByRole("group", { name: "Keyboard on the screen" });
  const ask = page.locator("#screen-keys-ask");
  /** @param {...string} all */
  const tap = async (...all) => {
    for (const one of all) await keys.getByRole("button", { name: one, exact: true }).first().tap();
  };
  // Begun with a mouse, nothing is asked: there is a keyboard.
  await page.keyboard.press("t");
  await page.mouse.click(300, 300);
  await expect(field).toBeFocused();
  await expect(ask).toBeHidden();
  await page.keyboard.press("Escape");
  // Begun with a finger it is asked once, and never the browser's own keyboard comes up.
  await page.touchscreen.tap(300, 30);
  await expect(ask).toBeVisible();
  await expect(field).toHaveAttribute("inputmode", "none");
  await page.getByRole("button", { name: "On the screen" }).tap();
  await expect(ask).toBeHidden();
  await expect(keys.getByRole("combobox")).toHaveValue("spanish");
  await tap("Shift", "B", "a", "h", "Acute", "i", "a", "Space", "ñ", "x", "Delete", "Left", "o", "New line");
  await expect(field).toHaveValue("Bahía o\nñ");
  await expect(field).toBeFocused();
  expect((await new AxeBuilder({ page }).include("#screen-keys").analyze()).violations).toEqual([]);
  // Large enough for fingers.
  for (const key of await keys.locator(".hg-button").all()) {
    const box = await key.boundingBox();
    expect(Math.min(box?.width ?? 0, box?.height ?? 0)).toBeGreaterThanOrEqual(60);
  }
  // Moved by its grip, it stays there; what was typed goes on with other letters.
  const before = await keys.boundingBox();
  const grip = await page.locator("#screen-keys-grip").boundingBox();
  if (!before || !grip) throw new Error("no keyboard");
  await page.mouse.move(grip.x + 20, grip.y + 20);
  await page.mouse.down();
  await page.mouse.move(grip.x + 60, grip.y - 140, { steps: 4 });
  await page.mouse.up();
  const moved = await keys.boundingBox();
  expect([Math.round((moved?.x ?? 0) - before.x), Math.round((moved?.y ?? 0) - before.y)]).toEqual([40, -160]);
  await keys.getByRole("combobox").selectOption("german");
  await tap("ß");
  await expect(field).toHaveValue("Bahía o\nßñ");
  await page.getByRole("button", { name: "Done" }).click();
  await expect(keys).toBeHidden();
  // Opened again by a finger after a reload, the same keys stand where they were.
  await page.reload();
  await page.locator("body.ready").waitFor();
  await page.keyboard.press("t");
  await page.touchscreen.tap(310, 45);
  await expect(field).toHaveValue("Bahía o\nßñ");
  await expect(keys.getByRole("combobox")).toHaveValue("german");
  expect(await keys.boundingBox()).toEqual(moved);
  // With the child lock it is out of reach, also of a finger that begins another text.
  /** @param {string} id */
  const press = async (id) => {
    await page.locator(id).hover();
    await page.mouse.down();
    await expect(page.locator(`body${id === "#lock" ? ".locked" : ":not(.locked)"}`)).toBeVisible();
    await page.mouse.up();
  };
  await page.locator("#more").click();
  await press("#lock");
  await expect(keys).toBeHidden();
  await page.touchscreen.tap(700, 215);
  await expect(keys).toBeHidden();
  await press("#unlock");
  // With a finger that has a keyboard, nothing comes up.
  await page.goto(`${server.base}/settings`);
  await page.getByLabel("on a keyboard").check();
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.locator(".kept")).toHaveText("Kept.");
  await page.goto(stage);
  await page.locator("body.ready").waitFor();
  await page.keyboard.press("t");
  await page.touchscreen.tap(700, 215);
  await expect(field).toBeFocused();
  await expect(field).not.toHaveAttribute("inputmode", "none");
  await expect(keys).toBeHidden();
});
