// Dragging a run on the picture of the week: the bar follows the finger, and on letting
// go its day and time go into the row's fields, which save as if typed. The keyboard has
// those fields. Parts of one run move together. Nothing of the job is computed here.

const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
const WEEK = 7 * 24 * 60;
const STEP = 30; // minutes; a finger is no finer

let drag = null;

const scale = (svg) => WEEK / Number(svg.dataset.width); // minutes a unit of the drawing

function set(id, value) {
  const field = document.getElementById(id);
  if (!field || field.disabled || field.value === value) return;
  field.value = value;
  field.dispatchEvent(new Event("change", { bubbles: true }));
}

document.addEventListener("pointerdown", (event) => {
  const bar = event.target.closest?.("svg.weekboard[data-moves] .runbar");
  if (!bar) return;
  event.preventDefault();
  const svg = bar.ownerSVGElement;
  const moved = [...svg.querySelectorAll(".runbar")].filter((b) => b.dataset.run === bar.dataset.run);
  drag = { svg, bar, moved, from: event.clientX, perPixel: 1 / svg.getScreenCTM().a, units: 0 };
  bar.setPointerCapture(event.pointerId);
});

document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const step = STEP / scale(drag.svg);
  drag.units = Math.round(((event.clientX - drag.from) * drag.perPixel) / step) * step;
  for (const bar of drag.moved) bar.setAttribute("transform", `translate(${drag.units} 0)`);
});

function end(keep) {
  if (!drag) return;
  const { svg, moved, units } = drag;
  drag = null;
  for (const bar of moved) {
    bar.removeAttribute("transform");
    if (!keep || units === 0) continue;
    const at = Math.round(Number(bar.dataset.begin) + units * scale(svg) + WEEK) % WEEK;
    const two = (n) => String(n).padStart(2, "0");
    set(`f-plan_day-${bar.dataset.row}`, DAYS[Math.floor(at / 1440)]);
    set(`f-plan_start-${bar.dataset.row}`, `${two(Math.floor((at % 1440) / 60))}:${two(at % 60)}`);
  }
}

document.addEventListener("pointerup", () => end(true));
document.addEventListener("pointercancel", () => end(false));
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") end(false);
});
