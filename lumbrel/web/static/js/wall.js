// A screen on the wall: drawn again every few seconds, and what it shows stale says so.
import { stayAwake } from "./awake.js";
import { onNews } from "./news.js";
import { component, fetchText } from "./tools.js";

const EVERY_MS = 5000;
const STALE_MS = 15000;

component("wall", () => ({
  lost: false,
  from: "",
  age: "",
  seen: Date.now(),
  get state() {
    return this.lost ? "stale" : "";
  },
  init() {
    stayAwake(true);
    setInterval(() => this.draw(), EVERY_MS);
    onNews((news) => {
      if (news.alarms) this.draw();
    });
    document.addEventListener("visibilitychange", () => {
      if (!document.hidden) this.draw();
    });
  },
  async draw() {
    if (document.hidden) return;
    try {
      document.getElementById("panes").innerHTML = await fetchText("/wall/board");
      this.seen = Date.now();
    } catch {
      // What was shown stays, and says how old it is.
    }
    const old = Date.now() - this.seen;
    this.lost = old > STALE_MS;
    this.from = document.querySelector("#panes [data-clock]")?.dataset.clock ?? "";
    this.age = old < 120000 ? `${Math.round(old / 1000)} s` : `${Math.round(old / 60000)} min`;
  },
  async whole() {
    try {
      await document.documentElement.requestFullscreen();
    } catch {
      // A browser without it shows the page as it is.
    }
    stayAwake(true);
  },
}));
