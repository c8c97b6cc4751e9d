// Jars filled: presses are counted, and put on the slip together when the hand rests.
import { component } from "./tools.js";

const REST = 2500;

component("jarPress", () => ({
  count: 0,
  timer: 0,
  isSent: false,
  add(jars) {
    if (this.isSent) return;
    this.count += jars;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.send(), REST);
  },
  press() {
    this.add(1);
  },
  dozen() {
    this.add(12);
  },
  send() {
    clearTimeout(this.timer);
    this.$root.requestSubmit();
  },
  sent() {
    this.isSent = true;
  },
  init() {
    // Who leaves the page before the hand has rested loses no jar.
    window.addEventListener("pagehide", () => {
      if (!this.count || this.isSent) return;
      navigator.sendBeacon(this.$root.action, new URLSearchParams(new FormData(this.$root)));
    });
  },
  get said() {
    return this.count ? `${this.count} more filled` : "One jar more";
  },
}));
