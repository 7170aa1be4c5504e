// Keys, drafts and notices of every page. It draws and reports; nothing of the
// job is computed here.

const $ = (selector, root = document) => root.querySelector(selector);
const typing = (target) => target.closest("input, select, textarea, dialog[open]") !== null;

// Leaving waits for what is still being saved: changes are sent one after another, and a page that is left takes
// those that wait along. A change that is refused keeps the page, with what is wrong at its field.
const SAVING = "saving …";
const saving = new Set();
let leave = null;
let pressed = 0; // when the finger or key went down
let refused = -1; // when a change last was
for (const kind of ["pointerdown", "keydown"]) document.addEventListener(kind, () => (pressed = performance.now()), true);
const unseen = () => refused > pressed; // it was refused as the finger was down: whoever pressed has not seen that
const wentWell = ({ detail }) => detail.successful && detail.xhr.status !== 422; // an answer that tells a fault is an answer, too
const busy = () => [...saving].some((e) => e.isConnected);
document.addEventListener("htmx:confirm", (event) => event.detail.verb !== "get" && saving.add(event.detail.elt));
document.addEventListener("htmx:validation:halted", (event) => saved(event.detail.elt, false));
document.addEventListener("htmx:afterRequest", (event) => saved(event.detail.requestConfig.elt, wentWell(event)));

function saved(element, well) {
  if (!saving.delete(element)) return;
  if (!well) {
    leave = null;
    refused = performance.now();
    const line = $("#saved");
    if (line?.textContent === SAVING) line.textContent = "";
  }
  setTimeout(() => { // the next in line has begun by then
    if (busy()) return;
    const then = leave;
    leave = null;
    then?.();
  });
}

function hold(event, go) {
  event.preventDefault();
  event.stopImmediatePropagation();
  leave = go;
  const line = $("#saved");
  if (line) line.textContent = SAVING;
}

const page = (at) => at.href.split("#")[0];
document.addEventListener("click", (event) => {
  const link = event.target.closest?.("a[href]");
  if (!link || !(busy() || unseen()) || event.button !== 0 || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
  if (link.target || link.hasAttribute("download") || link.hasAttribute("hx-get") || page(link) === page(location)) return;
  if (busy()) hold(event, () => location.assign(link.href));
  else event.preventDefault();
}, true);

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (!busy() || form.method === "dialog" || form.hasAttribute("hx-post")) return;
  const like = (f) => `${f.action} ${[...new FormData(f)].filter(([name]) => name !== "token").join(" ")}`;
  const alike = (a, b) => a === b || (a.type === b.type && a.name === b.name && a.value === b.value);
  const [was, by] = [like(form), event.submitter];
  hold(event, () => {
    // The answer may have drawn the form anew.
    const now = form.isConnected ? form : [...document.forms].find((f) => like(f) === was);
    if (!now) notice("What stands here changed as the last change was saved. Look, and press again.");
    else now.requestSubmit(by && [...now.elements].find((e) => alike(e, by)));
  });
}, true);

// Back, reload and closing cannot wait: the browser asks first.
window.addEventListener("beforeunload", (event) => busy() && event.preventDefault());

// To another page, as by a link.
function go(url) {
  if (busy()) leave = () => location.assign(url);
  else location.assign(url);
}

// Keys: digits and c go to a station, j and k walk the slips, / finds, ? tells.
function moveSlip(step) {
  const slips = [...document.querySelectorAll(".slip summary")];
  if (slips.length === 0) return;
  const at = slips.indexOf(document.activeElement);
  slips[(at + step + slips.length + (at < 0 && step < 0 ? 1 : 0)) % slips.length].focus();
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
  if (/^[0-9c]$/.test(event.key)) {
    const station = $(`.stations a[data-key="${event.key}"]`);
    if (station) {
      event.preventDefault();
      station.click();
    }
  } else if (event.key === "j" || event.key === "k") {
    event.preventDefault();
    moveSlip(event.key === "j" ? 1 : -1);
  } else if (event.key === "/") {
    event.preventDefault();
    const search = $("[data-search]");
    if (search) search.focus();
    else go("/search");
  } else if (event.key === "n" && $(".rail")) {
    event.preventDefault();
    go("/new-fit");
  } else if (event.key === "?") {
    $("#keys")?.showModal();
  }
});

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-open]");
  if (opener) document.getElementById(opener.dataset.open)?.showModal();
  if (event.target.closest("[data-print]")) window.print();
});

// Drafts: what is typed and not yet kept stays on this device, by page and field,
// until the server has it, and comes back after a lost session or connection.
const DRAFT = "draft:";
const draftKey = (input) => `${DRAFT}${location.pathname}:${input.form.getAttribute("action")}:${input.name}`;
const drafted = (input) => input.name && input.name !== "token" && input.type !== "hidden" && input.type !== "checkbox" &&
  input.type !== "radio" && input.form?.hasAttribute("data-draft");

