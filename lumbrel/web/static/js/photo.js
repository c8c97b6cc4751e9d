// A photograph: two boxes that are dragged, or moved by keys; what it says comes from the server.
import { component, fetchText, later } from "./tools.js";

const LEAST = 0.03;
const STEP = 0.01;
const GRIP = 0.045;
const MOVES = {
  ArrowLeft: [-STEP, 0],
  ArrowRight: [STEP, 0],
  ArrowUp: [0, -STEP],
  ArrowDown: [0, STEP],
};

function clamp(value, low, high) {
  return Math.min(Math.max(value, low), high);
}

component("photo", () => ({
  ask: null,
  init() {
    this.ask = later(120, () => this.say());
    for (const group of this.$root.querySelectorAll("[data-box]")) {
      this.draw(group);
      group.addEventListener("pointerdown", (event) => this.grab(event, group));
      group.addEventListener("keydown", (event) => this.key(event, group));
    }
    this.$root.closest("form").addEventListener("change", () => this.ask());
    this.say();
  },
  field(group) {
    return this.$root.querySelector(`input[name=${group.dataset.box}]`);
  },
  box(group) {
    return this.field(group).value.split(" ").map(Number);
  },
  put(group, [x, y, w, h]) {
    const wide = clamp(w, LEAST, 1);
    const high = clamp(h, LEAST, 1);
    const to = [clamp(x, 0, 1 - wide), clamp(y, 0, 1 - high), wide, high];
    this.field(group).value = to.map((part) => part.toFixed(4)).join(" ");
    this.draw(group);
    this.ask();
  },
  draw(group) {
    const { width, height } = group.ownerSVGElement.viewBox.baseVal;
    const [x, y, w, h] = this.box(group);
    const grip = GRIP * width;
    const set = (part, at) => {
      for (const [name, value] of Object.entries(at)) part.setAttribute(name, value);
    };
    const whole = { x: x * width, y: y * height, width: w * width, height: h * height };
    set(group.querySelector(".edge"), whole);
    set(group.querySelector(".body"), whole);
    set(group.querySelector(".grip"), {
      x: (x + w) * width - grip / 2,
      y: (y + h) * height - grip / 2,
      width: grip,
      height: grip,
    });
    set(group.querySelector("text"), {
      x: (x + w / 2) * width,
      y: y * height - grip / 4,
      "font-size": 0.04 * width,
    });
  },
  grab(event, group) {
    const sizes = event.target.classList.contains("grip");
    const frame = group.ownerSVGElement.getBoundingClientRect();
    const [x, y, w, h] = this.box(group);
    const move = (moved) => {
      const dx = (moved.clientX - event.clientX) / frame.width;
      const dy = (moved.clientY - event.clientY) / frame.height;
      this.put(group, sizes ? [x, y, w + dx, h + dy] : [x + dx, y + dy, w, h]);
    };
    group.setPointerCapture(event.pointerId);
    group.addEventListener("pointermove", move);
    group.addEventListener(
      "lostpointercapture",
      () => group.removeEventListener("pointermove", move),
      {
        once: true,
      },
    );
    event.preventDefault();
    group.focus();
  },
  key(event, group) {
    const by = MOVES[event.key];
    if (!by) return;
    event.preventDefault();
    const [x, y, w, h] = this.box(group);
    this.put(group, event.shiftKey ? [x, y, w + by[0], h + by[1]] : [x + by[0], y + by[1], w, h]);
  },
  async say() {
    const form = new FormData(this.$root.closest("form"));
    const query = new URLSearchParams();
    for (const name of ["blank_box", "sample_box", "path", "vial"])
      query.set(name, form.get(name) ?? "");
    try {
      const said = await fetchText(`${this.$root.dataset.address}?${query}`);
      this.$root.querySelector(".photo-said").innerHTML = said;
    } catch {
      // The figures stay as they were; saving says what is wrong.
    }
  },
}));
