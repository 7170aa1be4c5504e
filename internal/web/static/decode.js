// Films taken apart into frames: by the browser's own decoder where it has one, else by stepping a player.
// Both know a film's own frames a second, its length in seconds, and give the frames of a cut as JPEG.

const SHORTER = 480; // px of a frame's shorter side as it is sent: finer ones are slower to read and tell no more
const LONGER = 1920; // px of its longer side at most
const QUALITY = 0.92;
const THUMB = 96; // px high
const WORKERS = Math.max(1, Math.min(4, navigator.hardwareConcurrency ?? 2));
const AT_ONCE = 4 * WORKERS; // frames that are being written
const USUAL = [24, 25, 30, 48, 50, 60, 90, 100, 120, 200, 240];
const SLOW_AT = 61; // a film that plays at less may have been filmed at more
export const pause = (ms) => new Promise((done) => setTimeout(done, ms));

export const once = (target, name) => new Promise((done, fail) => {
  target.addEventListener(name, done, { once: true });
  target.addEventListener("error", () => fail(new Error("this file cannot be played here; MP4, MOV and WebM can")), { once: true });
});

const jpeg = (canvas) => new Promise((done) => canvas.toBlob(done, "image/jpeg", QUALITY));

/** Workers that write frames as JPEG, beside one another. */
export class Encoders {
  constructor() {
    this.workers = Array.from({ length: WORKERS }, () => new Worker(new URL("./encode.js", import.meta.url), { type: "module" }));
    this.waiting = new Map();
    for (const w of this.workers) {
      w.onmessage = ({ data: { n, blob, fault } }) => {
        const { done, fail } = this.waiting.get(n);
        this.waiting.delete(n);
        if (blob) done(blob);
        else fail(new Error(`frame ${n} cannot be written: ${fault}`));
      };
    }
    this.next = 0;
  }

  /** One of the decoder's frames, which is closed: [its number, JPEG], to come. */
  write(n, frame, { width, height }, rotation = 0) {
    const written = new Promise((done, fail) => this.waiting.set(n, { done, fail }));
    this.workers[this.next++ % WORKERS].postMessage({ n, frame, width, height, rotation, quality: QUALITY }, [frame]);
    return written.then((blob) => [n, blob]);
  }

  close() {
    for (const w of this.workers) w.terminate();
  }
}

/** A frame's size as it is sent. */
export function sentSize(width, height) {
  const shrink = Math.min(1, SHORTER / Math.min(width, height), LONGER / Math.max(width, height));
  return { width: Math.round(width * shrink), height: Math.round(height * shrink) };
}

// A rate that differs from a usual one by no more than what clocks do is that one.
const usual = (rate) => USUAL.find((k) => Math.abs(rate - k) < 0.005 * k) ?? Math.round(rate * 100) / 100;

/** Opens a film; video is the player that steps where there is no decoder. */
export async function open(file, video) {
  if (file.size === 0) throw new Error("this file is empty: no film that can be read");
  if ("VideoDecoder" in window) {
    try {
      return await Decoded.open(file);
    } catch (error) {
      if (error.told) throw error; // a player could do no better
    }
  }
  return Stepped.open(file, video);
}

const told = (text) => Object.assign(new Error(text), { told: true });

