// @ts-check
// What web pages on stage cannot do to it, and who is sent away.

import { createSocket } from "node:dgram";
import { writeFileSync } from "node:fs";
import { createServer } from "node:http";
import AxeBuilder from "@axe-core/playwright";
import { args, executablePath } from "../browser.js";
import { Server } from "../server.js";
import { add, apart, colour, drag, follow, startNow, straight } from "../stage.js";
import { expect, test } from "../test.js";

test.use({ launchOptions: { executablePath, args: [...args, "--auto-accept-this-tab-capture"] } });

/** @type {Server} */
let server;
test.beforeAll(async () => {
  server = await Server.start();
});
test.afterAll(() => server.stop());

const VERMILION = [213, 94, 0];

/**
 * Puts a page with this script on stage.
 * @param {import("@playwright/test").Page} page @param {import("@playwright/test").TestInfo} info
 * @param {string} name @param {string} script
 */
async function putOn(page, info, name, script) {
  const file = info.outputPath(`${name}.html`);
  writeFileSync(file, `<!doctype html><title>${name}</title><body><h1>${name}</h1><script>${script}</script>`);
  await page.locator("#picture-file").setInputFiles(file);
  await expect(page.locator("#backdrop-name")).toHaveText(name);
  await expect(page.frameLocator("iframe").locator("h1")).toHaveText(name);
}

test("a page that pretends that keys were pressed undoes nothing and puts nothing on stage", async ({ page }, info) => {
  await startNow(page, server.base);
  await add(page, "bench");
  await putOn(
    page,
    info,
    "Pretender",
    `
    const key = (more) => parent.postMessage({ bozzetto: "key", type: "keydown", ...more }, "*");
    const all = () => {
      key({ key: "z", ctrlKey: true });
      key({ key: "PageUp" });
      key({ key: "c" });
      key({ key: "n" });
      key({ key: "e" });
      document.body.dataset.sent = Number(document.body.dataset.sent ?? 0) + 1;
    };
    setInterval(all, 50);`,
  );
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 400 }, { x: 900, y: 400 }));
  const marked = async () => apart(await colour(page, 700, 400), VERMILION) < 8;
  await expect.poll(marked).toBe(true);
  const sent = page.frameLocator("iframe").locator("body");
  const many = async (/** @type {number} */ n) => {
    const before = Number(await sent.getAttribute("data-sent"));
    await expect.poll(async () => Number(await sent.getAttribute("data-sent"))).toBeGreaterThan(before + n);
  };
  await many(10);
  await expect(page.locator("#erase")).toHaveAttribute("aria-pressed", "false");
  expect(await marked()).toBe(true);
  await expect(page.locator("#backdrop-name")).toHaveText("Pretender");
  // Not even after somebody has pressed something in it: no more than a tool is taken in hand then.
  await page.locator("#touch").click();
  await page.frameLocator("iframe").locator("h1").click();
  await expect(page.locator("#erase")).toHaveAttribute("aria-pressed", "true");
  await many(10);
  expect(await marked()).toBe(true);
  await expect(page.locator("#backdrop-name")).toHaveText("Pretender");
  await expect(page.locator("#box-sheet")).toBeHidden();
  await expect(page.locator(".proof")).toHaveCount(0);
});

test("a real key in a page takes the tool, and the keyboard is the stage's again", async ({ page }, info) => {
  await startNow(page, server.base);
  await putOn(page, info, "Quiet", "");
  await page.locator("#touch").click();
  await page.frameLocator("iframe").locator("h1").click();
  await page.keyboard.press("d");
  await expect(page.locator("#touch")).toHaveAttribute("aria-checked", "false");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 400 }, { x: 900, y: 400 }));
  await expect.poll(async () => apart(await colour(page, 700, 400), VERMILION)).toBeLessThan(8);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => apart(await colour(page, 700, 400), VERMILION)).toBeGreaterThan(60);
});

