// New films: one is chosen, the stretch that counts is cut from it, and its frames are sent while the next are made;
// or this device's camera films, and what it sees is sent as it is seen. What was read so far is shown meanwhile.
// Every number of the job comes from the server.
import { Encoders, once, open, pause, sentSize } from "./decode.js";

const BATCH = 16;
const ON_THE_WAY = 3; // batches
const MOST_FRAMES = 2400;
const MOST_SECONDS = 20;
const USUAL_SECONDS = 4;
const THUMBS = 12;
const LOOK_EVERY = 700; // ms, for what was read so far
const SLOWEST = 24; // pictures a second that can be read
const MOST_WAITING = 24; // pictures of the camera

// A device that keeps nothing still sends its film, from the start each time.
const kept = (act) => {
  try {
    return act(window.localStorage);
  } catch {
    return null;
  }
};
const clock = (s) => `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, "0")}`;

class NewFilm {
  constructor(form) {
    this.form = form;
    this.video = this.part("look");
    this.part("take").addEventListener("click", () => this.work(() => this.take()));
    this.part("camera").addEventListener("click", () => this.work(() => this.camera()));
    this.part("stop").addEventListener("click", () => (this.stopped = true));
    this.part("file").addEventListener("change", () => this.choose());
    this.part("from").addEventListener("input", () => this.window());
    this.part("length").addEventListener("change", () => this.window());
    form.elements.fps.addEventListener("change", () => this.window());
    this.part("slow").addEventListener("click", (event) => {
      const at = event.target.closest("[data-at]");
      if (!at) return;
      form.elements.fps.value = at.dataset.at;
      for (const b of this.part("slow").querySelectorAll("[data-at]")) b.setAttribute("aria-pressed", String(b === at));
      this.window();
    });
    form.addEventListener("dragover", (event) => event.preventDefault());
    form.addEventListener("drop", (event) => {
      event.preventDefault();
      if (!event.dataTransfer.files.length) return;
      this.part("file").files = event.dataTransfer.files;
      this.choose();
    });
  }

  part(name) {
    return this.form.querySelector(`[data-${name}]`);
  }

  say(text, percent) {
    const line = this.part("progress");
    line.hidden = false;
    line.querySelector("span").textContent = text;
    const bar = line.querySelector("progress");
    if (percent === undefined) bar.removeAttribute("value");
    else bar.value = percent;
  }

  fault(text) {
    const line = this.part("fault");
    line.textContent = text;
    line.hidden = !text;
    if (text) this.part("progress").hidden = true;
  }

  // One thing at a time, and what goes wrong in it is said.
  async work(act) {
    if (this.busy) return;
    this.busy = true;
    this.stopped = false;
    this.fault("");
    try {
      await act();
    } catch (error) {
      const text = error.message || error.name;
      this.fault(`${text[0].toUpperCase()}${text.slice(1)}.`);
    } finally {
      this.busy = false;
      this.part("stop").hidden = true;
    }
  }

  // A chosen film is looked at: how long it is, how many frames a second, and what is where in it.
  choose() {
    const file = this.part("file").files[0];
    this.film?.then((f) => f.close()).catch(() => {});
    this.film = null;
    this.part("cut").hidden = true;
    if (!file) return;
    this.fault("");
    this.say("looking at the film");
    const film = open(file, this.video);
    this.film = film;
    film.then((f) => this.film === film && this.lay(f)).catch(() => {}); // whoever waits for it says what is wrong
    film.catch((error) => this.film === film && this.work(() => Promise.reject(error)));
  }