// A film that the browser decodes.
class Decoded {
  static async open(file) {
    const bunny = await import("./mediabunny.js");
    const { Input, BlobSource, CanvasSink, EncodedPacketSink, VideoSampleSink, MP4, QTFF, WEBM, MATROSKA } = bunny;
    const input = new Input({ source: new BlobSource(file), formats: [MP4, QTFF, WEBM, MATROSKA] });
    if (!(await input.canRead())) throw told("this is no film that can be read here; MP4, MOV and WebM can");
    const track = await input.getPrimaryVideoTrack();
    if (!track) throw told("this file holds no picture");
    if (!(await track.canDecode())) {
      const codec = (await track.getCodec()) ?? "this one is";
      throw told(`this browser cannot show films coded as ${codec}; ` +
        "let the camera write its most compatible kind (H.264), or open this page in another browser");
    }
    const film = new Decoded();
    film.input = input;
    film.small = () => new CanvasSink(track, { height: THUMB, poolSize: 2 });
    film.samples = new VideoSampleSink(track);
    film.times = [];
    film.bytes = [];
    for await (const p of new EncodedPacketSink(track).packets(undefined, undefined, { metadataOnly: true })) {
      film.times.push(p.timestamp);
      film.bytes.push(p.byteLength);
    }
    if (film.times.length < 4) throw told("this film has too few frames to be read");
    const order = film.times.map((_, i) => i).sort((a, b) => film.times[a] - film.times[b]);
    film.bytes = order.map((i) => film.bytes[i]);
    film.times = order.map((i) => film.times[i]);
    const gaps = film.times.slice(1).map((t, i) => t - film.times[i]).filter((d) => d > 0.0005);
    const median = gaps.toSorted((a, b) => a - b)[Math.floor(gaps.length / 2)];
    const near = gaps.filter((d) => Math.abs(d - median) < 0.3 * median);
    film.gap = near.reduce((a, b) => a + b, 0) / near.length;
    film.rate = usual(1 / film.gap);
    film.begin = film.times[0];
    film.seconds = film.times.at(-1) - film.begin + film.gap;
    const filmed = Number((await input.getMetadataTags().catch(() => ({}))).raw?.["com.android.capture.fps"]);
    if (filmed > 1.2 * film.rate && filmed <= 1000) film.filmed = usual(filmed);
    film.maybeSlow = film.rate < SLOW_AT && !film.filmed;
    film.size = sentSize(await track.getDisplayWidth(), await track.getDisplayHeight());
    return film;
  }

  // The stretch of so many seconds in which the picture changes as evenly as it can: a runner on the belt, neither the
  // camera that is put down nor the belt that stands. What changes, costs bytes.
  best(seconds) {
    const step = 0.25;
    const cost = new Array(Math.max(1, Math.ceil(this.seconds / step))).fill(0);
    this.times.forEach((t, i) => {
      cost[Math.min(cost.length - 1, Math.floor((t - this.begin) / step))] += this.bytes[i];
    });
    const usualCost = cost.toSorted((a, b) => a - b)[Math.floor(cost.length / 2)];
    const n = Math.round(seconds / step);
    let best = { off: Infinity, from: 0 };
    for (let from = 0; from + n <= cost.length; from++) {
      const off = cost.slice(from, from + n).reduce((a, c) => a + Math.abs(Math.log((c + 1) / (usualCost + 1))), 0) +
        0.02 * Math.abs(from + n / 2 - cost.length / 2); // of equals the one in the middle
      if (off < best.off) best = { off, from };
    }
    return Math.min(best.from * step, Math.max(0, this.seconds - seconds));
  }

  // The film's frames by number from a second on; one that was dropped on the way is shown by its neighbour.
  frameTimes(from, numbers) {
    const first = this.near(this.begin + from);
    return numbers.map((n) => this.times[this.near(this.times[first] + n * this.gap)]);
  }

  near(t) {
    let lo = 0;
    let hi = this.times.length - 1;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (this.times[mid] < t) lo = mid + 1;
      else hi = mid;
    }
    return lo > 0 && t - this.times[lo - 1] < this.times[lo] - t ? lo - 1 : lo;
  }

  async *thumbs(count) {
    const at = Array.from({ length: count }, (_, i) => this.begin + ((i + 0.5) / count) * this.seconds);
    for await (const c of this.small().canvasesAtTimestamps(at)) yield c?.canvas ?? null;
  }

  // The frames of those numbers, counted from a second on, as [number, JPEG].
  async *frames(from, numbers) {
    const times = this.frameTimes(from, numbers);
    const encoders = new Encoders();
    const writing = [];
    let i = 0;
    try {
      for await (const sample of this.samples.samplesAtTimestamps(times)) {
        if (!sample) throw told("the film breaks off; choose an earlier part");
        const frame = sample.toVideoFrame();
        writing.push(encoders.write(numbers[i++], frame, this.size, sample.rotation));
        sample.close();
        if (writing.length >= AT_ONCE) yield await writing.shift();
      }
      while (writing.length > 0) yield await writing.shift();
    } finally {
      encoders.close();
    }
  }

  close() {
    this.input.dispose();
  }
}