test("a page that says too much is stopped, and drawing goes on", async ({ page }, info) => {
  await startNow(page, server.base);
  await putOn(
    page,
    info,
    "Chatter",
    `
    const flood = () => {
      for (let i = 0; i < 10000; i++) parent.postMessage({ bozzetto: "scrolled", path: "/pages/x/index.html", x: i, y: i }, "*");
      setTimeout(flood, 50);
    };
    setTimeout(flood, 300);`,
  );
  await expect(page.locator("#says")).toContainText("Chatter” was stopped");
  await page.keyboard.press("2");
  await drag(page, straight({ x: 500, y: 400 }, { x: 900, y: 400 }));
  await expect.poll(async () => apart(await colour(page, 700, 400), VERMILION)).toBeLessThan(8);
});

test("a page cannot leave for another site", async ({ page }, info) => {
  /** @type {string[]} */
  const asked = [];
  const site = createServer((request, response) => {
    asked.push(request.url ?? "");
    response.setHeader("content-type", "text/html");
    response.end("<!doctype html><h1>Elsewhere</h1>");
  });
  await new Promise((/** @type {(v?: unknown) => void} */ done) => site.listen(0, "127.0.0.1", done));
  const address = site.address();
  const base = `http://127.0.0.1:${typeof address === "object" && address ? address.port : 0}`;
  try {
    await startNow(page, server.base);
    const refused = page.waitForEvent("console", (m) => /frame-src/.test(m.text()));
    await putOn(page, info, "Leaver", `setTimeout(() => { location = "${base}/away"; }, 500);`);
    await refused;
    expect(asked).toEqual([]);
  } finally {
    site.closeAllConnections();
    site.close();
  }
});

test("a page cannot make a peer connection", async ({ page }, info) => {
  let packets = 0;
  const socket = createSocket("udp4", () => packets++);
  await new Promise((/** @type {(v?: unknown) => void} */ done) => socket.bind(0, "127.0.0.1", done));
  const script = `
    const peer = new RTCPeerConnection({ iceServers: [{ urls: "stun:127.0.0.1:${socket.address().port}" }] });
    peer.createDataChannel("way out");
    peer.createOffer().then((offer) => peer.setLocalDescription(offer));`;
  try {
    await startNow(page, server.base);
    const thrown = page.waitForEvent("pageerror", (e) => /RTCPeerConnection/.test(e.message));
    await putOn(page, info, "Caller", script);
    await thrown;
    expect(packets).toBe(0);
    // The same script outside of a page on stage does reach the socket.
    await page.evaluate(script);
    await expect.poll(() => packets).toBeGreaterThan(0);
  } finally {
    socket.close();
  }
});

test("a cookie from an earlier release does not stand in the way of joining", async ({ page, browser }) => {
  await startNow(page, server.base);
  const lesson = new URL(page.url()).pathname.split("/")[2];
  const old = { name: `participant_${lesson}`, value: "0", domain: "127.0.0.1", path: "/follow" };
  const phone = await follow(browser, page, "Zofia", { cookies: [old] });
  await expect(phone.locator("#mount")).toBeVisible();
});

test("somebody is sent away from the people's panel, let in again, and the code is renewed", async ({
  page,
  browser,
}) => {
  await startNow(page, server.base);
  const phone = await follow(browser, page, "Tomasz");
  await page.locator("#people").click();
  await expect(page.locator("#people-list")).toContainText("Tomasz");
  const { violations } = await new AxeBuilder({ page }).include("#people-panel").analyze();
  expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html).join(" ")}`)).toEqual([]);
  await page.getByRole("button", { name: "Send Tomasz away" }).click();
  await expect(phone.locator("#line")).toContainText("sent you away");
  await expect(page.locator("#people-count")).toHaveText("0");
  await expect(page.locator("#sent-away")).toContainText("Tomasz");
  const code = await page.locator(".join-code").textContent();
  await page.getByRole("button", { name: "New code" }).click();
  await expect(page.locator(".join-code")).not.toHaveText(code ?? "");
  await page.getByRole("button", { name: "Let Tomasz in again" }).click();
  await expect(page.locator("#sent-away")).not.toContainText("Tomasz");
  await phone.reload();
  await expect(page.locator("#people-count")).toHaveText("1");
});
