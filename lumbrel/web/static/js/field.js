// A quantity as it is understood, while it is typed.
import { component, later } from "./tools.js";

component("field", () => ({
  said: "",
  hint: "",
  look: null,
  weighed: "",
  init() {
    this.hint = this.$root.querySelector(".said span").textContent;
    this.said = this.hint;
    this.look = later(180, (text) => this.understand(text));
    this.$root.closest("form")?.addEventListener("change", (event) => {
      const input = this.$root.querySelector("input");
      if (event.target.name === "units" && input.value.trim()) this.typed({ target: input });
    });
  },
  // What the scale shows; pressed again without or with, what lies between both.
  async weigh(event) {
    const input = this.$root.querySelector("input");
    const { pad, kind } = this.$root.dataset;
    const query = new URLSearchParams({
      scale: event.currentTarget.dataset.scale,
      kind: pad || kind,
    });
    try {
      const answer = await (await fetch(`/scale?${query}`)).json();
      if (!answer.typed) {
        this.said = answer.said;
        return;
      }
      const once = this.weighed && input.value === this.weighed;
      input.value = once ? `${this.weighed} − ${answer.typed}` : answer.typed;
      this.weighed = once ? "" : input.value;
      this.typed({ target: input });
    } catch {
      this.said = this.hint;
    }
  },
  typed(event) {
    if (!this.$root.dataset.kind) return;
    const text = event.target.value.trim();
    this.$root.classList.remove("is-understood");
    if (text) this.look(text);
    else this.said = this.hint;
  },
  async understand(text) {
    // Where the units are chosen on the same page, as it is chosen there.
    const preset =
      this.$root.closest("form")?.querySelector("input[name=units]:checked")?.value ?? "";
    const query = new URLSearchParams({ kind: this.$root.dataset.kind, text, preset });
    try {
      const answer = await (await fetch(`/api/understood?${query}`)).json();
      this.said = answer.said ?? this.hint;
      this.$root.classList.toggle("is-understood", answer.ok === true);
    } catch {
      this.said = this.hint;
    }
  },
}));