// A film that a player steps through, one place after another.
class Stepped {
  static async open(file, v) {
    const film = new Stepped();
    film.video = v;
    v.src = URL.createObjectURL(file);
    await once(v, "loadedmetadata");
    if (!Number.isFinite(v.duration)) {
      // A film of this device's camera does not say how long it is.
      v.currentTime = 1e7;
      await once(v, "seeked");
      await pause(50);
    }
    film.seconds = Number.isFinite(v.duration) ? v.duration : v.currentTime;
    v.currentTime = 0;
    await once(v, "seeked");
    // The film's own rate is told from the times of the frames that are shown.
    const times = [];
    v.playbackRate = 0.25;
    const seen = new Promise((done) => {
      const look = (_, meta) => {
        times.push(meta.mediaTime);
        if (times.length >= 40) done();
        else v.requestVideoFrameCallback(look);
      };
      v.requestVideoFrameCallback(look);
      v.addEventListener("ended", done, { once: true });
    });
    await v.play();
    await Promise.race([seen, pause(6000)]);
    v.pause();
    const gaps = times.slice(1).map((t, i) => t - times[i]).filter((d) => d > 0.0005).sort((a, b) => a - b);
    if (gaps.length < 3) throw told("this film has too few frames to be read");
    const median = gaps[Math.floor(gaps.length / 2)];
    const near = gaps.filter((d) => Math.abs(d - median) < 0.3 * median);
    const rate = near.length / near.reduce((a, b) => a + b, 0);
    film.rate = USUAL.find((k) => Math.abs(rate - k) < 0.02 * k) ?? Math.round(rate * 100) / 100;
    film.maybeSlow = film.rate < SLOW_AT;
    film.size = sentSize(v.videoWidth, v.videoHeight);
    return film;
  }

  best(seconds) {
    return Math.max(0, (this.seconds - seconds) / 2);
  }

  canvas(size) {
    const canvas = document.createElement("canvas");
    Object.assign(canvas, size);
    canvas.getContext("2d").drawImage(this.video, 0, 0, canvas.width, canvas.height);
    return canvas;
  }

  async *thumbs(count) {
    for (let i = 0; i < count; i++) {
      const there = once(this.video, "seeked");
      this.video.currentTime = ((i + 0.5) / count) * this.seconds;
      await there;
      yield this.canvas({ height: THUMB, width: Math.round((THUMB * this.video.videoWidth) / this.video.videoHeight) });
    }
  }

  async *frames(from, numbers) {
    for (const n of numbers) {
      await this.step(Math.round(from * this.rate) + n);
      yield [n, await jpeg(this.canvas(this.size))];
    }
  }

  // Step to a frame, and see that it is the one that is shown.
  async step(n) {
    const { video: v, rate } = this;
    const want = (n + 0.5) / rate;
    for (let tries = 0; tries < 4; tries++) {
      const shown = new Promise((done) => v.requestVideoFrameCallback((_, meta) => done(meta.mediaTime)));
      const there = once(v, "seeked");
      v.currentTime = want + (tries * 0.1) / rate;
      await there;
      const at = await Promise.race([shown, pause(300)]);
      if (at !== undefined && Math.abs(at + 0.5 / rate - want) < 0.7 / rate) return;
    }
  }

  close() {
    URL.revokeObjectURL(this.video.src);
  }
}
