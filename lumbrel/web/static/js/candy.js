// The firmness map: its point is dragged, or moved by keys; every figure comes from the server.
import { component, oneAtATime } from "./tools.js";

const KEYS = {
  ArrowLeft: [-0.2, 0],
  ArrowRight: [0.2, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

component("candy", () => ({
  say: null,
  init() {
    this.say = oneAtATime(() => this.ask());
    const map = document.getElementById("candy-map");
    map.addEventListener("pointerdown", (event) => {
      if (!event.target.closest("svg")) return;
      map.setPointerCapture(event.pointerId);
      this.to(map, event);
      event.preventDefault();
      map.focus({ preventScroll: true });
    });
    map.addEventListener("pointermove", (event) => {
      if (map.hasPointerCapture(event.pointerId)) this.to(map, event);
    });
    map.addEventListener("keydown", (event) => this.key(map, event));
    for (const name of ["serving", "pressure"]) {
      document.getElementById(name).addEventListener("input", () => this.say());
    }
  },
  // Where on the map: its own numbers for the box in the picture and what that spans.
  scale(map) {
    const svg = map.querySelector("svg.firmness");
    const [left, right, top, bottom] = svg.dataset.box.split(" ").map(Number);
    const [lowK, highK, lowC, highC] = svg.dataset.span.split(" ").map(Number);
    return { svg, left, right, top, bottom, lowK, highK, lowC, highC };
  },
  put(map, above, stir) {
    const { lowK, highK, lowC, highC } = this.scale(map);
    const hold = (value, low, high) => Math.min(Math.max(value, low), high);
    this.$root.elements.above.value = `${hold(above, lowK, highK).toFixed(2)} K`;
    this.$root.elements.stir.value = `${hold(stir, lowC, highC - 15).toFixed(1)} C`;
    this.say();
  },
  to(map, event) {
    const s = this.scale(map);
    const frame = s.svg.getBoundingClientRect();
    const x = ((event.clientX - frame.left) / frame.width) * s.svg.viewBox.baseVal.width;
    const y = ((event.clientY - frame.top) / frame.height) * s.svg.viewBox.baseVal.height;
    const above = s.lowK + ((x - s.left) / (s.right - s.left)) * (s.highK - s.lowK);
    const stir = s.lowC + ((s.bottom - y) / (s.bottom - s.top)) * (s.highC - s.lowC);
    this.put(map, above, stir);
  },
  key(map, event) {
    const by = KEYS[event.key];
    if (!by) return;
    event.preventDefault();
    const s = this.scale(map);
    const point = s.svg.querySelector(".here");
    const x = Number(point.getAttribute("cx"));
    const y = Number(point.getAttribute("cy"));
    const above = s.lowK + ((x - s.left) / (s.right - s.left)) * (s.highK - s.lowK);
    const stir = s.lowC + ((s.bottom - y) / (s.bottom - s.top)) * (s.highC - s.lowC);
    this.put(map, above + by[0], stir + by[1]);
  },
  // Another confection begins at its own point.
  changed(event) {
    this.$root.dataset.by = this.$root.elements.by.value;
    if (event.target.name !== "piece") return;
    this.$root.elements.above.value = "";
    this.$root.elements.stir.value = "";
    this.$root.requestSubmit();
  },
  async ask() {
    const query = new URLSearchParams(new FormData(this.$root));
    query.set("serving", `${document.getElementById("serving").value} C`);
    query.set("pressure", `${document.getElementById("pressure").value} hPa`);
    try {
      const answer = await fetch(`${this.$root.dataset.address}?${query}`);
      if (answer.ok) this.draw(await answer.text());
    } catch {
      // The map stays as it was.
    }
  },
  draw(fragment) {
    const map = document.getElementById("candy-map");
    map.innerHTML = fragment;
    for (const name of ["serving", "pressure"]) {
      const said = map.querySelector(`[data-said=${name}]`);
      if (said) document.getElementById(`${name}-said`).textContent = said.textContent;
    }
  },
}));
