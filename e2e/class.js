// @ts-check
// Further participants, without a browser: they join, follow over a socket, and hand in.

import { WebSocket } from "ws";

/** Two letters and the version that the page has, and that nothing is known yet. @param {import("@playwright/test").Page} page */
async function helloOf(page) {
  const opens = page.waitForEvent("websocket");
  await page.reload();
  const { payload } = await (await opens).waitForEvent("framesent");
  return Buffer.concat([Buffer.from(payload).subarray(0, 4), Buffer.alloc(2)]);
}

/**
 * So many join the lesson of a stage and follow it.
 * @param {import("@playwright/test").Page} stage @param {number} many
 */
export async function joinMany(stage, many) {
  const hello = await helloOf(stage);
  const { origin, pathname } = new URL(stage.url());
  const lesson = pathname.split("/")[2];
  const code = ((await stage.locator(".join-code").textContent()) ?? "").trim();
  const join = async (/** @type {number} */ n) => {
    const body = new URLSearchParams({ code, name: `Person ${n + 1}` });
    const headers = { origin, "sec-fetch-site": "same-origin", cookie: "" };
    const jar = new Map();
    // The page, then what is filled in there.
    for (const how of [{}, { method: "POST", body }]) {
      const answer = await fetch(`${origin}/join`, { ...how, headers, redirect: "manual" });
      for (const given of answer.headers.getSetCookie()) jar.set(given.split("=")[0], given.split(";")[0]);
      headers.cookie = [...jar.values()].join("; ");
    }
    const socket = new WebSocket(`${origin.replace("http", "ws")}/follow/${lesson}/live`, {
      headers: { cookie: headers.cookie, origin },
    });
    await new Promise((opened, failed) => socket.once("open", opened).once("error", failed));
    socket.send(hello);
    /** @param {string} path @param {RequestInit} [how] */
    const asks = (path, how = {}) => fetch(`${origin}/follow/${lesson}${path}`, { ...how, headers });
    return { asks, leave: () => socket.close() };
  };
  return Promise.all(Array.from({ length: many }, (_, n) => join(n)));
}
