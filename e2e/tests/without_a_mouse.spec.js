// @ts-check
// What participants do, and the wall, with a keyboard alone.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { apart, colour, follow, startNow } from "../stage.js";
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

const PAPER = [251, 250, 245];

/** Presses keys, some of them several times. @param {Page} page @param {...(string | [string, number])} keys */
async function press(page, ...keys) {
  for (const key of keys) {
    const [name, times] = typeof key === "string" ? [key, 1] : key;
    for (let n = 0; n < times; n++) await page.keyboard.press(name);
  }
}

/** Presses a control that has the keyboard. @param {Page} page @param {string} control */
async function use(page, control) {
  await page.locator(control).focus();
  await page.keyboard.press("Enter");
}

/** Whether there is ink at a place of an element, counted from its middle. @param {Page} page @param {string} id @param {number} dx @param {number} dy */
async function inked(page, id, dx, dy) {
  const box = await page.locator(id).boundingBox();
  if (!box) throw new Error("no picture");
  const [x, y] = [box.x + box.width / 2 + dx, box.y + box.height / 2 + dy];
  return apart(await colour(page, x, y), PAPER) > 60;
}

test("a place is answered and a passed pen drawn with by keys", async ({ page, browser }) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Ask…" }).click();
  await page.getByLabel("What is asked").fill("Where is the light?");
  await page.getByLabel("Answered by").selectOption("place");
  await page.getByRole("button", { name: "Ask", exact: true }).click();
  await expect(ines.locator("#asked")).toContainText("press Enter");
  await ines.locator("#mount").focus();
  await press(ines, ["ArrowRight", 4]);
  expect((await new AxeBuilder({ page: ines }).analyze()).violations).toEqual([]);
  await press(ines, "Enter");
  await expect(ines.locator("#asked")).toContainText("Your answer: where the dot is");
  await expect(ines.locator("#asked-places path")).toHaveAttribute("d", /^M0\.5[3-9]\d* 0\.5h0$/);
  // It is seen again where keys have nothing else to do.
  await press(ines, "Escape");
  await expect(ines.locator(".crosshair:visible")).toHaveCount(0);

  await press(page, "Escape");
  await page.locator("#people").click();
  await page.getByRole("button", { name: "Pass the pen to Ines" }).click();
  await expect(ines.locator("#pen-bar")).toBeVisible();
  await ines.locator("#mount").focus();
  // Five to the left with the pen down.
  await press(ines, "ArrowLeft", "Enter", ["ArrowLeft", 5], "Enter", "Escape");
  await expect.poll(() => inked(ines, "#picture", -60, 0)).toBe(true);
  const [there, here] = [await ines.locator("#picture").boundingBox(), await page.locator("#glass").boundingBox()];
  const scale = (here?.width ?? 0) / (there?.width ?? 1);
  await press(page, "Escape");
  await expect.poll(() => inked(page, "#glass", -60 * scale, 0)).toBe(true);
});

test("a worksheet is drawn, written, moved and handed in by keys, and counted by them", async ({ page, browser }) => {
  const lesson = await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines");
  await press(page, "v");
  const proof = page.locator(".proof").first();
  await proof.getByRole("button", { name: "Worksheet" }).click();
  await proof.getByRole("button", { name: "Give it" }).click();
  await expect(ines.locator('[data-count="Mine"]')).toHaveText("1");
  await ines.getByRole("link", { name: "Mine" }).press("Enter");
  await ines.locator(".sheet").press("Enter");
  await ines.locator("body.ready").waitFor();

  // A line above the middle, which is taken back and had again.
  await ines.locator("#glass").focus();
  await press(ines, ["ArrowUp", 4], ["ArrowLeft", 8], "Enter", ["ArrowRight", 16], "Enter");
  expect((await new AxeBuilder({ page: ines }).analyze()).violations).toEqual([]);
  await press(ines, "Escape");
  const line = () => inked(ines, "#glass", 60, -64);
  await expect.poll(line).toBe(true);
  await press(ines, "Control+z");
  await expect.poll(line).toBe(false);
  await press(ines, "Control+Shift+z");
  await expect.poll(line).toBe(true);
  // Selected, it is moved, and put back where it was.
  await use(ines, "#select");
  await ines.locator("#glass").focus();
  await press(ines, "Control+a", ["ArrowDown", 12]);
  await expect.poll(line).toBe(false);
  await press(ines, ["ArrowUp", 12], "Escape");
  await expect.poll(line).toBe(true);
  // In Touch the same keys move what is seen.
  await use(ines, "#touch");
  await ines.locator("#glass").focus();
  await press(ines, "+");
  await expect(ines.locator("#zoom-by")).toHaveText(/1\.\d/);
  await press(ines, "0");
  await expect.poll(line).toBe(true);
  // Written.
  await use(ines, "#text");
  await ines.locator("#glass").focus();
  await press(ines, ["ArrowDown", 8], "Enter");
  await ines.locator("#typing:not(.unread)").waitFor();
  await ines.keyboard.type("Low water");
  await press(ines, "Escape");
  await expect(ines.locator("#typing")).toBeHidden();
  await use(ines, "#hand-in");
  await expect(ines.locator("#standing")).toHaveText("Handed in. It has arrived.");

  // Drawn round, the line is within; tapped, it is the area itself; beside it there is none.
  await page.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await page.locator("#main .capture a, #main a.capture, #main .capture").first().press("Enter");
  await expect(page.locator("#wall-count")).toHaveText("1 of 1 handed in");
  await page.locator("#together").focus();
  const { width = 0, height = 0 } = (await page.locator("#together").boundingBox()) ?? {};
  const [across, down] = [Math.floor(width / 2 / 16) - 1, Math.floor(height / 2 / 16) - 1];
  await press(page, ["ArrowLeft", across], ["ArrowUp", down], "Enter");
  await press(
    page,
    ["ArrowRight", across * 2],
    ["ArrowDown", down * 2],
    ["ArrowLeft", across * 2],
    ["ArrowUp", down * 2],
  );
  await press(page, "Enter");
  await expect(page.locator("#together-count b")).toHaveText("1 of 1");
  await expect(page.locator("#together-count")).toContainText("1 with a mark wholly inside");
  await press(page, "Enter", "Enter");
  await expect(page.locator("#together-count")).toContainText("There is no mark");
});
