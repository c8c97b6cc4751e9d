// An alarm fills the screen and sounds until it is answered.
import { hushSpeech, speak } from "./calling.js";
import { isOpening, tabOf } from "./entry.js";
import { onNews } from "./news.js";
import { memory, told } from "./tools.js";

// Two tones, again and again. A browser lets a page speak once it was touched.
const TONES = [
  [0, 880],
  [0.22, 660],
  [0.44, 880],
];
const BEAT_MS = 700;
const SAID_FOR_MS = 12000;
let audio = null;

function sound() {
  try {
    audio ??= new AudioContext();
    if (audio.state === "suspended") audio.resume();
    for (const [at, pitch] of TONES) tone(audio.currentTime + at, pitch);
  } catch {
    // A page that cannot sound still fills the screen.
  }
}

function tone(at, pitch) {
  const voice = audio.createOscillator();
  const volume = audio.createGain();
  voice.type = "square";
  voice.frequency.value = pitch;
  volume.gain.setValueAtTime(0.22, at);
  volume.gain.exponentialRampToValueAtTime(0.001, at + 0.2);
  voice.connect(volume).connect(audio.destination);
  voice.start(at);
  voice.stop(at + 0.2);
}

const screen = document.getElementById("alarm");
const by = document.getElementById("alarm-by");
const silence = document.getElementById("alarm-answer");
const ANSWERS = ["Enter", "Escape", " "];
const FIELDS = "input, textarea, select";
let before = null;
const answered = new Set();
let ringing = null;
let bell = 0;

function ring(alarm) {
  ringing = alarm;
  for (const part of ["headline", "words"]) {
    document.getElementById(`alarm-${part}`).textContent = alarm[part];
  }
  document.getElementById("alarm-where").textContent = `${alarm.where} · ${alarm.at}`;
  screen.dataset.kind = alarm.kind;
  if (!screen.hidden) return;
  by.value = memory.get("initials") || document.body.dataset.initials || "";
  for (const open of document.querySelectorAll("dialog[open]")) open.close();
  screen.hidden = false;
  // Who is typing goes on typing; else the alarm is what the keyboard is at.
  before = document.activeElement;
  if (!before?.matches(FIELDS) && !isOpening()) silence.focus();
  document.title = `! ${document.title.replace(/^! /, "")}`;
  sound();
  speak(`${alarm.where}. ${alarm.headline}. ${alarm.words}`);
  // By hand, not as an animation: that would keep a tablet drawing all the time.
  bell = setInterval(() => {
    if (!screen.classList.toggle("beat")) sound();
  }, BEAT_MS);
}

function hush() {
  clearInterval(bell);
  hushSpeech();
  screen.classList.remove("beat");
  if (screen.contains(document.activeElement)) before?.focus();
  screen.hidden = true;
  ringing = null;
  document.title = document.title.replace(/^! /, "");
}

async function answer() {
  if (!ringing) return;
  const { id } = ringing;
  memory.set("initials", by.value.trim());
  hush();
  if (!id) return;
  answered.add(id);
  const { workspace, token } = document.body.dataset;
  const body = new URLSearchParams({ by: by.value.trim(), token });
  try {
    const answer = await fetch(`/alarms/${id}/answer?at=${workspace}`, { method: "POST", body });
    if (answer.status >= 500) answered.delete(id);
    else if (!answer.ok) say(told("silent_here"));
  } catch {
    answered.delete(id);
  }
}

// Once answered anywhere it is answered everywhere, and every screen says by whom.
const heard = new Set();
function say(words) {
  const note = document.getElementById("answered");
  if (!note) return;
  note.textContent = words;
  note.hidden = false;
  setTimeout(() => {
    if (note.textContent === words) note.hidden = true;
  }, SAID_FOR_MS);
}

function tellWho(news) {
  for (const one of news.answered ?? []) {
    if (heard.has(one.id)) continue;
    heard.add(one.id);
    if (!answered.has(one.id)) {
      const { by: who, where, headline } = one;
      say(told("answered", { by: who || told("somebody"), where, headline }));
    }
  }
}

onNews((news) => {
  if (!news.alarms) return;
  tellWho(news);
  const next = news.alarms.filter((alarm) => !answered.has(alarm.id)).pop();
  if (next && next.id !== ringing?.id) ring(next);
  else if (!next && ringing?.id) hush();
});

// What is being typed is never eaten: a key goes to its field, or opens an entry to type in. Nothing else
// acts beneath an alarm.
document.addEventListener(
  "keydown",
  (event) => {
    if (screen.hidden || event.ctrlKey || event.metaKey || event.altKey) return;
    const typing = event.target !== by && event.target.closest(FIELDS);
    if (typing || isOpening() || (event.target !== by && tabOf(event.key))) return;
    if (event.target === by && event.key !== "Enter" && event.key !== "Escape") return;
    if (event.key === "Tab") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (ANSWERS.includes(event.key)) answer();
  },
  true,
);
screen.addEventListener("click", (event) => {
  if (!event.target.closest(".alarm-by")) answer();
});
document.getElementById("alarm-test")?.addEventListener("click", () => {
  const headline = told("test");
  ring({
    id: 0,
    kind: "finish",
    headline,
    words: told("test_words"),
    where: told("alarm"),
    at: "",
  });
});
