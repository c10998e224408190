// @ts-check
// The sound of a recording: a microphone, and what plays on stage, mixed into one.

/** Samples a second: what Opus works with. */
export const RATE = 48_000;

/** As the microphone is asked for. @param {string} deviceId */
const wanted = (deviceId) => ({
  audio: { deviceId: deviceId ? { exact: deviceId } : undefined, echoCancellation: true, noiseSuppression: true },
});

export class Sound {
  /** @param {number} channels of the mix */
  constructor(channels) {
    this.channels = channels;
    // Nothing is played: no device is needed for that.
    const options = /** @type {any} */ ({ sampleRate: RATE, sinkId: { type: "none" } });
    this.context = new AudioContext(options);
    this.mix = new GainNode(this.context, { channelCount: channels, channelCountMode: "explicit" });
    /** @type {MediaStream | null} */
    this.microphone = null;
    /** @type {MediaStreamAudioSourceNode | null} */
    this.microphoneNode = null;
    this.meter = new AnalyserNode(this.context, { fftSize: 2048 });
    /** What plays on stage, and where it comes in. @type {Map<MediaStreamTrack, AudioNode>} */
    this.playing = new Map();
    /** The microphone is no longer there. */
    this.lost = () => {};
    /** @type {(frame: number, channels: Float32Array[]) => void} */
    this.came = () => {};
  }

  /** Begins to hand over what comes. */
  async start() {
    await this.context.audioWorklet.addModule(new URL("./ear.js", import.meta.url));
    const ear = new AudioWorkletNode(this.context, "ear", {
      channelCount: this.channels,
      channelCountMode: "explicit",
    });
    ear.port.onmessage = ({ data }) => this.came(data.frame, data.channels);
    this.mix.connect(ear);
    // What leads nowhere is not run.
    ear.connect(new GainNode(this.context, { gain: 0 })).connect(this.context.destination);
    await this.context.resume();
  }

  /** Takes a microphone in place of the one before; throws what the browser says. @param {string} deviceId */
  async take(deviceId) {
    const stream = await navigator.mediaDevices.getUserMedia(wanted(deviceId));
    this.drop();
    const [track] = stream.getAudioTracks();
    track.addEventListener("ended", () => {
      if (this.microphone !== stream) return;
      this.drop();
      this.lost();
    });
    this.microphone = stream;
    this.microphoneNode = new MediaStreamAudioSourceNode(this.context, { mediaStream: stream });
    this.microphoneNode.connect(this.mix);
    this.microphoneNode.connect(this.meter);
  }

  /** Lets the microphone go. */
  drop() {
    this.microphoneNode?.disconnect();
    for (const track of this.microphone?.getTracks() ?? []) track.stop();
    this.microphone = this.microphoneNode = null;
  }

  /** What the microphone hears just now. */
  get samples() {
    const samples = new Float32Array(this.meter.fftSize);
    this.meter.getFloatTimeDomainData(samples);
    return samples;
  }

  /** These, and no others, are heard beside the microphone. @param {MediaStreamTrack[]} tracks */
  hear(tracks) {
    for (const [track, node] of this.playing) {
      if (tracks.includes(track) && track.readyState === "live") continue;
      node.disconnect();
      this.playing.delete(track);
    }
    for (const track of tracks) {
      if (this.playing.has(track) || track.readyState !== "live") continue;
      const node = new MediaStreamAudioSourceNode(this.context, { mediaStream: new MediaStream([track]) });
      node.connect(this.mix);
      this.playing.set(track, node);
    }
  }

  stop() {
    this.drop();
    this.hear([]);
    this.context.close().catch(() => {});
  }
}

/** The microphones that there are. */
export async function microphones() {
  const devices = await navigator.mediaDevices.enumerateDevices();
  return devices.filter((d) => d.kind === "audioinput");
}