  async lay(film) {
    this.part("progress").hidden = true;
    if (film.filmed) this.form.elements.fps.value = film.filmed;
    this.opened = film;
    const slow = this.part("slow");
    slow.hidden = !film.maybeSlow;
    slow.querySelector("span").textContent = `It plays at ${film.rate} frames a second. Was it filmed in slow motion?`;
    const says = this.part("filmed");
    says.hidden = !film.filmed;
    says.textContent = film.filmed ? `The file says that it was filmed at ${film.filmed} frames a second and plays in slow motion.` : "";
    const length = USUAL_SECONDS * this.slower(film);
    this.part("length").value = String(USUAL_SECONDS);
    const from = this.part("from");
    from.value = film.seconds > 1.25 * length ? film.best(length) : 0;
    this.part("cut").hidden = false;
    this.window();
    from.value = film.seconds > 1.25 * length ? film.best(length) : 0; // its reach is known now
    this.window();
    const pen = this.part("thumbs").getContext("2d");
    const { width, height } = this.part("thumbs");
    pen.clearRect(0, 0, width, height);
    let i = 0;
    for await (const picture of film.thumbs(THUMBS)) {
      if (this.opened !== film || this.busy) return;
      if (picture) {
        const k = Math.max(width / THUMBS / picture.width, height / picture.height); // fills its place, cut at the sides
        const w = width / THUMBS / k;
        const h = height / k;
        pen.drawImage(picture, (picture.width - w) / 2, (picture.height - h) / 2, w, h, (i * width) / THUMBS, 0, width / THUMBS, height);
      }
      i++;
    }
  }

  // The rate that it was filmed at: as typed, as the file says, or as it plays.
  real(film) {
    const typed = Number(this.form.elements.fps.value.replace(",", "."));
    return typed > 0 ? typed : film.rate;
  }

  slower(film) {
    return this.real(film) / film.rate;
  }

  // What is cut out: from a second of the file, so many frames.
  cut(film) {
    const slower = this.slower(film);
    const want = Number(this.part("length").value) * slower;
    const length = film.seconds > 1.25 * want ? want : film.seconds;
    const from = Math.max(0, Math.min(Number(this.part("from").value), film.seconds - length));
    const frames = Math.min(Math.floor((film.seconds - from) * film.rate + 0.01), Math.round(length * film.rate), MOST_FRAMES,
      Math.floor(MOST_SECONDS * this.real(film)));
    return { from, frames, length };
  }

  window() {
    const film = this.opened;
    if (!film) return;
    const { frames, length } = this.cut(film);
    const slider = this.part("from");
    slider.max = Math.max(0, film.seconds - length).toFixed(2);
    slider.disabled = Number(slider.max) === 0;
    const { from } = this.cut(film);
    slider.setAttribute("aria-valuetext", `from ${clock(from)}`);
    const box = this.part("window");
    box.setAttribute("x", (1000 * from) / film.seconds);
    box.setAttribute("width", (1000 * frames) / film.rate / film.seconds);
    const slower = this.slower(film);
    this.part("says").textContent = `${clock(from)} to ${clock(from + frames / film.rate)} of ${clock(film.seconds)}: ${frames} frames` +
      (slower > 1.01 ? `, ${(frames / this.real(film)).toFixed(1)} s of running` : "");
  }

  async take() {
    if (!this.film) {
      if (!this.part("file").files[0]) throw new Error("no film is chosen; choose an MP4, MOV or WebM file");
      this.choose();
    }
    const film = await this.film;
    const { from, frames } = this.cut(film);
    const file = this.part("file").files[0];
    const sent = await this.begin(`${file.name}:${file.size}:${frames}:${from.toFixed(2)}`, frames, film.rate);
    if (sent) await this.send(sent, film, from, frames);
  }

  // A film that was begun before and did not all arrive goes on, as it is described by now.
  async begin(name, frames, rate) {
    const key = `film:${location.pathname}:${name}`;
    this.key = key;
    const known = kept((s) => s.getItem(key));
    const body = new URLSearchParams(new FormData(this.form));
    body.set("frames", frames);
    body.set("rate", rate);
    let answer = null;
    if (known) {
      answer = await fetch(`${known}/resume`, { method: "POST", body }).catch(() => null);
      if (answer && !answer.ok && answer.status !== 422) answer = null; // it is no longer awaited: anew
      if (!answer) kept((s) => s.removeItem(key));
    }
    answer ??= await fetch(this.form.dataset.newfilm, { method: "POST", body });
    if (answer.status === 422) {
      const { faults } = await answer.json();
      this.fault(faults.map((f) => `${f.field.replace("_", " ")} ${f.text}`).join(". "));
      return null;
    }
    if (!answer.ok) throw new Error("the film could not be begun; try again");
    const film = await answer.json();
    kept((s) => s.setItem(key, film.at));
    return film;
  }

