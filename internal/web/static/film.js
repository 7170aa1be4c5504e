// A film under a hand: frames are shown with what was read drawn over them, dots and
// contacts are dragged, and where they ended is reported. New films are stepped to
// frames and sent. Every number of the job comes from the server.

const SVG = "http://www.w3.org/2000/svg";
const make = (name, attributes, parent) => {
  const e = document.createElementNS(SVG, name);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  parent?.append(e);
  return e;
};
const reduced = matchMedia("(prefers-reduced-motion: reduce)");

// A screen shows one film.
class Screen {
  constructor(svg, data) {
    this.svg = svg;
    this.take(data);
    svg.setAttribute("viewBox", `0 0 ${data.width || 640} ${data.height || 480}`);
    this.picture = make("image", { width: data.width || 640, height: data.height || 480 }, svg);
    this.drawing = make("g", {}, svg);
    this.ahead = new Map();
    this.frame = -1;
  }

  take(data) {
    this.data = data;
    this.places = {};
    for (const [side, leg] of Object.entries(data.legs)) {
      this.places[side] = {};
      for (const [dot, marks] of Object.entries(leg.dots)) this.places[side][dot] = new Map(marks.map((m) => [m[0], m]));
    }
  }

  url(n) {
    return `${this.data.at}/frames/${n}`;
  }

  // The next frames are fetched before they are asked for.
  fetch(n) {
    for (let k = n; k < Math.min(n + 12, this.data.frames); k++) {
      if (this.ahead.has(k)) continue;
      const image = new Image();
      image.src = this.url(k);
      this.ahead.set(k, image);
    }
    if (this.ahead.size > 400) for (const k of [...this.ahead.keys()].slice(0, 200)) this.ahead.delete(k);
  }

  show(n, only) {
    n = Math.max(0, Math.min(this.data.frames - 1, n));
    if (n !== this.frame) this.picture.setAttribute("href", this.url(n));
    this.frame = n;
    this.fetch(n);
    this.drawing.replaceChildren();
    const { width } = this.data;
    for (const side of ["left", "right"]) {
      if (!this.places[side] || (only && side !== only)) continue;
      const at = (dot) => this.places[side][dot]?.get(n);
      for (const [a, b] of this.data.segments) {
        const p = at(a);
        const q = at(b);
        if (p && q) make("line", { class: `segment ${side}`, x1: p[1], y1: p[2], x2: q[1], y2: q[2] }, this.drawing);
      }
      for (const dot of this.data.dots) {
        const p = at(dot);
        if (!p) continue;
        const c = make("circle", { class: `dot ${side} ${p[3]}`, cx: p[1], cy: p[2], r: width / 56, "data-dot": dot, "data-side": side },
          this.drawing);
        if (this.grips) {
          c.setAttribute("tabindex", "0");
          c.setAttribute("role", "button");
          c.setAttribute("aria-label", `${side} ${dot.replace("_", " ")}; arrows with Shift move it`);
        }
      }
      const angle = this.data.legs[side].angles[n];
      const foot = at(this.data.dots[this.data.dots.length - 1]);
      if (foot && angle !== null && angle !== undefined) {
        const x = foot[1] + (side === "left" ? -1 : 1) * width * 0.04;
        const text = make("text", { class: `angle ${side}`, x, y: foot[2], "text-anchor": side === "left" ? "end" : "start" },
          this.drawing);
        text.style.fontSize = `${width / 20}px`;
        if (this.mirrored) {
          // The picture is turned over; its numbers are not.
          text.setAttribute("transform", `translate(${2 * x} 0) scale(-1 1)`);
          text.setAttribute("text-anchor", side === "left" ? "start" : "end");
        }
        text.textContent = `${angle.toFixed(1)}°`;
      }
    }
  }

  // The contact that a frame lies in or comes before, and how far through it.
  phase(n, side) {
    const list = (this.data.legs[side]?.contacts ?? []).filter((c) => !c.left_out);
    for (let i = 0; i < list.length; i++) {
      const next = list[i + 1]?.on ?? this.data.frames;
      if (n < next || i === list.length - 1) return { i, u: (n - list[i].on) / Math.max(1, list[i].off - list[i].on) };
    }
    return null;
  }

