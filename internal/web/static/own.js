// The runner's page on a phone without a connection: a run that is saved is kept on the phone and sent,
// once, when the connection is back. Nothing of the job is computed here.

const home = location.pathname.match(/^\/r\/[^/]+/)[0];
const WAITING = `waiting:${home}`;
const FOR = 15_000; // ms that a sending may take

function waiting() {
  try {
    return JSON.parse(localStorage.getItem(WAITING)) ?? [];
  } catch {
    return [];
  }
}

function keep(list) {
  try {
    if (list.length === 0) localStorage.removeItem(WAITING);
    else localStorage.setItem(WAITING, JSON.stringify(list));
    return true;
  } catch {
    return false; // a device that keeps nothing
  }
}

// A form's token, as the server makes them: sent again, it does nothing again.
function token() {
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";
  return [...crypto.getRandomValues(new Uint8Array(26))].map((b) => letters[b % 32]).join("");
}

function tell(text) {
  let line = document.querySelector("#waiting");
  if (!line) {
    line = Object.assign(document.createElement("p"), { id: "waiting", className: "said" });
    line.setAttribute("role", "status");
    document.querySelector("main header").after(line);
  }
  line.textContent = text;
  line.hidden = !text;
}

function say() {
  const n = waiting().length;
  tell(n === 0 ? "" : `${n === 1 ? "1 run is" : `${n} runs are`} saved on this phone and will be sent when the connection is back.`);
}

const send = (body) => fetch(`${home}/runs`, { method: "POST", body: new URLSearchParams(body), signal: AbortSignal.timeout(FOR) });

// What the server says no to is not sent for ever: it goes back into the form to be put right.
function refused(body) {
  const form = document.querySelector('form[data-run="form"], form[data-run="offline"]');
  for (const [name, value] of Object.entries(body)) {
    const field = form?.elements[name];
    if (field && name !== "token") field.value = value;
  }
  tell("A run that was saved on this phone was not accepted. Correct it here and save it again.");
}

let sending = false;

async function flush() {
  if (sending || !navigator.onLine) return;
  sending = true;
  let sent = 0;
  try {
    for (let list = waiting(); list.length > 0; list = waiting()) {
      const answer = await send(list[0]);
      if (answer.status >= 500 || answer.status === 429) break; // later
      const [first, ...rest] = waiting();
      keep(rest);
      if (!answer.ok) {
        refused(first);
        return;
      }
      sent++;
    }
  } catch {
    // no connection after all
  } finally {
    sending = false;
  }
  if (sent > 0) location.assign(`${home}?said=sent`);
  else say();
}

// A run is sent as any form is; where it does not arrive, it is kept. What the server says no to is shown
// by sending the form itself.
let logging = false;

document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (!form.matches("form[data-run]")) return;
  event.preventDefault();
  if (logging) return;
  logging = true;
  const body = Object.fromEntries(new FormData(form));
  if (!/^[A-Z2-7]{26}$/.test(body.token ?? "")) body.token = token();
  try {
    const answer = await send(body);
    if (answer.ok) return location.assign(answer.url);
    if (answer.status < 500 && form.dataset.run !== "offline") return form.submit();
    if (answer.status < 500) return tell("That was not accepted: check the distance and the date.");
    throw new Error("later");
  } catch {
    if (!keep([...waiting(), body])) return tell("This phone keeps nothing for this page: log the run once you are connected.");
    if (form.dataset.run !== "again") form.reset();
    const mark = form.elements.token;
    if (mark) mark.value = token();
    say();
  } finally {
    logging = false;
  }
});

window.addEventListener("online", flush);
say();
flush();

navigator.serviceWorker?.register(document.body.dataset.worker, { scope: home }).catch(() => {});