  async missing(sent) {
    for (;;) {
      const answer = await fetch(`${sent.at}/missing`).catch(() => null);
      if (answer?.ok) return (await answer.json()).missing;
      if (answer && answer.status !== 503) throw new Error("this film is no longer awaited; take it anew");
      this.say("the connection is lost; it goes on when it is back");
      await pause(1500);
    }
  }

  // Frames are made, written and sent side by side; what is lost on the way is asked for and sent again.
  async send(sent, film, from, frames) {
    this.part("stop").hidden = false;
    const look = this.glance(sent);
    try {
      let missing = await this.missing(sent);
      while (missing.length > 0) {
        let there = frames - missing.length;
        let lost = false;
        const going = new Set();
        let batch = [];
        const off = async () => {
          const pieces = batch;
          batch = [];
          const one = this.post(sent, pieces).then((ok) => {
            lost ||= !ok;
            there += pieces.length;
            this.say(`${Math.min(there, frames)} of ${frames} frames`, (100 * there) / frames);
          }).finally(() => going.delete(one));
          going.add(one);
          if (going.size >= ON_THE_WAY) await Promise.race(going);
        };
        for await (const piece of film.frames(from, missing)) {
          if (this.stopped) throw new Error("stopped; take the same film again and it goes on from there");
          batch.push(piece);
          if (batch.length === BATCH) await off();
          if (lost) break; // ask what is missing, and go on from there
        }
        if (batch.length > 0) await off();
        await Promise.all(going);
        missing = await this.missing(sent);
      }
    } finally {
      look.end();
    }
    await this.finish(sent);
    film.close();
  }

  async finish(sent, frames) {
    const body = new URLSearchParams(frames ? { frames } : {});
    const answer = await fetch(`${sent.at}/finish`, { method: "POST", body, redirect: "manual" });
    if (answer.status === 422) {
      const { faults } = await answer.json();
      this.fault(faults.map((f) => `${f.field} ${f.text}`).join(". "));
      return;
    }
    kept((s) => s.removeItem(this.key));
    location.assign(`${location.pathname}?film=${sent.at.split("/").pop()}`);
  }

  // Sends some frames; false where they were lost on the way.
  async post(sent, pieces) {
    const body = new FormData();
    for (const [n, blob] of pieces) body.append(n, blob, `${n}.jpg`);
    const answer = await fetch(`${sent.at}/frames`, { method: "POST", body }).catch(() => null);
    if (answer?.status === 422) throw new Error((await answer.json()).faults.map((f) => `${f.field} ${f.text}`).join("; "));
    return answer?.ok ?? false;
  }

  // What was read so far, shown while the rest arrives.
  glance(sent) {
    let ended = false;
    const place = this.part("glance");
    (async () => {
      while (!ended) {
        await pause(LOOK_EVERY);
        const answer = ended ? null : await fetch(`${sent.at}/glance`).catch(() => null);
        if (answer?.ok) place.innerHTML = await answer.text();
      }
    })();
    return { end: () => (ended = true) };
  }