  at({ i, u }, side) {
    const list = (this.data.legs[side]?.contacts ?? []).filter((c) => !c.left_out);
    if (list.length === 0) return 0;
    const c = list[i % list.length];
    return Math.round(c.on + u * (c.off - c.on));
  }
}

class Table {
  constructor(root) {
    this.root = root;
    this.frame = 0;
    this.marks = new Map();
    root.table = this;
  }

  async load() {
    const [first, second] = await Promise.all([this.root.dataset.film, this.root.dataset.with].map((u) =>
      (u ? fetch(u).then((r) => r.json()) : null)));
    const svgs = this.root.querySelectorAll("svg.film");
    this.screen = new Screen(svgs[0], first);
    this.screen.grips = "openFit" in this.root.dataset;
    if (svgs[1]) {
      this.mirror = "mirror" in this.root.dataset;
      this.second = new Screen(svgs[1], second ?? first);
      if (this.mirror) {
        this.second.svg.classList.add("mirrored");
        this.second.mirrored = true;
      }
    }
    const seek = this.part("seek");
    seek.max = first.frames - 1;
    const begin = Object.values(first.legs)[0]?.contacts?.[0]?.on ?? 0;
    const dots = this.part("dot");
    if (dots) {
      for (const side of first.view === "side" ? ["left"] : ["left", "right"]) {
        for (const dot of first.dots) dots.append(new Option(`${side} ${dot.replace("_", " ")}`, `${side},${dot}`));
      }
    }
    this.go(begin);
  }

  async reload() {
    this.screen.take(await fetch(this.root.dataset.film).then((r) => r.json()));
    if (this.mirror) this.second.take(this.screen.data);
    this.go(this.frame);
  }

  part(name) {
    return this.root.querySelector(`[data-do="${name}"]`);
  }

  go(n) {
    n = Math.max(0, Math.min(this.screen.data.frames - 1, Math.round(n)));
    this.frame = n;
    this.screen.show(n, this.mirror ? "left" : undefined);
    if (this.second) {
      const side = this.screen.data.legs.left ? "left" : "right";
      const phase = this.screen.phase(n, side);
      const other = this.mirror ? "right" : side;
      this.second.show(phase ? this.second.at(phase, other) : n, this.mirror ? "right" : undefined);
    }
    this.part("seek").value = n;
    this.part("at").textContent = `frame ${n}, ${(n / this.screen.data.fps).toFixed(2)} s`;
    const still = this.part("still");
    if (still) still.value = n;
    this.drawMarks();
    const strip = document.querySelector("svg[data-contacts]");
    if (strip) {
      const x = stripX(strip, n);
      strip.querySelector(".playhead").setAttribute("d", `M${x} 0V74`);
    }
  }

