// A blend: while a slider is dragged the newest place is asked about, one question at a time.
import { component, fetchText, oneAtATime } from "./tools.js";

component("blend", () => ({
  say: null,
  init() {
    this.say = oneAtATime(() => this.ask());
  },
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
  async ask() {
    const { kettle, target, address } = this.$root.dataset;
    const query = new URLSearchParams({ kettle, target });
    for (const slider of this.$root.querySelectorAll("[data-part]")) {
      query.set(slider.dataset.part, slider.dataset.source);
      query.set(`litres_${slider.dataset.part}`, slider.value);
    }
    try {
      document.getElementById("blend-said").innerHTML = await fetchText(`${address}?${query}`);
    } catch {
      // What was said stays; pouring says what is wrong.
    }
  },
}));
