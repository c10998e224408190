// @ts-check
// A server of one's own: a data folder, a process, an address.

import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { fill } from "./demo_data.js";

export const root = fileURLToPath(new URL("..", import.meta.url));

/** What still runs when this program ends, also by a fault, ends with it. @type {Set<import("node:child_process").ChildProcess>} */
const running = new Set();
process.once("exit", () => {
  for (const server of running) server.kill("SIGKILL");
});

export class Server {
  /** @param {{ demo?: boolean, binary?: string, passphrase?: string, listen?: string, more?: string[] }} [options] `more` for `serve` */
  static async start({
    demo = false,
    binary = "target/debug/bozzetto",
    passphrase,
    listen = "127.0.0.1:0",
    more = [],
  } = {}) {
    const server = new Server(join(root, binary), mkdtempSync(join(tmpdir(), "bozzetto-")));
    if (demo) fill(server.binary, server.data);
    if (passphrase) execFileSync(server.binary, ["passphrase", "--data", server.data], { input: `${passphrase}\n` });
    server.more = more;
    await server.run(listen);
    return server;
  }

  /** @param {string} binary @param {string} data */
  constructor(binary, data) {
    this.binary = binary;
    this.data = data;
    this.base = "";
    /** @type {string[]} */
    this.more = [];
    /** @type {import("node:child_process").ChildProcess | null} */
    this.process = null;
  }

  /** @param {string} listen */
  async run(listen) {
    const process = spawn(this.binary, ["serve", "--data", this.data, "--listen", listen, ...this.more], {
      stdio: ["ignore", "pipe", "inherit"],
    });
    this.process = process;
    running.add(process);
    process.once("exit", () => running.delete(process));
    this.base = await new Promise((resolve, reject) => {
      let said = "";
      process.stdout.on("data", (text) => {
        said += text;
        const found = said.match(/presenter\s+(http\S+?)\/\s/);
        if (found) resolve(found[1]);
      });
      process.once("exit", (code) => reject(new Error(`the server ended with ${code}: ${said}`)));
    });
  }

  /** Ends the process at once, in the middle of whatever it does. */
  async kill() {
    const gone = new Promise((resolve) => this.process?.once("exit", resolve));
    this.process?.kill("SIGKILL");
    await gone;
  }

  /** The same data, on the same address. */
  async again() {
    await this.run(new URL(this.base).host);
  }

  async stop() {
    await this.kill();
    rmSync(this.data, { recursive: true, force: true });
  }
}
