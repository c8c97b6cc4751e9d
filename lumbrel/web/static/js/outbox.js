// A line typed while the connection is gone is kept here, shown as waiting, and sent once when it
// is back. Every line carries its own id, so sending it twice writes it once.
import { asClock, kitchenSeconds, onNews } from "./news.js";
import { memory, newId, told } from "./tools.js";

const KEY = "waiting lines";
const list = document.getElementById("waiting");
let isOut = false;

function read() {
  try {
    return JSON.parse(memory.get(KEY) ?? "[]");
  } catch {
    return [];
  }
}

function write(lines) {
  memory.set(KEY, JSON.stringify(lines));
  show();
}

function without(id) {
  return read().filter((line) => line.id !== id);
}

function clock() {
  const seconds = kitchenSeconds();
  return seconds === null ? "" : asClock(seconds).slice(0, 5);
}

const UNSAID = ["id", "instrument", "at", "dipped_at", "token", "seen", "initials"];

function words(line) {
  const typed = [...new URLSearchParams(line.body)]
    .filter(([name, value]) => value && !UNSAID.includes(name))
    .map(([, value]) => value);
  const kind = new URL(line.action, location.href).pathname.split("/").pop();
  return `${kind} ${typed.join(", ")}`;
}

function shown(line) {
  const item = document.createElement("li");
  if (!line.refused) {
    const until = isOut ? "kept_line" : "waiting_line";
    item.textContent = told(until, { line: words(line), at: line.at || told("just_now") });
    return item;
  }
  item.textContent = told("not_taken", { line: words(line), why: line.refused.trim() });
  if (line.asks?.length)
    item.append(
      " ",
      button(told("confirm_send"), () => confirm(line)),
    );
  item.append(
    " ",
    button(told("drop"), () => write(without(line.id))),
  );
  return item;
}

function button(text, act) {
  const made = document.createElement("button");
  made.type = "button";
  made.textContent = text;
  made.addEventListener("click", act);
  return made;
}

// What was asked about a line that came late is confirmed here, where it is kept.
function confirm({ refused, asks, ...line }) {
  const body = new URLSearchParams(line.body);
  for (const name of asks) body.set(name, "1");
  write([...without(line.id), { ...line, waits: true, body: body.toString() }]);
  sendAll();
}

function show() {
  const lines = read().filter((line) => line.waits || line.refused);
  list.hidden = !lines.length;
  list.replaceChildren(...lines.map(shown));
}

async function reachable() {
  try {
    const signal = AbortSignal.timeout(2000);
    const answer = await fetch("/healthz", { cache: "no-store", signal });
    isOut = answer.status === 401;
    return answer.ok;
  } catch {
    return false;
  }
}

// What a device writes carries the token of its sign-in now, not that of when it was typed.
function withToken(body) {
  const sent = new URLSearchParams(body);
  if (document.body.dataset.token) sent.set("token", document.body.dataset.token);
  return sent;
}

// Whether to go on with the next one.
async function send(line) {
  const options = { method: "POST", body: withToken(line.body) };
  let answer;
  try {
    answer = await fetch(line.action, { ...options, signal: AbortSignal.timeout(8000) });
  } catch {
    return false;
  }
  isOut = answer.status === 401;
  if (answer.status >= 500 || isOut) {
    show();
    return false;
  }
  if (answer.ok) {
    write(without(line.id));
    return true;
  }
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const asks = [...page.querySelectorAll("input[name$='_confirmed']")].map((box) => box.name);
  const said = page.querySelector(".entry .wrong, .entry .asked, .notice, .lead")?.textContent;
  const refused = said ?? told("refused");
  write([...without(line.id), { ...line, waits: false, refused, asks }]);
  return true;
}

let busy = false;

async function sendAll() {
  if (busy) return;
  busy = true;
  try {
    for (const line of read().filter((kept) => !kept.refused)) {
      if (!(await send(line))) break;
    }
  } finally {
    busy = false;
  }
}

// The form is ready for the next line, under an id of its own.
function clear(form) {
  form.reset();
  const id = newId();
  form.querySelector("[name=id]").value = id;
  for (const button of form.querySelectorAll("button")) button.disabled = false;
  form.querySelector("input:not([type=hidden])")?.focus();
}

async function take(form) {
  const body = new URLSearchParams(new FormData(form));
  const line = { id: body.get("id"), action: form.getAttribute("action"), at: clock() };
  if (await reachable()) {
    // Answered by a page of its own; kept until then, should the wire break in between.
    write([...read(), { ...line, waits: false, body: body.toString() }]);
    form.dataset.cleared = "1";
    form.submit();
    return;
  }
  if (line.at && !body.get("at")) body.set("at", line.at);
  write([...read(), { ...line, waits: true, body: body.toString() }]);
  clear(form);
}

if (list) {
  onNews((news) => {
    if (!news.lost) sendAll();
  });
  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (!form.matches("form[action*='/slip/']") || form.dataset.cleared) return;
    event.preventDefault();
    take(form);
  });
  // This page is the answer to what was sent last; what waited longer is sent again.
  if (document.body.dataset.refused) write(read().filter((line) => line.waits || line.refused));
  window.addEventListener("online", sendAll);
  setInterval(() => {
    if (read().some((line) => !line.refused)) sendAll();
  }, 3000);
  show();
  sendAll();
}
