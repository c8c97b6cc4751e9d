// Jars filled: presses are counted, and put on the slip together when the hand rests.
import { component, fetchText, told } from "./tools.js";

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
    return this.count ? told("more_filled", { count: this.count }) : told("one_more");
  },
}));

// A kettle with a probe in it: its picture is looked at again, for as long as the page is seen.
const LOOK = 10_000;

component("liveKettle", () => ({
  init() {
    const timer = setInterval(async () => {
      if (document.hidden || !this.$root.isConnected) return;
      try {
        const page = new DOMParser().parseFromString(await fetchText(location.href), "text/html");
        const fresh = page.getElementById("kettle-now");
        if (fresh) this.$root.innerHTML = fresh.innerHTML;
        if (!fresh?.hasAttribute("x-data")) clearInterval(timer);
      } catch {
        // What it shows has its time; the next look may fare better.
      }
    }, LOOK);
  },
}));
