// @ts-check
// The captures page: several at once; and a capture sent in the format, the size and the limit that are wanted.

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { Server } from "../server.js";
import { decode, ready } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
test.beforeEach(async () => {
  server = await Server.start({ demo: true });
});
test.afterEach(async () => {
  await server.stop();
});

/** @param {Page} page @param {string} name of the key that brings a file */
async function brought(page, name) {
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name, exact: true }).click(),
  ]);
  return { name: download.suggestedFilename(), bytes: readFileSync(await download.path()) };
}

test("several captures are found, chosen, handed out, deleted and brought back, and downloaded as one file", async ({
  page,
}, info) => {
  await page.goto(`${server.base}/lessons/1/captures`);
  const cards = page.locator(".capture");
  await expect(cards).toHaveCount(3);
  await page.getByLabel("Words to look for").pressSequentially("buoy");
  await expect(cards).toHaveCount(1);
  await page.getByLabel("Words to look for").fill("wreck");
  await expect(page.locator("#captures")).toContainText("No capture is called “wreck”.");
  await page.getByLabel("Words to look for").fill("");
  await expect(cards).toHaveCount(3);

  // Nothing can be done before something is chosen.
  await expect(page.locator("#several-keys")).toBeHidden();
  await page.getByLabel("All").check();
  await expect(page.locator("#several-count")).toHaveText("3 chosen");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  const zip = await brought(page, "Download ZIP");
  expect(zip.name).toBe("Captures, Coastal pilotage, evening 3.zip");
  const path = info.outputPath("all.zip");
  writeFileSync(path, zip.bytes);
  // Python's own module reads it.
  const names = JSON.parse(
    execFileSync("/usr/bin/python3", [
      "-c",
      "import sys, json, zipfile; z = zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; z.extractall(sys.argv[2]); print(json.dumps(z.namelist()))",
      path,
      info.outputDir,
    ]).toString(),
  );
  expect(names).toHaveLength(3);
  for (const name of names) expect(decode(readFileSync(join(info.outputDir, name))).width).toBeGreaterThan(100);
  const pdf = await brought(page, "Download PDF");
  writeFileSync(info.outputPath("all.pdf"), pdf.bytes);
  const said = execFileSync("qpdf", ["--check", "--show-npages", info.outputPath("all.pdf")]).toString();
  expect(said).toMatch(/\b3\b/);

  await page.getByRole("button", { name: "Hand out", exact: true }).first().click();
  await expect(page.locator("#captures [role=status]")).toHaveText("3 captures are handed out.");
  await expect(page.locator(".capture.out")).toHaveCount(3);
  await page.locator(".choose input").first().check();
  await page.getByRole("button", { name: "Delete", exact: true }).first().click();
  await expect(page.locator("#captures [role=status]")).toContainText("One capture is deleted.");
  await expect(cards).toHaveCount(2);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(cards).toHaveCount(3);
});

test("a capture is found among those of all lessons, and opened in its own", async ({ page }) => {
  await page.goto(`${server.base}/lessons/2/stage`);
  await ready(page);
  await page.keyboard.press("v");
  await expect(page.locator(".proof")).toHaveCount(1);
  await page.goto(server.base);
  await page.locator("nav").getByRole("link", { name: "Captures", exact: true }).click();
  const cards = page.locator("#captures .capture");
  await expect(page.locator(".of-lesson")).toHaveCount(2);
  await expect(cards).toHaveCount(4);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  await page.getByLabel("Lesson").selectOption({ label: "Coastal pilotage, evening 3" });
  await expect(cards).toHaveCount(3);
  await page.getByLabel("Lesson").selectOption("");
  await expect(cards).toHaveCount(4);
  await page.getByLabel("Words to look for").pressSequentially("pilotage BUOY");
  await expect(cards).toHaveCount(1);
  await cards.click();
  await expect(page.locator(".capture:target h2")).toHaveText("Buoy 1, closer");
  await expect(page.locator(".capture:target")).toBeInViewport();
});

