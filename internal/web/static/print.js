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

function pressBrushes() {
  for (const b of document.querySelectorAll("[data-brush]")) b.setAttribute("aria-pressed", String(b.dataset.brush === brush));
  for (const s of document.querySelectorAll(".printphoto")) s.classList.toggle("brushing", brush !== null);
}
document.addEventListener("htmx:afterSwap", pressBrushes);

document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest?.("svg[data-print]");
  if (!svg || !svg.querySelector(".handles")) return;
  const handle = event.target.closest("[data-handle]");
  if (handle && brush === null) {
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
    return;
  }
  held.handle.setAttribute("cx", p.X);
  held.handle.setAttribute("cy", p.Y);
  held.line.setAttribute(`x${held.handle.dataset.end}`, p.X);
  held.line.setAttribute(`y${held.handle.dataset.end}`, p.Y);
});

document.addEventListener("pointerup", () => {
  if (!held) return;
  const { svg, stroke, line, handle } = held;
  held = null;
  if (stroke) report(svg, { stroke: JSON.stringify(stroke) });
  else report(svg, { [handle.dataset.handle]: ["x1", "y1", "x2", "y2"].map((a) => line.getAttribute(a)).join(",") });
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
