// The print's picture under a hand: handles are dragged, print is painted or erased,
// and where they ended is reported. Every number comes from the server.

const ink = { paint: false, erase: true };
let brush = null; // "paint" or "erase"
let held = null;

function place(svg, event) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return { X: Math.round(p.x * 10) / 10, Y: Math.round(p.y * 10) / 10 };
}

function report(svg, values) {
  window.htmx.ajax("POST", svg.dataset.print, { target: "#findings", swap: "innerHTML", values });
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-brush]");
  if (!button) return;
  brush = brush === button.dataset.brush ? null : button.dataset.brush;
  pressBrushes();
});

// Corners by hand: four handles on the paper's corners, clockwise from its top left,
// and the paper's size; they are reported when all four are in place.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-corners]");
  if (!button) return;
  const side = button.closest(".printside");
  const svg = side.querySelector("svg.printphoto");
  const group = svg.querySelector(".corners");
  const show = group.hasAttribute("hidden");
  group.toggleAttribute("hidden", !show);
  side.querySelector("[data-paper]").hidden = !show;
  if (!show) return;
  brush = null; // the hand moves corners now
  pressBrushes();
  // Corners lie outside the print: the whole picture is shown.
  const [width, height] = [Number(svg.dataset.width), Number(svg.dataset.height)];
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const at = [[0.06, 0.06], [0.94, 0.06], [0.94, 0.94], [0.06, 0.94]];
  group.querySelectorAll("circle").forEach((c, i) => {
    c.setAttribute("cx", at[i][0] * width);
    c.setAttribute("cy", at[i][1] * height);
  });
  frame(group);
});

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-use-corners]");
  if (!button) return;
  const side = button.closest(".printside");
  const svg = side.querySelector("svg.printphoto");
  report(svg, { corners: cornersOf(svg.querySelector(".corners")).flat().join(","),
    paper: side.querySelector("[data-paper] select").value });
});

const cornersOf = (group) => [...group.querySelectorAll("circle")].map((c) => [c.getAttribute("cx"), c.getAttribute("cy")]);
const frame = (group) => group.querySelector("polygon").setAttribute("points", cornersOf(group).map((c) => c.join(",")).join(" "));

function pressBrushes() {
  for (const b of document.querySelectorAll("[data-brush]")) b.setAttribute("aria-pressed", String(b.dataset.brush === brush));
  for (const s of document.querySelectorAll(".printphoto")) s.classList.toggle("brushing", brush !== null);
}
document.addEventListener("htmx:afterSwap", pressBrushes);

document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("svg[data-print]");
  if (!svg || !svg.querySelector(".handles")) return;
  const handle = event.target.closest("[data-handle]");
  const corner = event.target.closest("[data-corner]");
  const pulled = event.target.closest("[data-pull]");
  if (pulled && brush === null) {
    const from = place(svg, event);
    held = { svg, pulled, from, grip: gripAt(svg, from) };
  } else if (corner && brush === null) {
    held = { svg, corner };
  } else if (handle && brush === null) {
    held = { svg, handle, line: svg.querySelector(`[data-line="${handle.dataset.handle}"]`) };
  } else if (brush !== null) {
    const radius = Math.max(svg.viewBox.baseVal.width, svg.viewBox.baseVal.height) / 90;
    const trail = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
    trail.setAttribute("class", `trail ${brush}`);
    trail.setAttribute("stroke-width", String(2 * radius));
    svg.append(trail);
    held = { svg, trail, stroke: { Points: [place(svg, event)], Radius: radius, Erase: ink[brush] } };
  }
  if (held) {
    event.preventDefault();
    svg.setPointerCapture?.(event.pointerId);
  }
});

document.addEventListener("pointermove", (event) => {
  if (!held) return;
  const p = place(held.svg, event);
  if (held.stroke) {
    held.stroke.Points.push(p);
    held.trail.setAttribute("points", held.stroke.Points.map((q) => `${q.X},${q.Y}`).join(" "));
  } else {
    move(held, p);
  }
});