test("captures have captions and an order, are narrowed to a backdrop, laid on paper, and lead back to the stage", async ({
  page,
}, info) => {
  // A caption in two scripts, one of which has a font of its own.
  const CAPTION = "Leave buoy 1 to port · להשאיר משמאל";
  await page.goto(`${server.base}/lessons/1/captures`);
  const names = page.locator(".capture h2");
  await expect(names).toHaveText(["Approach, west side", "Buoy 1, closer", "To Isola Corda"]);
  await page.getByRole("button", { name: "Name and caption of Buoy 1, closer" }).click();
  await page.getByLabel("Name of the capture").fill("...");
  await page.keyboard.press("Enter");
  await expect(page.locator("#says")).toContainText("Of dots alone no file can have its name.");
  await page.getByLabel("Name of the capture").fill("Buoy 1, closer");
  await page.getByLabel("Caption", { exact: true }).fill(CAPTION);
  await page.getByRole("button", { name: "Done" }).click();
  await expect(page.locator(".capture .caption")).toHaveText(CAPTION);
  await page.getByLabel("Choose To Isola Corda").check();
  for (let i = 0; i < 3; i++) {
    await page.getByRole("button", { name: "Earlier" }).click();
    await expect(page.locator("#captures [role=status]")).toHaveText("One capture is one place earlier.");
    await expect(page.getByLabel("Choose To Isola Corda")).toBeChecked();
  }
  await page.reload();
  await expect(names).toHaveText(["To Isola Corda", "Approach, west side", "Buoy 1, closer"]);
  await page.getByLabel("Words to look for").pressSequentially("PORT buoy");
  await expect(names).toHaveText(["Buoy 1, closer"]);
  await page.getByLabel("Words to look for").fill("");
  await expect(names).toHaveCount(3);

  await page.getByLabel("All", { exact: true }).check();
  await page.getByLabel("Pages of the PDF").selectOption("4 to a page, on A4");
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  const path = info.outputPath("sheet.pdf");
  writeFileSync(path, (await brought(page, "Download PDF")).bytes);
  execFileSync("qpdf", ["--check", path]);
  // Poppler draws it: three pictures and their words on one page of A4.
  const known = execFileSync("pdfinfo", [path]).toString();
  expect(known).toMatch(/Pages: +1\n/);
  expect(known).toMatch(/841\.89 x 595\.28|595\.28 x 841\.89/);
  expect(execFileSync("pdfimages", ["-list", path]).toString().trim().split("\n")).toHaveLength(2 + 3);
  execFileSync("pdftoppm", ["-r", "72", "-png", path, info.outputPath("sheet")]);
  const sheet = decode(readFileSync(info.outputPath("sheet-1.png")));
  // Those of the first one have a picture beside them.
  expect(words(sheet)).toBe(2);

  // Back on the stage: what is in view is what was, whatever was turned to since.
  await page.goto(`${server.base}/lessons/1/stage`);
  await page.locator("body.ready").waitFor();
  await page.keyboard.press("PageDown");
  await expect(page.locator("#backdrop-name")).not.toHaveText("Harbour approach");
  await page.goto(`${server.base}/lessons/1/captures`);
  await page.getByRole("link", { name: "Back to the moment of Buoy 1, closer, on the stage" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Harbour approach");
  expect(new URL(page.url()).search).toBe("");
});

/** How many lines of words stand below pictures: rows with a little black on white. @param {ReturnType<typeof decode>} file */
function words({ width, height, data }) {
  let [lines, before] = [0, false];
  for (let y = 0; y < height; y += 1) {
    let [ink, paper] = [0, 0];
    for (let x = 0; x < width; x += 1) {
      const [r, g, b] = data.subarray((y * width + x) * 4);
      if (r + g + b < 300) ink += 1;
      if (r + g + b > 740) paper += 1;
    }
    const is = ink > 0 && paper > width * 0.8;
    if (is && !before) lines += 1;
    before = is;
  }
  return lines;
}

test("a capture is sent as it is to fit: in a box, below a limit, in a format; what cannot be is said", async ({
  page,
}) => {
  await page.goto(`${server.base}/lessons/1/captures`);
  await page
    .getByRole("link", { name: /on the bench/ })
    .first()
    .click();
  await page.locator("body.ready").waitFor();
  const size = page.locator(".send output");
  await expect(size).toContainText("px");
  await page.getByLabel("Format").selectOption("jpeg");
  await page.getByLabel("Fit to").selectOption("Answer field, 600 × 400");
  await expect(size).toHaveText(/^5\d\d × 400 px · \d+ kB$/);
  await page.getByLabel("At most, kB").fill("12");
  await expect(size).toHaveText(/· 1[012] kB · quality \d+$/);
  const file = await brought(page, "Download");
  expect(file.name).toMatch(/\.jpg$/);
  expect(file.bytes.length).toBeLessThanOrEqual(12_000);
  const seen = await page.evaluate(
    async (bytes) => {
      const picture = await createImageBitmap(new Blob([new Uint8Array(bytes)]));
      return [picture.width, picture.height];
    },
    [...file.bytes],
  );
  expect(seen[1]).toBe(400);

  await page.getByLabel("Format").selectOption("png");
  await expect(size).toHaveText(/does not fit into 12 kB/);
  await page.getByLabel("At most, kB").fill("");
  await page.getByLabel("Fit to").selectOption("A width");
  await page.getByLabel("Width, px").fill("1496");
  await expect(size).toContainText("Enlarged by 1.1");
  await page.getByLabel("Width, px").fill("0");
  await expect(size).toHaveText("A width and a height are at least one pixel.");
  await page.getByLabel("Width, px").fill("1000000");
  await expect(size).toContainText("more than 64 million pixels");
  // What was chosen is chosen again.
  await page.getByLabel("Format").selectOption("webp");
  await page.getByLabel("Fit to").selectOption("Original");
  await expect(size).toHaveText(/^1\u2009360 × 980 px/);
  await page.reload();
  await expect(page.getByLabel("Format")).toHaveValue("webp");
});
