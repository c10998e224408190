// @ts-check
// The line to the server: connects, comes back by itself, and passes messages.

/** @import { Glass, Heard } from "../../glass/glass.js" */
/** @import { Keeping } from "./keeping.js" */

/** Close codes, as core's wire module gives them. */
const OTHER_VERSION = 4001;
const LESSON_GONE = 4002;
const SENT_AWAY = 4003;
const NOT_ALLOWED = 4004;
/** @type {Record<number, "old" | "gone" | "away" | "out">} */
const LAST_WORDS = { [OTHER_VERSION]: "old", [LESSON_GONE]: "gone", [SENT_AWAY]: "away", [NOT_ALLOWED]: "out" };
const FIRST_WAIT = 250;
const LONGEST_WAIT = 1500;
/** A connection that is not there after this many milliseconds is tried anew: what swallowed it may
 * have let go. */
const TO_CONNECT = 3000;
/** How often it is looked whether the line has gone silent, in milliseconds. */
const LOOK = 500;

export class Line {
  /**
   * @param {{ glass: Glass, address: string, keeping?: Keeping,
   *   heard: (events: Heard[]) => void, complains?: (why: string) => void, says: (state: "up" | "down" | "old" | "gone" | "away" | "out") => void }} options
   */
  constructor({ glass, address, keeping, heard, complains, says }) {
    this.glass = glass;
    this.keeping = keeping;
    this.heard = heard;
    this.says = says;
    this.complains = complains;
    const base = new URL(address, location.href);
    base.protocol = base.protocol === "https:" ? "wss:" : "ws:";
    this.address = base.href;
    this.wait = FIRST_WAIT;
    /** @type {WebSocket | null} */
    this.socket = null;
    /** @type {number | undefined} */
    this.retry = undefined;
    this.over = false;
    /** When something was heard last, and when that was looked at last. */
    this.heardAt = this.lookedAt = performance.now();
    setInterval(() => this.look(), LOOK);
    addEventListener("online", () => this.connect());
    // A browser that knows that it has no network need not wait for silence.
    addEventListener("offline", () => this.giveUp());
    this.connect();
  }

  connect() {
    if (this.over || (this.socket && this.socket.readyState <= WebSocket.OPEN)) return;
    clearTimeout(this.retry);
    const socket = new WebSocket(this.address);
    socket.binaryType = "arraybuffer";
    this.socket = socket;
    this.heardAt = performance.now();
    socket.onopen = () => {
      if (socket !== this.socket) return socket.close();
      this.heardAt = performance.now();
      socket.send(/** @type {Uint8Array<ArrayBuffer>} */ (this.glass.hello()));
    };
    socket.onmessage = (message) => socket === this.socket && this.take(new Uint8Array(message.data));
    socket.onclose = (close) => this.lost(socket, close.code);
  }

  /** Whether the line has gone silent. */
  look() {
    const now = performance.now();
    // The page itself slept: what came meanwhile is still to be read.
    if (now - this.lookedAt > 3 * LOOK) this.heardAt = now;
    this.lookedAt = now;
    const silent = now - this.heardAt;
    if (silent > (this.socket?.readyState === WebSocket.CONNECTING ? TO_CONNECT : this.glass.dead_after()))
      this.giveUp();
  }

  /** Takes the line for dead, though nothing has said so. */
  giveUp() {
    const { socket } = this;
    if (!socket || socket.readyState > WebSocket.OPEN) return;
    this.lost(socket, 0);
    this.socket = null;
    socket.close();
  }

  /** @param {Uint8Array} bytes */
  take(bytes) {
    this.heardAt = performance.now();
    const events = this.glass.receive(bytes);
    for (const event of events) {
      if (event.type === "welcome") {
        this.wait = FIRST_WAIT;
        this.says("up");
      }
      if (event.type === "kept") this.keeping?.drop(event.id);
    }
    this.heard(events);
    this.flush();
  }

  /**
   * @param {WebSocket} socket
   * @param {number} code
   */
  lost(socket, code) {
    if (socket !== this.socket) return;
    this.glass.disconnected();
    const last = LAST_WORDS[code];
    if (last) {
      this.over = true;
      this.says(last);
      return;
    }
    this.says("down");
    // Not all at the same moment, when a whole class lost the line together.
    this.retry = window.setTimeout(() => this.connect(), this.wait * (0.5 + Math.random() / 2));
    this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
  }

  /** Bytes that wait to be sent. */
  get unsent() {
    return this.socket?.bufferedAmount ?? 0;
  }

  /** Sends what waits; what must not be lost is kept until it is acknowledged. The page hears what was
   *  done here as it hears what others do. */
  flush() {
    for (let out; (out = this.glass.next_message()); out.free()) {
      const { key, bytes } = out;
      if (key !== undefined) this.keeping?.put({ key, bytes });
      if (this.socket?.readyState === WebSocket.OPEN) {
        this.socket.send(/** @type {Uint8Array<ArrayBuffer>} */ (bytes));
      }
    }
    const news = this.glass.news();
    if (news.length) this.heard(news);
    const why = this.glass.complaint();
    if (why) this.complains?.(why);
  }
}
