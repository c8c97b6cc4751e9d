// Taking in: what the charge will give, while it is typed.
import { component, fetchText, later } from "./tools.js";

component("takeIn", () => ({
  preview: null,
  init() {
    this.preview = later(250, () => this.draw());
  },
  ask() {
    this.preview();
  },
  async draw() {
    const body = new URLSearchParams(new FormData(this.$root));
    try {
      const options = { method: "POST", body };
      document.getElementById("charge").innerHTML = await fetchText("/take-in/preview", options);
    } catch {
      // The last answer stays.
    }
  },
}));