  play(on) {
    this.playing = on;
    const button = this.part("play");
    button.setAttribute("aria-pressed", String(on));
    button.textContent = on ? "stop" : "play";
    if (!on) return;
    const begun = performance.now();
    const from = this.frame >= this.screen.data.frames - 1 ? 0 : this.frame;
    const tick = (now) => {
      if (!this.playing || !this.root.isConnected) return;
      const n = from + Math.floor(((now - begun) / 1000) * this.screen.data.fps * Number(this.part("speed").value));
      if (n >= this.screen.data.frames) {
        this.play(false);
        return;
      }
      if (n !== this.frame) this.go(n);
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
  }

  // The contact nearest to the frame, on either side.
  nearest() {
    let best = null;
    for (const side of ["left", "right"]) {
      for (const c of this.screen.data.legs[side]?.contacts ?? []) {
        const d = this.frame < c.on ? c.on - this.frame : Math.max(0, this.frame - c.off);
        if (!best || d < best.d) best = { d, side, c };
      }
    }
    return best;
  }

  report(values) {
    window.htmx.ajax("POST", `${this.screen.data.at}/adjust`, { target: "#findings", swap: "innerHTML", values });
  }

  do(name) {
    const near = ["touch", "lift", "drop"].includes(name) ? this.nearest() : null;
    const middle = near && Math.round((near.c.on + near.c.off) / 2);
    if (name === "play") this.play(!this.playing);
    else if (name === "back") this.go(this.frame - 1);
    else if (name === "on") this.go(this.frame + 1);
    else if (name === "touch" && near &&
      this.frame < near.c.off) this.report({ contact: `${near.side},${middle},${this.frame},${near.c.off}` });
    else if (name === "lift" && near &&
      this.frame > near.c.on) this.report({ contact: `${near.side},${middle},${near.c.on},${this.frame}` });
    else if (name === "drop" && near) this.report({ [near.c.left_out ? "restore" : "drop"]: `${near.side},${middle}` });
    else if (name === "overlay") {
      const on = this.root.classList.toggle("over");
      this.part("overlay").setAttribute("aria-pressed", String(on));
    } else if (name === "hand") {
      this.hand = !this.hand;
      this.part("hand").setAttribute("aria-pressed", String(this.hand));
      this.root.querySelector("[data-hand]").hidden = !this.hand;
      this.root.classList.toggle("marking", this.hand);
      // By keyboard a cross stands for the finger: Shift and arrows move it, Enter marks.
      this.cross ??= { x: this.screen.data.width / 2 || 320, y: this.screen.data.height / 2 || 240 };
      this.drawMarks();
      if (this.hand) this.screen.svg.focus();
    }
  }

  // A tap with 'mark by hand' puts the next dot there, and the one after is next.
  mark(p) {
    const [side, dot] = this.part("dot").value.split(",");
    this.marks.set(`${side},${dot},${this.frame}`, `${side},${dot},${this.frame},${p.x.toFixed(1)},${p.y.toFixed(1)}`);
    const dots = this.part("dot");
    dots.selectedIndex = (dots.selectedIndex + 1) % dots.options.length;
    this.root.querySelector('[name="marks"]').value = [...this.marks.values()].join(" ");
    this.part("marked").textContent = `${this.marks.size} marked`;
    this.drawMarks();
  }

  drawMarks() {
    this.screen.drawing.querySelector(".cross")?.remove();
    if (this.hand) {
      const { x, y } = this.cross;
      make("path", { class: "cross", d: `M${x - 12} ${y}H${x + 12}M${x} ${y - 12}V${y + 12}` }, this.screen.drawing);
    }
    for (const m of this.marks.values()) {
      const [side, , frame, x, y] = m.split(",");
      if (Number(frame) === this.frame) make("circle", { class: `dot ${side} by_hand`, cx: x, cy: y, r: this.screen.data.width / 56 || 8 },
        this.screen.drawing);
    }
  }
}

const stripX = (strip, n) => {
  const pad = Number(strip.dataset.pad);
  return pad + ((1000 - 2 * pad) * n) / Math.max(1, Number(strip.dataset.frames) - 1);
};
const stripFrame = (strip, event) => {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(strip.getScreenCTM().inverse());
  const pad = Number(strip.dataset.pad);
  return Math.round(((p.x - pad) / (1000 - 2 * pad)) * Math.max(1, Number(strip.dataset.frames) - 1));
};
const table = () => document.querySelector("[data-film]")?.table;

function start() {
  for (const root of document.querySelectorAll("[data-film]")) if (!root.table) new Table(root).load();
}
start();
document.addEventListener("htmx:afterSettle", (event) => {
  start();
  const t = table();
  if (event.detail.target?.id === "findings" && t?.screen) t.reload();
});

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-film] button[data-do]");
  if (button) button.closest("[data-film]").table.do(button.dataset.do);
});
document.addEventListener("input", (event) => {
  const seek = event.target.closest('[data-film] [data-do="seek"]');
  if (seek) table().go(Number(seek.value));
});

// Dragging: a dot on the film, or an end of a contact on the strip.
let held = null;
const inFilm = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());

