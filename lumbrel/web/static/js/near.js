// What is plugged in, looked at once a second while nobody is at work in it.
import { component, fetchText } from "./tools.js";

const EVERY_MS = 1000;

component("near", () => ({
  busy: false,
  init() {
    setInterval(() => this.look(), EVERY_MS);
  },
  async look() {
    const chosen =
      this.$root.contains(document.activeElement) ||
      this.$root.querySelector("input:checked, details[open]");
    if (this.busy || document.hidden || chosen || !this.$root.offsetParent) return;
    this.busy = true;
    try {
      const text = await fetchText(this.$root.dataset.address);
      if (!this.$root.contains(document.activeElement)) this.$root.innerHTML = text;
    } catch {
      // It is looked at again in a second.
    } finally {
      this.busy = false;
    }
  },
}));
