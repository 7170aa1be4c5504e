// A film under a hand: frames are shown with what was read drawn over them, dots and
// contacts are dragged, and where they ended is reported. Every number of the job comes
// from the server.

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
    this.loaded = this.load();
  }

  // What is done before the film is there is done once it is, in its order.
  when(act) {
    if (this.screen) act();
    else this.loaded.then(act);
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
  return pad + ((strip.viewBox.baseVal.width - 2 * pad) * n) / Math.max(1, Number(strip.dataset.frames) - 1);
};
const stripFrame = (strip, event) => {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(strip.getScreenCTM().inverse());
  const pad = Number(strip.dataset.pad);
  return Math.round(((p.x - pad) / (strip.viewBox.baseVal.width - 2 * pad)) * Math.max(1, Number(strip.dataset.frames) - 1));
};
const table = () => document.querySelector("[data-film]")?.table;

function start() {
  for (const root of document.querySelectorAll("[data-film]")) if (!root.table) new Table(root);
}
start();
document.addEventListener("htmx:afterSettle", (event) => {
  start();
  const t = table();
  if (event.detail.target?.id === "findings" && t?.screen) t.reload();
});

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-film] button[data-do]");
  const t = button?.closest("[data-film]").table;
  t?.when(() => t.do(button.dataset.do));
});
document.addEventListener("input", (event) => {
  const seek = event.target.closest('[data-film] [data-do="seek"]');
  if (seek) table().when(() => table().go(Number(seek.value)));
});

// Dragging: a dot on the film, or an end of a contact on the strip.
let held = null;
const inFilm = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());

document.addEventListener("pointerdown", (event) => {
  const t = table();
  if (t?.screen || event.target.closest?.("svg.film")) t?.when(() => press(event));
});

function press(event) {
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
}

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
  if (!event.ctrlKey && !event.metaKey && !event.altKey) table()?.when(() => key(event));
});

function key(event) {
  const t = table();
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
}
document.addEventListener("htmx:afterSettle", () => {
  if (!refocus) return;
  const wanted = refocus;
  refocus = null;
  setTimeout(() => document.querySelector(wanted)?.focus(), 150); // once the film is drawn anew
});
reduced.addEventListener("change", () => reduced.matches && table()?.play(false));

// The level of a film without dots: the four points of each leg on its mean picture are dragged or moved by the arrows,
// and sent as they lie.
const levels = (root) => [...root.querySelectorAll("[data-mean]")].map((svg) => [svg.dataset.mean,
  ...[...svg.querySelectorAll("[data-point]")].flatMap((c) => [c.getAttribute("cx"), c.getAttribute("cy")])].join(",")).join(" ");

function drawLevel(svg) {
  const at = [...svg.querySelectorAll("[data-point]")].map((c) => `${c.getAttribute("cx")} ${c.getAttribute("cy")}`);
  for (const line of svg.querySelectorAll("[data-line]")) {
    const i = Number(line.dataset.line);
    line.setAttribute("d", `M${at[i]}L${at[i + 1]}`);
  }
}

function movePoint(point, x, y) {
  const svg = point.ownerSVGElement;
  const { width, height } = svg.viewBox.baseVal;
  point.setAttribute("cx", Math.max(0, Math.min(width, x)).toFixed(1));
  point.setAttribute("cy", Math.max(0, Math.min(height, y)).toFixed(1));
  drawLevel(svg);
  const panel = svg.closest(".level");
  panel.querySelector('[name="level"]').value = levels(panel);
}

const drawLevels = () => document.querySelectorAll("[data-mean]").forEach(drawLevel);
drawLevels();
document.addEventListener("htmx:afterSettle", drawLevels);

let pulled = null;
document.addEventListener("pointerdown", (event) => {
  const point = event.target.closest?.("[data-point]");
  if (!point) return;
  event.preventDefault();
  point.focus();
  pulled = point;
  point.ownerSVGElement.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!pulled) return;
  const p = inFilm(pulled.ownerSVGElement, event);
  movePoint(pulled, p.x, p.y);
});
document.addEventListener("pointerup", () => (pulled = null));
document.addEventListener("pointercancel", () => (pulled = null));
document.addEventListener("keydown", (event) => {
  const point = event.target.closest?.("[data-point]");
  const way = arrows[event.key];
  if (!point || !way) return;
  event.preventDefault();
  event.stopImmediatePropagation(); // the film does not step meanwhile
  const by = event.shiftKey ? 5 : 0.5;
  movePoint(point, Number(point.getAttribute("cx")) + by * way[0], Number(point.getAttribute("cy")) + by * way[1]);
}, true);