document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("svg.film:not(.second)");
  const t = table();
  if (svg && t?.hand) {
    event.preventDefault();
    t.mark(inFilm(svg, event));
    return;
  }
  const dot = event.target.closest?.("svg.film:not(.second) [data-dot]");
  if (dot && t?.screen.grips) {
    event.preventDefault();
    t.play(false);
    held = { dot, svg };
    svg.setPointerCapture(event.pointerId);
    return;
  }
  const strip = event.target.closest?.("svg[data-contacts]");
  if (!strip || !t) return;
  event.preventDefault();
  t.play(false);
  const end = event.target.closest("[data-end]");
  if (end) {
    held = { end, strip };
    strip.setPointerCapture(event.pointerId);
  } else if (event.target.closest("[data-out]")) {
    const out = event.target.closest("[data-out]");
    t.report({ restore: `${out.dataset.side},${out.dataset.at}` });
  } else {
    t.go(stripFrame(strip, event));
  }
});

document.addEventListener("pointermove", (event) => {
  if (!held) return;
  if (held.dot) {
    const p = inFilm(held.svg, event);
    held.dot.setAttribute("cx", p.x.toFixed(1));
    held.dot.setAttribute("cy", p.y.toFixed(1));
  } else {
    const n = stripFrame(held.strip, event);
    held.frame = n;
    held.end.setAttribute("cx", stripX(held.strip, n));
    table().go(n);
  }
});

document.addEventListener("pointerup", () => {
  if (!held) return;
  const was = held;
  held = null;
  const t = table();
  if (was.dot) reportDot(t, was.dot);
  else if (was.frame !== undefined) reportEnd(t, was.end, was.frame);
});

const reportDot = (t, dot) => t.report({
  mark: `${dot.dataset.side},${dot.dataset.dot},${t.frame},${dot.getAttribute("cx")},${dot.getAttribute("cy")}`,
});

function reportEnd(t, end, frame) {
  const g = end.closest("g.contact").dataset;
  const on = end.dataset.end === "on" ? frame : Number(g.on);
  const off = end.dataset.end === "off" ? frame : Number(g.off);
  const peak = end.dataset.end === "peak" ? `,${frame}` : "";
  t.report({ contact: `${g.side},${g.at},${on},${off}${peak}` });
}

// Keys: arrows step through the film, [ and ] set the nearest contact's ends; with the
// focus on a contact's end arrows move it, on a dot Shift and arrows do.
const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
let resting = 0;
let refocus = null;

document.addEventListener("keydown", (event) => {
  const t = table();
  if (!t?.screen || event.ctrlKey || event.metaKey || event.altKey) return;
  const way = arrows[event.key];
  const end = event.target.closest?.("[data-end]");
  const dot = event.target.closest?.("[data-dot]");
  if (end && way?.[0]) {
    event.preventDefault();
    const n = Number(end.getAttribute("aria-valuenow")) + way[0];
    end.setAttribute("aria-valuenow", n);
    end.setAttribute("cx", stripX(end.closest("svg"), n));
    t.go(n);
    clearTimeout(resting);
    resting = setTimeout(() => {
      refocus = `[aria-label="${end.getAttribute("aria-label")}"]`;
      reportEnd(t, end, n);
    }, 400);
  } else if (dot && way && event.shiftKey) {
    event.preventDefault();
    const round = (v) => Math.round(v * 10) / 10;
    dot.setAttribute("cx", round(Number(dot.getAttribute("cx")) + 0.5 * way[0]));
    dot.setAttribute("cy", round(Number(dot.getAttribute("cy")) + 0.5 * way[1]));
    clearTimeout(resting);
    resting = setTimeout(() => {
      refocus = `[data-dot="${dot.dataset.dot}"][data-side="${dot.dataset.side}"]`;
      reportDot(t, dot);
    }, 400);
  } else if (t.hand && event.target === t.screen.svg && way && event.shiftKey) {
    event.preventDefault();
    t.cross.x += 3 * way[0];
    t.cross.y += 3 * way[1];
    t.drawMarks();
  } else if (t.hand && event.target === t.screen.svg && event.key === "Enter") {
    event.preventDefault();
    t.mark(t.cross);
  } else if (event.target.closest("input, select, textarea, dialog[open]")) {
    return;
  } else if (way?.[0]) {
    event.preventDefault();
    t.play(false);
    t.go(t.frame + way[0] * (event.shiftKey ? 10 : 1));
  } else if (event.key === " " && event.target.closest("svg.film")) {
    event.preventDefault();
    t.do("play");
  } else if (event.key === "[") {
    t.do("touch");
  } else if (event.key === "]") {
    t.do("lift");
  }
});
document.addEventListener("htmx:afterSettle", () => {
  if (!refocus) return;
  const wanted = refocus;
  refocus = null;
  setTimeout(() => document.querySelector(wanted)?.focus(), 150); // once the film is drawn anew
});
reduced.addEventListener("change", () => reduced.matches && table()?.play(false));

