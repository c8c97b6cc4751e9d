// When the cup was filled or the drop taken: one press, and steps of ten seconds to put it right.
import { asClock, kitchenSeconds } from "./news.js";
import { component } from "./tools.js";

const STEP = 10;

component("dip", () => ({
  at: null,
  now: 0,
  init() {
    const timer = setInterval(() => this.look(), 1000);
    window.addEventListener("pagehide", () => clearInterval(timer));
  },
  look() {
    this.now = kitchenSeconds() ?? Math.round(Date.now() / 1000);
  },
  press() {
    this.look();
    this.at = this.now;
  },
  earlier() {
    this.at -= STEP;
  },
  later() {
    this.look();
    this.at = Math.min(this.at + STEP, this.now);
  },
  get isUndipped() {
    return !this.isDipped;
  },
  get isDipped() {
    return this.at !== null;
  },
  get seconds() {
    return Math.max(this.now - this.at, 0);
  },
  get ago() {
    return `${Math.floor(this.seconds / 60)}:${String(this.seconds % 60).padStart(2, "0")}`;
  },
  // By the kitchen's own clock where it is known; else so long before it is sent.
  get name() {
    return kitchenSeconds() === null ? "dipped_ago" : "dipped_at";
  },
  get moment() {
    if (this.at === null) return "";
    return kitchenSeconds() === null ? `${this.seconds} s` : asClock(this.at);
  },
}));
