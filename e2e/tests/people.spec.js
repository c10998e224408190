// @ts-check
// Who has joined: names apart, another device with a word, the door, the list, and what is kept removed.

import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { follow, startNow } from "../stage.js";
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

/** Fills in the page on which one joins, in a browser of its own. @param {Browser} browser @param {string} code @param {string} name @param {string} [word] */
async function join(browser, code, name, word) {
  const page = await (await browser.newContext()).newPage();
  await page.goto(`${server.base}/join/${code.replace(" ", "")}`);
  await page.getByLabel("Your name").fill(name);
  if (word) {
    await page.getByText("I have joined from another device").click();
    await page.getByLabel("The word").fill(word);
  }
  await page.getByRole("button", { name: "Join", exact: true }).click();
  return page;
}

test("names are apart, a word brings another device, a closed door keeps new ones out, and nothing is kept for ever", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  const first = await follow(browser, page, "Ines");
  await page.locator("#people").click();
  const code = (await page.locator(".join-code").textContent()) ?? "";
  // Names of any script, and of nothing.
  const second = await join(browser, code, "ines");
  await expect(second.locator("header")).toContainText("ines (2)");
  const long = await join(browser, code, `نور 🌊 ${"ü".repeat(200)}`);
  await expect(long.locator("header")).toContainText("نور 🌊");
  const nobody = await join(browser, code, "\u2003 \u200b ");
  await expect(nobody.getByRole("alert")).toContainText("say who you are");

  await page.goto(`${server.base}/lessons/${lesson}/people`);
  await expect(page.locator(".people tbody tr")).toHaveCount(3);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByRole("button", { name: "A word for another device of Ines" }).first().click();
  const says = (await page.getByRole("status").textContent()) ?? "";
  const word = says.match(/word (\w{4} \w{4})/)?.[1] ?? "";

  // Only with that name, and only once.
  await page.getByRole("button", { name: "Close the door" }).click();
  expect(await (await join(browser, code, "Olu", word)).getByRole("alert").textContent()).toContain(
    "lets nobody of that",
  );
  const other = await join(browser, code, "Ines", word);
  await expect(other.locator("header")).toContainText("Ines");
  await expect(page.locator(".people tbody tr")).toHaveCount(3);
  expect(await (await join(browser, code, "Ines", word)).getByRole("alert").textContent()).toContain(
    "lets nobody of that",
  );
  expect(await (await join(browser, code, "Mei")).getByRole("alert").textContent()).toContain("closed the door");
  await first.reload();
  await expect(first.locator("header")).toContainText("Ines");

  await page.getByLabel("Name of Ines", { exact: true }).fill("=Inés");
  await page.getByRole("button", { name: "Rename" }).first().click();
  await expect(page.getByLabel("Name of =Inés")).toBeVisible();
  const table = await (await page.request.get(`${server.base}/lessons/${lesson}/people.csv`)).text();
  // A spreadsheet takes no name for a formula.
  expect(table).toMatch(/^name,joined,last here,handed in\n/);
  expect(table).toContain("\n'=Inés,");

  await page.getByRole("button", { name: "Remove what is kept of =Inés" }).click();
  await expect(page.locator(".people tbody tr")).toHaveCount(2);
  for (const gone of [first, other]) {
    await expect(gone.locator("#line")).toContainText("sent you away");
    expect((await gone.request.get(`${server.base}/follow/${lesson}/news`)).status()).toBe(403);
  }
  await page.getByRole("button", { name: "Remove what is kept of everybody" }).click();
  await expect(page.locator("main")).toContainText("Nobody has joined yet");
});