// New films: the browser plays what it can, and steps it frame by frame.
const BATCH = 12;
const MOST_SECONDS = 20;
const MOST_FRAMES = 2400;
const LONGEST = 960; // px that a frame is sent with
const pause = (ms) => new Promise((done) => setTimeout(done, ms));
// A device that keeps nothing still sends its film, from the start each time.
const kept = (act) => {
  try {
    return act(window.localStorage);
  } catch {
    return null;
  }
};
const once = (target, name) => new Promise((done, fail) => {
  target.addEventListener(name, done, { once: true });
  target.addEventListener("error", () => fail(new Error("this file cannot be played here; WebM and MP4 can")), { once: true });
});

class NewFilm {
  constructor(form) {
    this.form = form;
    this.video = form.querySelector("[data-look]");
    form.querySelector("[data-take]").addEventListener("click", () => this.take(form.querySelector("[data-file]").files[0]));
    form.querySelector("[data-camera]").addEventListener("click", () => this.camera());
    form.addEventListener("dragover", (event) => event.preventDefault());
    form.addEventListener("drop", (event) => {
      event.preventDefault();
      if (event.dataTransfer.files.length) form.querySelector("[data-file]").files = event.dataTransfer.files;
    });
  }

  say(text, percent) {
    const line = this.form.querySelector("[data-progress]");
    line.hidden = false;
    line.querySelector("span").textContent = text;
    const bar = line.querySelector("progress");
    if (percent === undefined) bar.removeAttribute("value");
    else bar.value = percent;
  }

  fault(text) {
    const line = this.form.querySelector("[data-fault]");
    line.textContent = text;
    line.hidden = !text;
    if (text) this.form.querySelector("[data-progress]").hidden = true;
  }

  async take(file) {
    if (this.busy) return;
    this.fault("");
    if (!file) {
      this.fault("No film is chosen; choose a WebM or MP4 file.");
      return;
    }
    this.busy = true;
    try {
      const { rate, seconds } = await this.open(file);
      const typed = Number(this.form.elements.fps.value.replace(",", "."));
      const real = typed > 0 ? typed : rate; // slow motion is played slower than it was filmed
      const frames = Math.min(Math.floor(seconds * rate + 0.01), MOST_FRAMES, Math.floor(MOST_SECONDS * real));
      const film = await this.begin(file, frames, rate);
      if (film) await this.send(film, frames, rate);
    } catch (error) {
      this.fault(`${error.message[0].toUpperCase()}${error.message.slice(1)}.`);
    } finally {
      this.busy = false;
    }
  }

  // The film's own rate is told from the times of the frames that are shown.
  async open(file) {
    this.say("looking at the film");
    const v = this.video;
    v.src = URL.createObjectURL(file);
    await once(v, "loadedmetadata");
    if (!Number.isFinite(v.duration)) {
      // A film of this device's camera does not say how long it is.
      v.currentTime = 1e7;
      await once(v, "seeked");
      await pause(50);
    }
    const seconds = Number.isFinite(v.duration) ? v.duration : v.currentTime;
    v.currentTime = 0;
    await once(v, "seeked");
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
    if (gaps.length < 3) throw new Error("this film has too few frames to be read");
    const median = gaps[Math.floor(gaps.length / 2)];
    const near = gaps.filter((d) => Math.abs(d - median) < 0.3 * median);
    const rate = near.length / near.reduce((a, b) => a + b, 0);
    const known = [24, 25, 30, 48, 50, 60, 90, 100, 120, 200, 240].find((k) => Math.abs(rate - k) < 0.02 * k);
    return { rate: known ?? Math.round(rate * 100) / 100, seconds };
  }

