// Dragging a run on the picture of the week: the bar follows the finger, and on letting
// go its day and time go into the row's fields, which save as if typed. The keyboard has
// those fields. Parts of one run move together. Pulling a bar's end makes the run longer
// (the server keeps its pace), a double click where no run is begins one in the next empty
// row. Nothing of the job is computed here.

const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
const WEEK = 7 * 24 * 60;
const STEP = 30; // minutes; a finger is no finer

const STRETCH = 5; // minutes, at a minute a pixel: the picture's own scale is too coarse

let drag = null;
let pull = null;

const scale = (svg) => WEEK / Number(svg.dataset.width); // minutes a unit of the drawing

function set(id, value) {
  const field = document.getElementById(id);
  if (!field || field.disabled || field.value === value) return;
  field.value = value;
  field.dispatchEvent(new Event("change", { bubbles: true }));
}

document.addEventListener("pointerdown", (event) => {
  const end = event.target.closest?.("svg.weekboard[data-moves] .runend");
  if (end) {
    event.preventDefault();
    const bar = end.ownerSVGElement.querySelector(`.runbar[data-row="${end.dataset.row}"]`);
    const was = Number(end.dataset.minutes);
    pull = { end, bar, from: event.clientX, was, minutes: was, width: bar.getAttribute("width"), said: bar.nextElementSibling };
    pull.text = pull.said?.textContent;
    end.setPointerCapture(event.pointerId);
    return;
  }
  const bar = event.target.closest?.("svg.weekboard[data-moves] .runbar");
  if (!bar) return;
  event.preventDefault();
  const svg = bar.ownerSVGElement;
  const moved = [...svg.querySelectorAll(".runbar")].filter((b) => b.dataset.run === bar.dataset.run);
  drag = { svg, bar, moved, from: event.clientX, perPixel: 1 / svg.getScreenCTM().a, units: 0 };
  bar.setPointerCapture(event.pointerId);
});

document.addEventListener("pointermove", (event) => {
  if (pull) {
    pull.minutes = Math.min(1440, Math.max(STRETCH, Math.round((pull.was + event.clientX - pull.from) / STRETCH) * STRETCH));
    pull.bar.setAttribute("width", Math.max(4, pull.minutes / scale(pull.bar.ownerSVGElement)));
    if (pull.said) pull.said.textContent = `${pull.minutes} min`;
    return;
  }
  if (!drag) return;
  const step = STEP / scale(drag.svg);
  drag.units = Math.round(((event.clientX - drag.from) * drag.perPixel) / step) * step;
  for (const bar of drag.moved) bar.setAttribute("transform", `translate(${drag.units} 0)`);
  land(drag);
});

// when a bar stands that was moved by so many units: minutes of the week.
const when = (bar, units, svg) => Math.round(Number(bar.dataset.begin) + units * scale(svg) + WEEK) % WEEK;
const two = (n) => String(n).padStart(2, "0");
const clock = (at) => `${two(Math.floor((at % 1440) / 60))}:${two(at % 60)}`;

// land says over the bar where it would come to stand.
function land({ svg, bar, units }) {
  let text = svg.querySelector(".landing");
  if (!text) {
    text = document.createElementNS("http://www.w3.org/2000/svg", "text");
    text.setAttribute("class", "landing");
    svg.append(text);
  }
  const at = when(bar, units, svg);
  const day = DAYS[Math.floor(at / 1440)];
  text.textContent = `${day[0].toUpperCase()}${day.slice(1)} ${clock(at)}`;
  text.setAttribute("x", Number(bar.getAttribute("x")) + units);
  text.setAttribute("y", Number(bar.getAttribute("y")) - 2);
}

function end(keep) {
  if (!drag) return;
  drag.svg.querySelector(".landing")?.remove();
  const { svg, moved, units } = drag;
  drag = null;
  for (const bar of moved) {
    bar.removeAttribute("transform");
    if (!keep || units === 0) continue;
    const at = when(bar, units, svg);
    set(`f-plan_day-${bar.dataset.row}`, DAYS[Math.floor(at / 1440)]);
    set(`f-plan_start-${bar.dataset.row}`, clock(at));
  }
}

function letGo(keep) {
  if (!pull) return;
  const { end, bar, was, minutes, width, said, text } = pull;
  pull = null;
  if (keep && minutes !== was) {
    const form = document.getElementById("resize");
    form.elements.row.value = end.dataset.row;
    form.elements.minutes.value = minutes;
    form.requestSubmit();
    return;
  }
  bar.setAttribute("width", width);
  if (said) said.textContent = text;
}

document.addEventListener("pointerup", () => {
  end(true);
  letGo(true);
});
document.addEventListener("pointercancel", () => {
  end(false);
  letGo(false);
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  end(false);
  letGo(false);
});

document.addEventListener("dblclick", (event) => {
  const svg = event.target.closest?.("svg.weekboard[data-moves]");
  if (!svg || event.target.closest(".runbar, .runend")) return;
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const minute = Math.round(((point.x - Number(svg.dataset.left)) * scale(svg)) / STEP) * STEP;
  if (minute < 0 || minute >= WEEK) return;
  const week = [...document.querySelectorAll("svg.weekboard")].indexOf(svg);
  const days = [...document.querySelectorAll("select[name^='plan_day.']")].filter((f) =>
    Math.floor((Number(f.name.split(".")[1]) - 1) / Number(svg.dataset.rows)) === week);
  const free = days.find((f) => !f.value && !f.disabled);
  if (!free) return;
  const row = free.name.split(".")[1];
  for (let box = free.closest("details"); box; box = box.parentElement.closest("details")) box.open = true;
  set(`f-plan_day-${row}`, DAYS[Math.floor(minute / 1440)]);
  set(`f-plan_start-${row}`, clock(minute));
  document.getElementById(`f-plan_km-${row}`)?.focus();
});
