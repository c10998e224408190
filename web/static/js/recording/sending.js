// @ts-check
// Pieces of a recording on their way to the server: one after the other, again until each is kept.

/** How long is waited before a piece is sent again, in milliseconds. */
const AGAIN = 1000;
/** The most that waits for a line, in bytes: some minutes of a fine film. */
const MOST = 256 * 1024 * 1024;

/** What the server says of a recording. @typedef {{ id: number, name: string, pieces: number, bytes: number, lasts: number, how: any, room: number, elsewhere: boolean }} Told */

export class Sending {
  /**
   * @param {string} address of the recording
   * @param {string} recorder
   * @param {{ kept: (told: Told) => void, over: (why: string) => void }} says
   */
  constructor(address, recorder, { kept, over }) {
    this.address = `${address}/pieces?recorder=${encodeURIComponent(recorder)}`;
    this.kept = kept;
    this.over = over;
    /** @type {Uint8Array[]} */
    this.pieces = [];
    this.waiting = 0;
    this.isOver = false;
    /** @type {Promise<void> | null} */
    this.running = null;
  }

  /** @param {Uint8Array} piece */
  add(piece) {
    if (this.isOver) return;
    this.pieces.push(piece);
    this.waiting += piece.length;
    if (this.waiting > MOST) return this.end("The line has been down for too long to go on recording.");
    this.running ??= this.run().finally(() => (this.running = null));
  }

  /** Until all that was added is kept, or nothing more can be. */
  async all() {
    while (this.running) await this.running;
  }

  async run() {
    while (this.pieces.length && !this.isOver) {
      const [piece] = this.pieces;
      const body = new Blob([/** @type {Uint8Array<ArrayBuffer>} */ (piece)]);
      const response = await fetch(this.address, { method: "POST", body }).catch(() => null);
      if (response?.ok) {
        this.pieces.shift();
        this.waiting -= piece.length;
        this.kept(await response.json());
      } else if (response && response.status < 500) {
        this.end(response.headers.get("x-bozzetto-says") ?? "It is not being kept any more.");
      } else {
        await new Promise((done) => setTimeout(done, AGAIN));
      }
    }
  }

  /** @param {string} why */
  end(why) {
    this.isOver = true;
    this.pieces = [];
    this.waiting = 0;
    this.over(why);
  }
}
