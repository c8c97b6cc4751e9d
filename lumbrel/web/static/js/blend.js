// A blend: while a slider is dragged the newest place is asked about, one question at a time.
import { component, fetchText } from "./tools.js";

component("blend", () => ({
  asking: false,
  again: false,
  dragged() {
    this.say();
  },
  set(event) {
    const slider = this.$root.querySelector("[data-part=b]");
    // Upwards to the slider's own step: the least that does is not undercut.
    const step = Number(slider.step);
    slider.value = Math.ceil(Number(event.currentTarget.dataset.litres) / step - 0.001) * step;
    this.say();
  },
  async say() {
    if (this.asking) {
      this.again = true;
      return;
    }
    this.asking = true;
    do {
      this.again = false;
      const { kettle, target, address } = this.$root.dataset;
      const query = new URLSearchParams({ kettle, target });
      for (const slider of this.$root.querySelectorAll("[data-part]")) {
        query.set(slider.dataset.part, slider.dataset.source);
        query.set(`litres_${slider.dataset.part}`, slider.value);
      }
      try {
        const said = await fetchText(`${address}?${query}`);
        document.getElementById("blend-said").innerHTML = said;
      } catch {
        // What was said stays; pouring says what is wrong.
      }
    } while (this.again);
    this.asking = false;
  },
}));
