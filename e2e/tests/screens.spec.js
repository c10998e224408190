// @ts-check
// What fits on which screen: no control of the stage is out of reach, and a phone held across shows
// the whole picture.

import { Server } from "../server.js";
import { allAway, apart, colour, decode, drag, follow, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

/** @import { Page } from "@playwright/test" */

/** @type {Server} */
let server;
// One for each test: where the rail stands is kept.
test.beforeEach(async () => {
  server = await Server.start({ demo: true });
});
test.afterEach(async () => {
  await server.stop();
});

const SIZES = [
  [1024, 600],
  [1024, 768],
  [1280, 600],
  [1280, 800],
  [1366, 768],
  [1920, 1080],
  [390, 844],
  [844, 390],
];
const PAPER = [251, 250, 245];
const softly = expect.configure({ soft: true });
const EDGES = ["bottom", "left", "right"];

/** The names of controls within `where` that cannot be pressed where they are; a phone's row is moved along first. @param {Page} page @param {string} where */
const outOfReach = (page, where) =>
  page.evaluate((where) => {
    const all = [...document.querySelectorAll(`${where} :is(button, input, select, a)`)];
    return all
      .filter((one) => one.checkVisibility({ visibilityProperty: true }))
      .flatMap((one) => {
        const row = one.closest("#row");
        if (row && getComputedStyle(row).overflowX === "auto")
          row.scrollLeft += one.getBoundingClientRect().left - row.getBoundingClientRect().left - 60;
        const r = one.getBoundingClientRect();
        const [x, y] = [r.left + r.width / 2, r.top + r.height / 2];
        const there = document.elementFromPoint(x, y);
        const inside = r.left > -0.5 && r.top > -0.5 && r.right < innerWidth + 0.5 && r.bottom < innerHeight + 0.5;
        const large = Math.min(r.width, r.height) > 43.5;
        const name = one.id || one.getAttribute("aria-label") || one.textContent;
        return inside && large && there && (one.contains(there) || there.contains(one))
          ? []
          : [`${name} ${[r.left, r.top, r.width, r.height].map(Math.round)}`];
      });
  }, where);

/** Whether the picture has all the room that its shape leaves it. @param {Page} page */
const fits = (page) =>
  page.evaluate(() => {
    const [mount, glass] = ["mount", "glass"].map((id) => document.getElementById(id)?.getBoundingClientRect());
    if (!mount || !glass) return false;
    return Math.abs(glass.width - Math.min(mount.width, (mount.height * 16) / 9)) < 2.5;
  });

/** @param {Page} page @param {string} name */
async function putOnStage(page, name) {
  await page.locator("#order").click();
  await page.locator("#order-list").getByRole("button", { name }).first().click();
  await expect(page.locator("#backdrop-name")).toContainText(name);
}

/** The demo's first lesson, with as many swatches as there can be and the rail at an edge. @param {Page} page @param {string} edge */
async function openWide(page, edge) {
  await page.setViewportSize({ width: 1920, height: 1080 });
  await page.goto(server.base);
  await page.getByRole("link", { name: "Open Coastal pilotage, evening 3" }).click();
  await page.locator("body.ready").waitFor();
  await page.locator("#swatches button").first().dblclick();
  for (let i = 0; i < 2; i++) await page.locator("#swatch-add").click();
  await page.keyboard.press("Escape");
  await page.locator("#more").click();
  await page.locator(`#rail-${edge}`).click();
  await page.keyboard.press("Escape");
  await expect(page.locator(`body.edge-${edge}`)).toBeVisible();
}

/** What can be in hand and on stage, one after the other. @param {Page} page @returns {[string, () => Promise<void>][]} */
function statesOf(page) {
  const order = () => page.locator("#order").click();
  return [
    [
      "a film",
      async () => {
        await putOnStage(page, "Vessel at the buoys");
        await expect(page.locator("#row-video")).toBeVisible();
      },
    ],
    [
      "a film, and all aids in use",
      async () => {
        for (const key of ["i", "q", "a"]) await page.keyboard.press(key);
        await expect(page.locator("#row-ring")).toBeVisible();
      },
    ],
    [
      "a film, and a ring that is being set",
      async () => {
        await page.locator("#row-ring").click();
        await expect(page.locator("#ring-set")).toBeVisible();
      },
    ],
    [
      "a film, and a cover that is being pulled",
      async () => {
        await page.keyboard.press("u");
        await expect(page.locator("#cover-set")).toBeVisible();
      },
    ],
    [
      "a film, and a spotlight that is being set",
      async () => {
        await allAway(page);
        await page.keyboard.press("w");
        await expect(page.locator("#spotlight-set")).toBeVisible();
      },
    ],
    [
      "a film, and a magnifier that is being set",
      async () => {
        await page.keyboard.press("Escape");
        await page.keyboard.press("g");
        await expect(page.locator("#magnifier-set")).toBeVisible();
      },
    ],
    [
      "a film, and a countdown that is being set",
      async () => {
        await page.keyboard.press("k");
        await expect(page.locator("#clock-set")).toBeVisible();
      },
    ],
    [
      "a film, and a protractor that is being set",
      async () => {
        await page.keyboard.press("p");
        await page.locator("#protractor-bearing").click();
        await expect(page.locator("#protractor-north")).toBeVisible();
      },
    ],
    [
      "a film, and something that is being measured",
      async () => {
        await page.keyboard.press("r");
        await page.keyboard.press("m");
        await expect(page.locator("#measure-set")).toBeVisible();
        // What is read is long, and four places may be a known rectangle's corners.
        await expect.poll(() => fits(page)).toBe(true);
        const glass = await page.locator("#glass").boundingBox();
        if (!glass) throw new Error("no glass");
        for (const [x, y] of [
          [0.2, 0.5],
          [0.4, 0.5],
          [0.4, 0.9],
          [0.2, 0.9],
          [0.2, 0.5],
        ])
          await page.mouse.click(glass.x + x * glass.width, glass.y + y * glass.height);
        await expect(page.locator("#measure-reads")).toContainText("²");
        await expect(page.locator("#scale-across")).toBeVisible();
      },
    ],
    [
      "a film, and a shape in the hand",
      async () => {
        await allAway(page);
        await expect(page.locator("#row-aids")).toBeHidden();
        await page.keyboard.press("h");
        await expect(page.locator("#row-line")).toBeVisible();
      },
    ],
    [
      "a film beside a board",
      async () => {
        await page.keyboard.press("d");
        await order();
        await page.getByRole("button", { name: "Put Board beside what is on stage" }).first().click();
        await page.keyboard.press("Escape");
        await expect(page.locator("#row-two")).toBeVisible();
      },
    ],
    [
      "a board for two",
      async () => {
        await page.locator("#close-right").click();
        await order();
        await page.locator("#board-halved").check();
        await page.locator("#order-panel [data-board]").first().click();
        await expect(page.locator("#row-left")).toBeVisible();
        await page.keyboard.press("Escape");
      },
    ],
    [
      "a document, enlarged",
      async () => {
        await putOnStage(page, "Notices to mariners");
        await page.locator("#touch").click();
        await page.keyboard.press("+");
        await expect(page.locator("#whole")).toBeVisible();
      },
    ],
  ];
}

for (const edge of EDGES)
  test(`every control of the rail and the row is in reach at the ${edge}, at each size, in every state`, async ({
    page,
  }) => {
    await openWide(page, edge);
    /** How wide and high a film's picture is. @type {Map<string, string>} */
    const film = new Map();
    // At the right it is as at the left, mirrored.
    const sizes = edge === "right" ? [SIZES[0], SIZES[6]] : SIZES;
    for (const [state, reach] of statesOf(page)) {
      await page.setViewportSize({ width: 1920, height: 1080 });
      await reach();
      for (const [width, height] of sizes) {
        await page.setViewportSize({ width, height });
        await softly.poll(() => outOfReach(page, "#rail"), `${state}, ${width} × ${height}`).toEqual([]);
        await softly.poll(() => fits(page), `the picture is laid out, ${width} × ${height}`).toBe(true);
        const glass = await page.locator("#glass").boundingBox();
        expect.soft(glass?.width ?? 0, `the picture, ${width} × ${height}`).toBeGreaterThan(280);
        // What is in hand does not change the picture's size.
        const where = `the film, ${width} × ${height}`;
        const measures = `${glass?.width} × ${glass?.height}`;
        if (!film.has(where)) film.set(where, measures);
        if (state.startsWith("a film,")) expect.soft(measures, `${state}: ${where}`).toBe(film.get(where));
      }
    }
  });

for (const edge of ["bottom", "left"])
  test(`panels lie within the screen with the rail at the ${edge}; what is longer scrolls within them`, async ({
    page,
  }) => {
    await openWide(page, edge);
    for (const [width, height] of SIZES) {
      await page.setViewportSize({ width, height });
      for (const id of ["shapes", "order", "people", "more", "record"]) {
        await page.locator(`#${id}`).click();
        const box = await page.locator(`#${id}-panel`).boundingBox();
        if (!box) throw new Error(`no panel of ${id}`);
        expect
          .soft(
            box.x >= 0 && box.y >= 0 && box.x + box.width <= width && box.y + box.height <= height,
            `${id}, ${width} × ${height}: ${JSON.stringify(box)}`,
          )
          .toBe(true);
        await page.keyboard.press("Escape");
      }
    }
  });

test("with the originals nobody meets a warning on what the demo lesson shows; a rim makes a pen do", async ({
  page,
}) => {
  await page.goto(server.base);
  await page.getByRole("link", { name: "Open Coastal pilotage, evening 3" }).click();
  await page.locator("body.ready").waitFor();
  const short = page.locator("#swatches .short");
  const places = Number((await page.locator("#order").textContent())?.match(/of (\d+)/)?.[1]);
  for (let place = 1; place <= places; place++) {
    await page.locator("#order").click();
    await page
      .locator("#order-list button:not(.beside)")
      .nth(place - 1)
      .click();
    await expect(page.locator("#order")).toContainText(`${place} of ${places}`);
    const shown = page.locator(".pane:not(.away) :is(img, video, canvas)").first();
    const isHere = () =>
      shown.evaluate((e) =>
        e instanceof HTMLImageElement ? e.naturalWidth : e instanceof HTMLVideoElement ? e.videoWidth : 1,
      );
    if (await shown.count()) await expect.poll(isHere).toBeGreaterThan(0);
    await expect.poll(() => short.evaluateAll((all) => all.map((one) => one.ariaLabel))).toEqual([]);
  }
  // Yellow as a pen is not seen on paper, until it has a rim.
  await page.locator("#order").click();
  await page.locator("#order-list").getByRole("button", { name: "Board" }).first().click();
  await page.locator("#swatches button").first().dblclick();
  await page.locator('[data-colour="#f0e442"]').click();
  await page.getByRole("button", { name: "Pen", exact: true }).click();
  await expect(short).toHaveCount(1);
  await page.getByRole("button", { name: "Make it so" }).click();
  await expect(short).toHaveCount(0);
  await page.keyboard.press("Escape");
  await drag(page, straight({ x: 300, y: 600 }, { x: 700, y: 600 }));
  await expect.poll(async () => apart(await colour(page, 500, 600), [240, 228, 66])).toBeLessThan(12);
  const line = decode(await page.screenshot({ clip: { x: 500, y: 580, width: 1, height: 40 } }));
  const greys = Array.from({ length: 40 }, (_, i) => line.data[i * 4]);
  expect(Math.min(...greys.slice(0, 20))).toBeLessThan(60);
  expect(Math.min(...greys.slice(20))).toBeLessThan(60);
});

test("two proofs stack: the newer one with its keys, the older one behind it", async ({ page }) => {
  await startNow(page, server.base);
  await page.setViewportSize({ width: 1024, height: 600 });
  await expect.poll(async () => (await page.locator("#glass").boundingBox())?.width).toBeLessThan(1000);
  await drag(page, straight({ x: 200, y: 150 }, { x: 400, y: 150 }));
  for (const n of [1, 2]) {
    await page.keyboard.press("c");
    await drag(page, straight({ x: 250, y: n * 100 }, { x: 450, y: n * 100 + 90 }, 4));
    await page.keyboard.press("Enter");
    await expect(page.locator(".proof")).toHaveCount(n);
  }
  await expect.poll(() => outOfReach(page, "#proofs")).toEqual([]);
  const first = await page.locator(".proof").first().getAttribute("id");
  await page.getByRole("button", { name: /^Show the proof of/ }).click();
  await expect(page.locator(".proof").first()).not.toHaveAttribute("id", first ?? "");
  await page.locator(".proof").first().getByRole("button", { name: "Hand out" }).click();
  await expect(page.getByRole("button", { name: "Take back" })).toBeVisible();
});

test("a phone held across shows the whole picture, and the rest when it is touched", async ({ page, browser }) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Noor");
  await phone.setViewportSize({ width: 844, height: 390 });
  // The board's colour in all corners of the largest 16 : 9 that fits.
  const width = Math.floor((390 * 16) / 9);
  const left = (844 - width) / 2;
  for (const [x, y] of [
    [left + 4, 4],
    [left + width - 4, 4],
    [left + 4, 386],
    [left + width - 4, 386],
  ]) {
    await expect.poll(async () => apart(await colour(phone, x, y), PAPER)).toBeLessThan(4);
  }
  const box = await phone.locator("#mount").boundingBox();
  expect(box).toEqual({ x: 0, y: 0, width: 844, height: 390 });
  await expect(phone.locator("#zoom")).toHaveCSS("opacity", "0");
  await phone.mouse.click(400, 200);
  await expect(phone.locator("#zoom")).toHaveCSS("opacity", "1");
  await expect.poll(() => outOfReach(phone, "#zoom")).toEqual([]);
  await phone.mouse.click(300, 200);
  await expect(phone.locator("#take-aways")).toHaveCSS("opacity", "0");
  await phone.goto(`${server.base}/join`);
  expect(await outOfReach(phone, ".join-form")).toEqual([]);
});
