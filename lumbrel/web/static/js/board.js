// The board as it is now; when the connection is lost it says how old it is.
import { cupReading } from "./cup.js";
import { showFolds } from "./folds.js";
import { onNews } from "./news.js";
import { component, fetchText } from "./tools.js";

const PARTS = "verdict cup pan agreement";

// Figures that change every second come with the news; the rest follows every few.
function showFigures(news) {
  for (const [key, text] of Object.entries(news)) {
    for (const spot of document.querySelectorAll(`#verdict [data-news="${key}"]`)) {
      if (spot.textContent !== text) spot.textContent = text;
    }
  }
}

// Not all screens at the same moment.
const PATIENCE = () => 4000 + 2000 * Math.random();

const TYPED = "select[name], input[name]:not([type=hidden])";

// A part is replaced unless somebody is at work in it, and what was typed there is kept. While a cup
// reading is typed its picture follows the typing, not the clock.
function replace(name, fresh) {
  const old = document.getElementById(name);
  const part = fresh.getElementById(`p-${name}`);
  if (!old || !part || old.contains(document.activeElement)) return;
  if (name === "cup" && cupReading()?.value) return;
  const open = old.querySelector("details")?.open;
  const typed = [...old.querySelectorAll(TYPED)];
  old.innerHTML = part.innerHTML;
  for (const { name: asked, value, checked } of typed) {
    const field = [...old.querySelectorAll(TYPED)].find((one) => one.name === asked);
    if (field) Object.assign(field, field.type === "checkbox" ? { checked } : { value });
  }
  const details = old.querySelector("details");
  if (open && details) details.open = true;
}

// What is to be done is said aloud when it becomes another thing, and not with every figure.
let called = document.querySelector("#verdict h1")?.textContent.trim();
function sayCall() {
  const call = document.querySelector("#verdict h1")?.textContent.trim();
  if (!call || call === called) return;
  called = call;
  document.getElementById("call-said").textContent = call;
}

component("live", () => ({
  lost: false,
  lastSeen: "",
  busy: false,
  seen: { entries: null, call: "", at: 0 },
  init() {
    // What the page itself shows: a line may come between its making and the first news.
    this.seen.entries = Number(this.$root.dataset.entries);
    if (!this.$root.dataset.drawn) onNews((news) => this.hear(news));
  },
  hear(news) {
    if (news.lost) {
      this.lost = true;
      return;
    }
    if (news.code !== this.$root.dataset.code) return;
    this.lost = false;
    this.lastSeen = news.told;
    showFigures(news);
    if (!this.busy && !document.hidden) this.follow(news);
  },
  async follow({ code, entries, call }) {
    const { seen } = this;
    const written = seen.entries !== null && seen.entries !== entries;
    if (!written && seen.call === call && Date.now() - seen.at < PATIENCE()) {
      seen.entries = entries;
      return;
    }
    this.busy = true;
    try {
      await this.redraw(code);
      sayCall();
      if (written) {
        const record = await fetchText(`/pan/${code}/record`);
        document.getElementById("slip-record").innerHTML = record;
        showFolds();
      }
      this.seen = { entries, call, at: Date.now() };
    } catch {
      this.lost = true;
    } finally {
      this.busy = false;
    }
  },
  async redraw(code) {
    const { address, parts } = this.$root.dataset;
    const text = await fetchText(`${address ?? `/pan/${code}`}/board`);
    const fresh = new DOMParser().parseFromString(text, "text/html");
    for (const name of (parts ?? PARTS).split(" ")) replace(name, fresh);
    if (!fresh.getElementById("p-verdict")) location.reload();
  },
}));