function storage(act) {
  try {
    return act(window.localStorage);
  } catch {
    return null; // a device that keeps nothing still works
  }
}

document.addEventListener("input", (event) => {
  if (drafted(event.target)) storage((s) => s.setItem(draftKey(event.target), event.target.value));
});

function restoreDrafts() {
  for (const input of document.querySelectorAll("form[data-draft] input, form[data-draft] select, form[data-draft] textarea")) {
    if (!drafted(input)) continue;
    const kept = storage((s) => s.getItem(draftKey(input)));
    if (kept === null) continue;
    if (kept === input.value) {
      storage((s) => s.removeItem(draftKey(input)));
    } else if (input.getAttribute("aria-invalid") !== "true") {
      input.value = kept;
      if (input.hasAttribute("hx-post")) input.dispatchEvent(new Event("change", { bubbles: true }));
    }
  }
}

// Saved by htmx: the draft of what was sent has done its work.
document.addEventListener("htmx:afterRequest", (event) => {
  const input = event.detail.elt;
  if (wentWell(event) && drafted(input)) storage((s) => s.removeItem(draftKey(input)));
  if (input.hasAttribute?.("aria-describedby")) {
    const wrong = document.getElementById(input.getAttribute("aria-describedby"));
    if (event.detail.xhr.status === 422 && wrong && !wrong.hidden) input.setAttribute("aria-invalid", "true");
    else if (event.detail.successful) input.removeAttribute("aria-invalid");
  }
});

// A number that changed when a part was swapped is seen to change.
let shown = null;
const figures = (root) => [...root.querySelectorAll("td, dd, .level, .sum b, .score, .price")];
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target?.id === "findings") shown = new Set(figures(event.detail.target).map((e) => e.textContent.trim()));
});
document.addEventListener("htmx:afterSwap", (event) => {
  if (!shown || event.detail.target?.id !== "findings") return;
  for (const e of figures(event.detail.target)) {
    if (/\d/.test(e.textContent) && !shown.has(e.textContent.trim())) e.classList.add("changed");
  }
  shown = null;
});

// Sent as a whole page: the drafts go once the answer shows what was kept.
// What is too large is told before it is sent, where the server would tell it.
document.addEventListener("change", (event) => {
  const input = event.target;
  if (!input.matches?.("input[type=file][data-most]")) return;
  const size = [...input.files].reduce((sum, file) => sum + file.size, 0);
  const tooLarge = size > Number(input.dataset.most) * 2 ** 20;
  input.setCustomValidity(tooLarge ? `This is ${Math.ceil(size / 2 ** 20)} MiB; up to ${input.dataset.most} MiB are taken at once.` : "");
  if (tooLarge) input.reportValidity();
});

document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.hasAttribute("data-sign-out")) {
    storage((s) => Object.keys(s).filter((k) => k.startsWith(DRAFT)).forEach((k) => s.removeItem(k)));
  }
  if (form.hasAttribute("data-draft")) storage((s) => s.setItem("sent", `${DRAFT}${location.pathname}:${form.getAttribute("action")}:`));
});

function forgetSent() {
  const sent = storage((s) => s.getItem("sent"));
  if (!sent) return;
  const kept = location.pathname !== "/sign-in" && !$('[aria-invalid="true"]') && !document.body.classList.contains("plain") &&
    !$("#notice:not([hidden])");
  if (kept) storage((s) => Object.keys(s).filter((k) => k.startsWith(sent)).forEach((k) => s.removeItem(k)));
  if (location.pathname !== "/sign-in") storage((s) => s.removeItem("sent"));
}

// A saving that failed says so and loses nothing.
function notice(text) {
  const line = $("#notice");
  if (!line) return;
  line.textContent = text;
  line.hidden = false;
}

document.addEventListener("htmx:responseError", (event) => {
  if (event.detail.xhr.status !== 401) notice(event.detail.xhr.responseText || "That did not work; nothing was lost.");
});
document.addEventListener("htmx:sendError", () =>
  notice("Trevik cannot be reached just now. What you typed stays on this device; change it again to save it."));

const unfold = (at) => {
  for (let box = at.closest("details"); box; box = box.parentElement.closest("details")) box.open = true;
};

// An address that leads to something folded unfolds it.
function reveal() {
  const at = location.hash.length > 1 && document.getElementById(location.hash.slice(1));
  if (!at) return;
  unfold(at);
  const own = at.querySelector(":scope > details");
  if (own) own.open = true;
  at.scrollIntoView();
}

// A form that was refused is come back to where it is wrong, however far down the page that is.
function toFault() {
  const wrong = $('main [aria-invalid="true"]');
  if (!wrong) return;
  unfold(wrong);
  wrong.focus();
}
window.addEventListener("hashchange", reveal);

// htmx readies its controls when the page is parsed; drafts are sent after that.
document.addEventListener("DOMContentLoaded", () => {
  forgetSent();
  restoreDrafts();
  reveal();
  toFault();
});
