// The hydrometer in its cup: it follows what is typed, and can be dragged.
import { component, fetchText, later } from "./tools.js";

/** The field of a cup reading, where the open form is one. */
export function cupReading() {
  const asks = document.querySelector("#entry input[name=cup]");
  return asks && document.querySelector("#entry input[name=reading]");
}

// The cup follows what is typed beside it; as it cools, so does its mark.
component("cupAsk", () => ({
  redraw: null,
  cup: "",
  since: 0,
  init() {
    this.redraw = later(150, () => this.draw());
    const timer = setInterval(() => {
      if (this.cup && !document.hidden) this.draw();
    }, 5000);
    window.addEventListener("pagehide", () => clearInterval(timer));
  },
  ask() {
    const typed = new FormData(this.$root).get("cup") ?? "";
    if (typed !== this.cup) {
      this.cup = typed;
      this.since = Date.now();
    }
    this.redraw();
  },
  async draw() {
    const form = new FormData(this.$root);
    const query = new URLSearchParams({
      reading: form.get("reading") ?? "",
      cup: this.cup,
      instrument: form.get("instrument") ?? "",
      seconds: this.cup ? Math.round((Date.now() - this.since) / 1000) : 0,
    });
    const box = document.getElementById("cup");
    try {
      if (box) box.innerHTML = await fetchText(`/pan/${this.$root.dataset.code}/cup?${query}`);
    } catch {
      // The last picture stays.
    }
  },
}));

// The stem can be dragged: a pixel is so many Brix, the picture says how many.
component("cup", () => ({
  init() {
    const svg = this.$root.querySelector("svg");
    const stem = svg.querySelector(".stem");
    let from = null;
    const drop = () => {
      from = null;
    };
    stem.addEventListener("pointerdown", (event) => {
      from = event.clientY;
      stem.setPointerCapture(event.pointerId);
    });
    stem.addEventListener("pointermove", (event) => {
      if (from === null) return;
      const perUnit = svg.getBoundingClientRect().height / svg.viewBox.baseVal.height;
      this.drag((from - event.clientY) / perUnit / Number(this.$root.dataset.pixels));
    });
    stem.addEventListener("pointerup", drop);
    stem.addEventListener("pointercancel", drop);
  },
  drag(brix) {
    const input = cupReading();
    if (!input) return;
    const { low, high, floats } = this.$root.dataset;
    const value = Math.min(Math.max(Number(floats) + brix, Number(low)), Number(high));
    input.value = value.toFixed(1);
    input.dispatchEvent(new Event("input", { bubbles: true }));
  },
}));
