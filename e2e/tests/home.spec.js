// @ts-check
// Home with many lessons: looked for, sorted, archived; one that stayed empty goes by itself.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { drag, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("lessons are found by typing, sorted, archived and taken out again; empty ones leave nothing behind", async ({
  context,
}) => {
  let page = await context.newPage();
  for (const name of ["Tides", "Buoys", "Anchors"]) {
    await page.goto(server.base);
    await page.getByText("New lesson").click();
    await page.getByLabel("Name", { exact: true }).fill(name);
    await page.getByRole("button", { name: "Make it and go to the stage" }).click();
    await page.locator("body.ready").waitFor();
  }
  const names = () => page.locator(".lesson h2");
  // Started, and left without a mark: it goes while one looks.
  const stage = page;
  await startNow(stage, server.base);
  page = await context.newPage();
  await page.goto(server.base);
  await expect(names()).toHaveText([/^Lesson of/, "Anchors", "Buoys", "Tides"]);
  await stage.close();
  await expect(names()).toHaveText(["Anchors", "Buoys", "Tides"]);
  // Started, and drawn in: it stays.
  await startNow(page, server.base);
  await drag(page, straight({ x: 300, y: 300 }, { x: 600, y: 300 }));
  await expect(page.locator("#undo")).toBeEnabled();
  await page.goto(server.base);
  await expect(names()).toHaveText([/^Lesson of/, "Anchors", "Buoys", "Tides"]);

  await page.getByLabel("Which comes first").selectOption("By name");
  await expect(names()).toHaveText(["Anchors", "Buoys", /^Lesson of/, "Tides"]);
  await page.getByLabel("Words to look for").pressSequentially("tid");
  await expect(names()).toHaveText(["Tides"]);
  await page.getByLabel("Words to look for").fill("wreck");
  await expect(page.getByRole("status")).toHaveText("No lesson and no backdrop is called “wreck”.");
  await page.getByLabel("Words to look for").fill("");
  await expect(names()).toHaveCount(4);

  await page.getByRole("button", { name: "Archive Buoys" }).click();
  await expect(page.getByRole("button", { name: "Undo" })).toBeFocused();
  // It is focused a moment before it is told what to do.
  await expect(page.locator(".lesson.gone")).not.toHaveClass(/htmx/);
  await page.keyboard.press("Enter");
  await expect(names()).toHaveCount(4);
  await page.getByRole("button", { name: "Archive Buoys" }).click();
  await expect(page.getByRole("status")).toHaveText("Buoys is archived.");
  await page.getByRole("link", { name: "See the archive" }).click();
  await expect(names()).toHaveText(["Buoys"]);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "Take Buoys out of the archive" }).click();
  await expect(page.getByRole("status")).toHaveText("Buoys is among the lessons again.");
  await page.getByRole("link", { name: "Back to the lessons" }).click();
  await expect(names()).toHaveCount(4);
});
