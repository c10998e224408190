// @ts-check
// Snapshots: what a participant sees, kept as a picture of their own to write on.

import { join } from "node:path";
import AxeBuilder from "@axe-core/playwright";
import { root, Server } from "../server.js";
import { apart, colour, drag, follow, pixel, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(async () => {
  await server.stop();
});

test("what is seen is kept with its marks, written on, nobody else's, and deleted", async ({ page, browser }) => {
  await startNow(page, server.base);
  const lesson = page.url().match(/lessons\/(\d+)/)?.[1];
  await page.locator("#picture-file").setInputFiles(join(root, "demo", "Harbour approach.svg"));
  await expect(page.locator("#backdrop-place")).toContainText("2 of 2");
  const phone = await follow(browser, page, "Ines", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const olu = await follow(browser, page, "Olu", { viewport: { width: 390, height: 844 }, hasTouch: true });
  const glass = await page.locator("#glass").boundingBox();
  if (!glass) throw new Error("no stage");
  /** @param {number} y */
  const across = (y) => {
    const at = glass.y + glass.height * y;
    return straight({ x: glass.x + glass.width * 0.3, y: at }, { x: glass.x + glass.width * 0.7, y: at });
  };
  // A pen and a highlighter, whose colour mixes with what is beneath.
  await page.keyboard.press("2");
  await drag(page, across(0.3));
  await page.keyboard.press("4");
  await drag(page, across(0.7));
  await expect.poll(() => page.evaluate(() => document.body.classList.contains("ready"))).toBe(true);
  const mount = await phone.locator("#mount").boundingBox();
  if (!mount) throw new Error("no picture");
  const shape = glass.width / glass.height;
  const high = Math.min(mount.height, mount.width / shape);
  /** Places of the stage, and where they are on the phone. */
  const places = [0.3, 0.5, 0.7].flatMap((y) => [0.5, 0.55].map((x) => ({ x, y })));
  const on = (/** @type {{ x: number, y: number }} */ { x, y }) => ({
    x: Math.round(mount.x + mount.width / 2 + (x - 0.5) * high * shape),
    y: Math.round(mount.y + mount.height / 2 + (y - 0.5) * high),
  });
  await expect
    .poll(async () => apart(await colour(phone, on(places[0]).x, on(places[0]).y), [213, 94, 0]))
    .toBeLessThan(60);
  await expect
    .poll(async () => {
      const [r, , b] = await colour(phone, on(places[4]).x, on(places[4]).y);
      return r - b;
    })
    .toBeGreaterThan(60);
  const shown = await phone.screenshot({ scale: "css" });
  await phone.getByRole("button", { name: "Snapshot" }).tap();
  await expect(phone.locator("#says")).toHaveText("Kept under Mine, to be written on.");
  // What is wiped later is in it all the same.
  await page.locator("#wipe").click();
  await phone.getByRole("link", { name: "Mine" }).tap();
  const sheet = phone.getByRole("link", { name: /Snapshot/ });
  await expect(sheet).toContainText("Your own: nobody else has it");
  expect((await new AxeBuilder({ page: phone }).analyze()).violations).toEqual([]);
  await sheet.tap();
  await phone.locator("body.ready").waitFor();
  await expect(phone.locator("#hand-in")).toBeHidden();
  const kept = await phone.evaluate(
    async ({ places, shape }) => {
      const blob = await (await fetch(`${location.pathname}/backdrops/0/picture`)).blob();
      const picture = await createImageBitmap(blob);
      const canvas = new OffscreenCanvas(picture.width, picture.height);
      const context = canvas.getContext("2d");
      context?.drawImage(picture, 0, 0);
      const found = places.map(({ x, y }) =>
        context ? [...context.getImageData(x * picture.width, y * picture.height, 1, 1).data.slice(0, 3)] : [],
      );
      return { found, wrong: Math.abs(picture.width / picture.height - shape) };
    },
    { places, shape },
  );
  expect(kept.wrong).toBeLessThan(0.02);
  for (const [n, place] of places.entries())
    expect(apart(kept.found[n], pixel(shown, on(place).x, on(place).y)), `${n}`).toBeLessThan(40);

  const own = new URL(phone.url()).pathname;
  const id = own.split("/").pop();
  // Neither the presenter nor anybody else has it.
  expect((await page.request.get(`${server.base}/lessons/${lesson}/worksheets/${id}`)).status()).toBe(404);
  for (const place of ["", "/elsewhere", "/backdrops/0/picture"])
    expect((await olu.request.get(`${server.base}${own}${place}`, { maxRedirects: 0 })).status()).toBe(404);
  const drawnIn = await phone.locator("body").getAttribute("data-drawn-in");
  expect((await page.request.get(`${server.base}/lessons/${drawnIn}/stage`)).status()).toBe(404);
  await page.goto(`${server.base}/lessons/${lesson}/worksheets`);
  await expect(page.locator("#main")).not.toContainText("Snapshot");

  await phone.goto(`${server.base}/follow/${lesson}/mine`);
  await phone.getByRole("button", { name: /Delete Snapshot/ }).tap();
  await expect(phone.getByRole("link", { name: /Snapshot/ })).toHaveCount(0);
  expect((await phone.request.get(`${server.base}${own}/backdrops/0/picture`)).status()).toBe(404);
});
