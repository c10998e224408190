// @ts-check
// Runs beside the page, where the sound is mixed: hands over what comes, with when it came.

/** Samples that are handed over at once: 20 ms. */
const SAMPLES = 960;

/** What is known here beside what pages know. */
const scope = /** @type {any} */ (globalThis);

class Ear extends scope.AudioWorkletProcessor {
  constructor() {
    super();
    /** @type {Float32Array[]} */
    this.channels = [];
    this.filled = 0;
  }

  /** @param {Float32Array[][]} inputs */
  process([input]) {
    // Nothing is connected: that is silence, and it lasts as long as anything else.
    const channels = input.length ? input : [new Float32Array(128)];
    if (this.channels.length !== channels.length) {
      this.channels = channels.map(() => new Float32Array(SAMPLES));
      this.filled = 0;
    }
    const { length } = channels[0];
    for (let taken = 0; taken < length; ) {
      const more = Math.min(length - taken, SAMPLES - this.filled);
      channels.forEach((from, n) => {
        this.channels[n].set(from.subarray(taken, taken + more), this.filled);
      });
      this.filled += more;
      taken += more;
      if (this.filled === SAMPLES) {
        // What came in this call is counted from where the call begins.
        const frame = scope.currentFrame + taken - SAMPLES;
        this.port.postMessage({ frame, channels: this.channels });
        this.channels = this.channels.map(() => new Float32Array(SAMPLES));
        this.filled = 0;
      }
    }
    return true;
  }
}

scope.registerProcessor("ear", Ear);