  // The device's own camera. Where the browser hands its pictures over they are sent as they come; elsewhere it is
  // recorded first.
  async camera() {
    if (!navigator.mediaDevices?.getUserMedia) {
      throw new Error("this browser gives no camera to this address; film with the device and choose the file");
    }
    const stream = await navigator.mediaDevices.getUserMedia({ audio: false,
      video: { facingMode: "environment", frameRate: { ideal: 120 }, width: { ideal: 1280 } } }).catch((error) => {
      throw new Error(`the camera cannot be used: ${error.message || error.name}`);
    });
    this.video.hidden = false;
    this.video.srcObject = stream;
    const seconds = Number(this.part("seconds").value);
    try {
      await this.video.play();
      if ("MediaStreamTrackProcessor" in window) await this.live(stream.getVideoTracks()[0], seconds);
      else await this.record(stream, seconds);
    } finally {
      for (const track of stream.getTracks()) track.stop();
      this.video.srcObject = null;
      this.video.hidden = true;
    }
    if (this.recorded) {
      const files = new DataTransfer();
      files.items.add(this.recorded);
      this.recorded = null;
      this.part("file").files = files.files;
      this.choose();
      await this.take();
    }
  }

  async live(track, seconds) {
    this.say("waiting for the camera");
    const encoders = new Encoders(); // they are ready by the time they are wanted
    try {
      await this.stream(track, seconds, encoders);
    } finally {
      encoders.close();
    }
  }

  async stream(track, seconds, encoders) {
    const reader = new MediaStreamTrackProcessor({ track }).readable.getReader();
    // The first pictures tell how many come in a second.
    const times = [];
    while (times.length < 16) {
      const { value, done } = await reader.read();
      if (done) throw new Error("the camera ended");
      times.push(value.timestamp / 1e6);
      value.close();
    }
    const gaps = times.slice(1).map((t, i) => t - times[i]).sort((a, b) => a - b);
    const seen = Math.round(100 / gaps[Math.floor(gaps.length / 2)]) / 100;
    // A camera that falls behind just now is taken at its word: what is missing in the end is said.
    const rate = seen < SLOWEST ? Math.max(seen, track.getSettings().frameRate ?? 0) : seen;
    const frames = Math.min(Math.round(seconds * rate), MOST_FRAMES);
    const sent = await this.begin(`camera:${Date.now()}`, frames, rate);
    if (!sent) return;
    this.part("stop").hidden = false;
    const look = this.glance(sent);
    let going = Promise.resolve();
    let waiting = 0;
    let batch = [];
    let last = -1;
    let first = null;
    try {
      while (last < frames - 1 && !this.stopped) {
        const { value, done } = await reader.read();
        if (done) break;
        const t = value.timestamp / 1e6;
        first ??= t;
        const n = Math.round((t - first) * rate);
        // A device that cannot keep up leaves pictures out: the reader bridges them.
        if (n > last && n < frames && waiting < MOST_WAITING) {
          waiting++;
          batch.push(encoders.write(n, value, sentSize(value.displayWidth, value.displayHeight)).finally(() => waiting--));
          last = n;
        } else {
          value.close();
        }
        this.say(`filming, ${Math.max(0, seconds - (t - first)).toFixed(0)} s to go`, (100 * n) / frames);
        if (batch.length >= BATCH) {
          const pieces = batch;
          batch = [];
          going = going.then(async () => this.post(sent, await Promise.all(pieces)));
        }
        if (n >= frames - 1) break;
      }
      reader.cancel();
      this.say("the last pictures are on their way");
      await going;
      if (batch.length > 0) await this.post(sent, await Promise.all(batch));
    } finally {
      look.end();
    }
    if (last < 1) throw new Error("it was stopped before anything was filmed");
    await this.finish(sent, last + 1);
  }

  async record(stream, seconds) {
    const recorder = new MediaRecorder(stream);
    const parts = [];
    recorder.addEventListener("dataavailable", (event) => parts.push(event.data));
    const ended = once(recorder, "stop");
    recorder.start();
    this.part("stop").hidden = false;
    for (let s = seconds; s > 0 && !this.stopped; s--) {
      this.say(`filming, ${s} s to go`, (100 * (seconds - s)) / seconds);
      await pause(1000);
    }
    this.stopped = false;
    recorder.stop();
    await ended;
    this.recorded = new File(parts, `camera-${Date.now()}.webm`, { type: recorder.mimeType });
  }
}

for (const form of document.querySelectorAll("[data-newfilm]")) new NewFilm(form);
