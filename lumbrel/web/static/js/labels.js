// Labels: the preview follows the form.
import { component, fetchText, later } from "./tools.js";

component("labels", () => ({
  ask: null,
  init() {
    this.ask = later(150, () => this.show());
  },
  look() {
    this.ask();
  },
  async show() {
    const query = new URLSearchParams(new FormData(this.$root));
    try {
      const preview = await fetchText(`${this.$root.dataset.address}?${query}`);
      document.getElementById("label-preview").innerHTML = preview;
    } catch {
      // The last preview stays.
    }
  },
}));
