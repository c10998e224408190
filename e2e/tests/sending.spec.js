// @ts-check
// Photographs and files that participants send: they wait for the presenter, who takes them onto the stage.

import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { root, Server } from "../server.js";
import { apart, colour, drag, follow, painted, startNow, straight } from "../stage.js";
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

/** A photograph as a phone held upright writes it: lying, with a word that it is to be turned by a quarter
 * (Exif 2.32, tag 0x0112: 6). Its upper half is red when it stands. @param {Page} page @param {number} width @param {number} height */
async function photograph(page, width, height) {
  const size = { width, height };
  const bytes = await painted(
    page,
    size,
    (context, { width, height }) => {
      context.fillStyle = "#fff";
      context.fillRect(0, 0, width, height);
      context.fillStyle = "#c00";
      context.fillRect(0, 0, width / 2, height);
    },
    size,
    "image/jpeg",
  );
  const tiff = [0x49, 0x49, 42, 0, 8, 0, 0, 0, 1, 0, 0x12, 1, 3, 0, 1, 0, 0, 0, 6, 0, 0, 0, 0, 0, 0, 0];
  const exif = [...Buffer.from("Exif\0\0"), ...tiff];
  const length = exif.length + 2;
  const head = Buffer.from([0xff, 0xe1, length >> 8, length & 255, ...exif]);
  return Buffer.concat([bytes.subarray(0, 2), head, bytes.subarray(2)]);
}

/** @param {Page} phone @param {string | { name: string, mimeType: string, buffer: Buffer }} file */
async function send(phone, file) {
  await phone.getByLabel("Send a file").setInputFiles(file);
}

test("a photograph and a document are sent from phones, wait, and are taken, named or nameless", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines", PHONE);
  const olu = await follow(browser, page, "Olu", PHONE);
  for (const phone of [ines, olu]) await phone.getByRole("link", { name: "Mine" }).tap();
  // Its camera opens at once.
  await expect(ines.getByLabel("Send a photograph")).toHaveAttribute("capture", "environment");
  const turned = await photograph(page, 1200, 800);
  const photo = { name: "IMG_0412.jpg", mimeType: "image/jpeg", buffer: turned };
  await ines.getByLabel("Send a photograph").setInputFiles(photo);
  await expect(ines.locator("#sent")).toContainText("IMG 0412 waits for the presenter");
  expect((await new AxeBuilder({ page: ines }).analyze()).violations).toEqual([]);
  // It waits: nothing is on stage by itself.
  await expect(page.locator("#sent-up")).toHaveText("1 sent");
  await expect(page.locator("#backdrop-place")).toContainText("1 of 1");
  const notices = readFileSync(join(root, "demo", "Notices to mariners.pdf"));
  await send(olu, { name: "Notices.pdf", mimeType: "application/pdf", buffer: notices });
  await expect(page.locator("#sent-up")).toHaveText("2 sent");
  await page.locator("#people").click();
  const sent = page.locator("#sent li");
  await expect(sent.first()).toContainText("Ines");
  expect((await new AxeBuilder({ page }).include("#people-panel").analyze()).violations).toEqual([]);
  await sent.first().getByRole("button", { name: "On stage, nameless" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Sent 1");
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  await expect(ines.locator("#sent")).toContainText("taken onto the stage");
  const size = () =>
    page.locator(".pane img:visible").evaluate((i) => {
      const { naturalWidth, naturalHeight } = /** @type {HTMLImageElement} */ (i);
      return [naturalWidth, naturalHeight];
    });
  await expect.poll(size).toEqual([800, 1200]);
  // It is marked as everything is; everybody sees it.
  await page.keyboard.press("Escape");
  await olu.getByRole("link", { name: "Stage" }).tap();
  await olu.locator("#line").waitFor({ state: "hidden" });
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no stage");
  const [x, y] = [glass.x + glass.width / 2, glass.y + glass.height * 0.75];
  await page.keyboard.press("2");
  await drag(page, straight({ x: x - 60, y }, { x: x + 60, y }));
  await expect.poll(async () => apart(await colour(page, x, y), [255, 255, 255])).toBeGreaterThan(60);
  const mount = await olu.locator("#mount").boundingBox();
  if (!mount) throw new Error("no picture");
  const upper = async () => colour(olu, mount.x + mount.width / 2, mount.y + mount.height * 0.3);
  await expect.poll(async () => apart(await upper(), [204, 0, 0])).toBeLessThan(30);
  await page.locator("#people").click();
  await sent.first().getByRole("button", { name: "With the name" }).click();
  await expect(page.locator("#backdrop-name")).toHaveText("Sent by Olu");
  await expect(page.locator("#sent-up")).toBeHidden();
  await expect(page.locator("#page-shown")).toContainText("1 of");
});

test("what cannot be sent is said, and what is thrown away can be had again", async ({ page, browser }) => {
  await startNow(page, server.base);
  const ines = await follow(browser, page, "Ines", PHONE);
  await ines.getByRole("link", { name: "Mine" }).tap();
  const says = ines.locator("#send-says");
  const heic = Buffer.concat([Buffer.from("\0\0\0\x18ftypheic\0\0\0\0mif1heic"), Buffer.alloc(4000)]);
  await send(ines, { name: "IMG_1.HEIC", mimeType: "image/heic", buffer: heic });
  await expect(says).toContainText("HEIC");
  const html = Buffer.from("<!doctype html><script>alert(1)</script>");
  await send(ines, { name: "x.png", mimeType: "image/png", buffer: html });
  await expect(says).toHaveText("Only photographs, pictures and PDF can be sent.");
  const broken = Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3]);
  await send(ines, { name: "y.png", mimeType: "image/png", buffer: broken });
  await expect(says).toContainText("damaged");
  const heavy = test.info().outputPath("z.jpg");
  writeFileSync(heavy, Buffer.alloc(21 * 1024 * 1024, 0xff));
  await send(ines, heavy);
  await expect(says).toHaveText("The file is larger than 20 MB.");
  await ines.context().setOffline(true);
  const small = await photograph(page, 60, 40);
  await send(ines, { name: "small.jpg", mimeType: "image/jpeg", buffer: small });
  await expect(says).toContainText("The line to the server is down");
  await ines.context().setOffline(false);
  // 50 megapixels, as recent phones take them.
  await send(ines, { name: "large.jpg", mimeType: "image/jpeg", buffer: await photograph(page, 8192, 6144) });
  // A busy machine takes its time with so many.
  await expect(ines.locator("#sent li")).toHaveCount(1, { timeout: 90_000 });
  await expect(says).toHaveText("");
  for (let n = 2; n <= 5; n++) {
    await send(ines, { name: `${n}.jpg`, mimeType: "image/jpeg", buffer: small });
    await expect(ines.locator("#sent li")).toHaveCount(n);
  }
  await send(ines, { name: "six.jpg", mimeType: "image/jpeg", buffer: small });
  await expect(says).toContainText("5 of yours wait already");

  await page.locator("#people").click();
  const sent = page.locator("#sent li");
  await expect(sent).toHaveCount(5);
  await sent.nth(1).getByRole("button", { name: "Throw away what Ines sent" }).click();
  await expect(sent).toHaveCount(4);
  await expect(ines.locator("#sent")).toContainText("not taken");
  await page.locator("#sent").getByRole("button", { name: "Undo" }).click();
  await expect(sent).toHaveCount(5);
  await expect(page.locator("#backdrop-place")).toContainText("1 of 1");
});
