// The stairs of a season: pulling a week's top changes its distance, arrows do by keyboard, and the form that is sent is the one
// that stands on the page. A tap opens the week. Nothing of the job is computed here.

const form = () => document.getElementById("moveweek");
let pull = null;
let pulled = false; // the click that follows is no tap
let idle = 0;

// show draws a week as it would be, and puts it into the form.
function show(week, km) {
  const svg = week.ownerSVGElement;
  const stair = week.querySelector(".stair");
  const high = Number(week.dataset.high);
  const bottom = Number(stair.getAttribute("y")) + Number(stair.getAttribute("height"));
  const most = 300;
  const value = Math.min(most, Math.max(Number(week.dataset.least), km));
  stair.setAttribute("y", bottom - high * value);
  stair.setAttribute("height", high * value);
  week.dataset.now = value;
  let word = week.querySelector(".stairword");
  if (!word) {
    word = document.createElementNS("http://www.w3.org/2000/svg", "text");
    word.setAttribute("class", "word stairword");
    word.setAttribute("text-anchor", "middle");
    word.setAttribute("x", Number(stair.getAttribute("x")) + Number(stair.getAttribute("width")) / 2);
    week.append(word);
  }
  const unit = Number(svg.dataset.perkm);
  word.textContent = `${Math.round(value * unit)} ${svg.dataset.unit}`;
  word.setAttribute("y", bottom - high * value - 5);
}

function send(week) {
  clearTimeout(idle);
  const now = week.dataset.now;
  if (now === undefined || Math.abs(now - week.dataset.km) < 0.05) return;
  const unit = Number(week.ownerSVGElement.dataset.perkm);
  form().elements.week_on.value = week.dataset.week;
  form().elements.week_km.value = ((now - week.dataset.least) * unit).toFixed(1);
  delete week.dataset.now;
  form().requestSubmit();
}

document.addEventListener("pointerdown", (event) => {
  const week = event.target.closest?.(".weekstair");
  if (!week || !form() || event.button > 0) return;
  pull = { week, from: event.clientY, perPixel: 1 / week.ownerSVGElement.getScreenCTM().d, km: Number(week.dataset.km), moved: false };
});

document.addEventListener("pointermove", (event) => {
  if (!pull) return;
  const by = (pull.from - event.clientY) * pull.perPixel;
  if (!pull.moved && Math.abs(by) < 5) return;
  if (!pull.moved) pull.week.setPointerCapture?.(event.pointerId);
  pull.moved = true;
  show(pull.week, Math.round(pull.km + by / Number(pull.week.dataset.high)));
});

document.addEventListener("pointerup", () => {
  const was = pull;
  pull = null;
  pulled = Boolean(was?.moved);
  if (pulled) send(was.week);
});

document.addEventListener("pointercancel", () => {
  if (pull?.moved) show(pull.week, pull.km);
  pull = null;
});

// A pull is no tap, and a link is not dragged away.
document.addEventListener("dragstart", (event) => {
  if (event.target.closest?.(".weekstair")) event.preventDefault();
});
document.addEventListener("click", (event) => {
  if (pulled && event.target.closest?.(".weekstair")) event.preventDefault();
  pulled = false;
});

document.addEventListener("keydown", (event) => {
  const week = document.activeElement?.closest?.(".weekstair");
  const step = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key];
  if (!week || !form()) return;
  if (step) {
    event.preventDefault();
    show(week, Number(week.dataset.now ?? week.dataset.km) + step);
    clearTimeout(idle);
    idle = setTimeout(() => send(week), 1200);
  } else if (event.key === "Escape" && week.dataset.now !== undefined) {
    clearTimeout(idle);
    show(week, Number(week.dataset.km));
    delete week.dataset.now;
  }
});

// The runs of a week that is opened are saved as they are changed, those that a finger moved on the picture too.
let later = 0;
document.addEventListener("change", (event) => {
  const week = event.target.closest?.("form[data-week]");
  if (!week) return;
  clearTimeout(later);
  later = setTimeout(() => {
    if (whole(week)) week.requestSubmit();
  }, 250);
});

document.addEventListener("submit", () => clearTimeout(later));

// whole says whether every run that is begun has its day, distance and kind.
function whole(week) {
  return [...week.querySelectorAll("tbody tr")].every((row) => {
    const [day, km, kind] = ["day", "km", "kind"].map((n) => row.querySelector(`[name^="plan_${n}."]`)?.value ?? "");
    return (day && km && kind) || (!day && !km && !kind);
  });
}