  // A film that was begun before and did not all arrive goes on, as it is described by now.
  async begin(file, frames, rate) {
    const key = `film:${location.pathname}:${file.name}:${file.size}:${frames}`;
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

  async missing(film) {
    for (;;) {
      const answer = await fetch(`${film.at}/missing`).catch(() => null);
      if (answer?.ok) return (await answer.json()).missing;
      if (answer && answer.status !== 503) throw new Error("this film is no longer awaited; take it anew");
      this.say("the connection is lost; it goes on when it is back");
      await pause(1500);
    }
  }

  async send(film, frames, rate) {
    const canvas = document.createElement("canvas");
    const v = this.video;
    const shrink = Math.min(1, LONGEST / Math.max(v.videoWidth, v.videoHeight));
    canvas.width = Math.round(v.videoWidth * shrink);
    canvas.height = Math.round(v.videoHeight * shrink);
    const pen = canvas.getContext("2d");
    let missing = await this.missing(film);
    while (missing.length > 0) {
      let sending = Promise.resolve(true); // the last pieces go while the next are made
      for (let i = 0; i < missing.length; i += BATCH) {
        const pieces = [];
        for (const n of missing.slice(i, i + BATCH)) {
          await this.step(n, rate);
          pen.drawImage(v, 0, 0, canvas.width, canvas.height);
          pieces.push(new Promise((done) => canvas.toBlob((blob) => done([n, blob]), "image/jpeg", 0.92)));
        }
        if (!(await sending)) break; // ask what is missing, and go on from there
        sending = this.post(film, await Promise.all(pieces));
        const left = Math.max(0, missing.length - i - BATCH);
        this.say(`${frames - left} of ${frames} frames`, (100 * (frames - left)) / frames);
      }
      await sending;
      missing = await this.missing(film);
    }
    await fetch(`${film.at}/finish`, { method: "POST", body: new URLSearchParams(), redirect: "manual" });
    kept((s) => s.removeItem(this.key));
    URL.revokeObjectURL(v.src);
    location.assign(`${location.pathname}?film=${film.at.split("/").pop()}`);
  }

  // Sends some frames; false where they were lost on the way.
  async post(film, pieces) {
    const body = new FormData();
    for (const [n, blob] of pieces) body.append(n, blob, `${n}.jpg`);
    const answer = await fetch(`${film.at}/frames`, { method: "POST", body }).catch(() => null);
    if (answer?.status === 422) throw new Error((await answer.json()).faults.map((f) => `${f.field} ${f.text}`).join("; "));
    return answer?.ok ?? false;
  }

  // Step to a frame, and see that it is the one that is shown.
  async step(n, rate) {
    const v = this.video;
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

  // The device's own camera: some seconds, shown while they are filmed.
  async camera() {
    if (this.busy) return;
    this.fault("");
    if (!navigator.mediaDevices?.getUserMedia) {
      this.fault("This browser gives no camera to this address; film with the device and choose the file.");
      return;
    }
    this.busy = true;
    let file = null;
    try {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: false,
        video: { facingMode: "environment", frameRate: { ideal: 120 }, width: { ideal: 1280 } } });
      const v = this.video;
      v.hidden = false;
      v.srcObject = stream;
      await v.play();
      const recorder = new MediaRecorder(stream);
      const parts = [];
      recorder.addEventListener("dataavailable", (event) => parts.push(event.data));
      const stopped = once(recorder, "stop");
      recorder.start();
      const seconds = Number(this.form.querySelector("[data-seconds]").value);
      for (let s = seconds; s > 0; s--) {
        this.say(`filming, ${s} s to go`, (100 * (seconds - s)) / seconds);
        await pause(1000);
      }
      recorder.stop();
      await stopped;
      for (const track of stream.getTracks()) track.stop();
      v.srcObject = null;
      v.hidden = true;
      file = new File(parts, `camera-${Date.now()}.webm`, { type: recorder.mimeType });
    } catch (error) {
      this.fault(`The camera cannot be used: ${error.message || error.name}.`);
    } finally {
      this.busy = false;
    }
    if (file) await this.take(file);
  }
}

for (const form of document.querySelectorAll("[data-newfilm]")) new NewFilm(form);