// A line that is pulled shows where it will go: a dot under the hand.
function gripAt(svg, p) {
  const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
  dot.setAttribute("class", "pulled");
  svg.querySelector(".handles").append(dot);
  move({ grip: dot }, p);
  return dot;
}

// move brings a handle, with its line, a corner or a pulled line's dot to a place.
function move({ handle, line, corner, grip }, p) {
  const dot = grip ?? corner ?? handle;
  dot.setAttribute("cx", p.X);
  dot.setAttribute("cy", p.Y);
  if (grip) return;
  if (corner) {
    frame(corner.parentElement);
  } else {
    line.setAttribute(`x${handle.dataset.end}`, p.X);
    line.setAttribute(`y${handle.dataset.end}`, p.Y);
  }
}

// settle reports where a handle's line ended.
function settle({ svg, line, handle, pulled, grip }) {
  if (pulled) return report(svg, { [pulled.dataset.pull]: [grip.getAttribute("cx"), grip.getAttribute("cy")].join(",") });
  const name = handle.dataset.handle;
  if (name.startsWith("cut")) report(svg, { cut: [name.slice(3), handle.getAttribute("cx"), handle.getAttribute("cy")].join(",") });
  else report(svg, { [name]: ["x1", "y1", "x2", "y2"].map((a) => line.getAttribute(a)).join(",") });
}

document.addEventListener("pointerup", () => {
  if (!held) return;
  const was = held;
  held = null;
  if (was.stroke) report(was.svg, { stroke: JSON.stringify(was.stroke) });
  else if (was.pulled && ["X", "Y"].every((k) => Number(was.grip.getAttribute(`c${k.toLowerCase()}`)) === was.from[k])) was.grip.remove();
  else if (was.handle || was.pulled) settle(was);
});

// By keyboard: arrows move what has the focus, with Shift farther; it is reported
// when the arrows rest, and keeps the focus.
const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
let resting = 0;
let focused = null;

document.addEventListener("keydown", (event) => {
  const dot = event.target.closest?.("[data-handle], [data-corner], circle[data-pull]");
  const way = arrows[event.key];
  if (!dot || !way) return;
  event.preventDefault();
  const svg = dot.closest("svg");
  const step = (svg.viewBox.baseVal.width / 300) * (event.shiftKey ? 6 : 1);
  const corner = dot.hasAttribute("data-corner") ? dot : undefined;
  const pulled = dot.dataset.pull;
  let what = { svg, handle: dot, line: svg.querySelector(`[data-line="${dot.dataset.handle}"]`) };
  if (corner) what = { svg, corner };
  else if (pulled) what = { svg, pulled: dot, grip: dot };
  const round = (v) => Math.round(v * 10) / 10;
  move(what, { X: round(Number(dot.getAttribute("cx")) + way[0] * step), Y: round(Number(dot.getAttribute("cy")) + way[1] * step) });
  if (corner) return;
  clearTimeout(resting);
  resting = setTimeout(() => {
    const kind = pulled ? "circle[data-pull]" : `[data-handle="${dot.dataset.handle}"]`;
    focused = `svg[data-print="${svg.dataset.print}"] ${kind}[data-end="${dot.dataset.end}"]`;
    settle(what);
  }, 350);
});

document.addEventListener("htmx:afterSettle", () => {
  if (focused) document.querySelector(focused)?.focus();
  focused = null;
});

// A picture may be dropped on its panel; a long one shows how far it has come.
document.addEventListener("dragover", (event) => event.target.closest?.("[data-drop]") && event.preventDefault());
document.addEventListener("drop", (event) => {
  const panel = event.target.closest?.("[data-drop]");
  if (!panel || event.dataTransfer.files.length === 0) return;
  event.preventDefault();
  panel.querySelector('input[type="file"]').files = event.dataTransfer.files;
});
document.addEventListener("submit", (event) => {
  const bar = event.target.closest("[data-drop]")?.querySelector("progress");
  if (bar) {
    bar.hidden = false;
    bar.removeAttribute("value"); // under way, without an end that is known
  }
});
