// The first three questions: only what is asked for shows, and what is typed is kept until it is sent.
import { component, memory } from "./tools.js";

const KEY = "set-up";

component("setUp", () => ({
  where: "elevation",
  get wantsHeight() {
    return this.where !== "station";
  },
  get wantsPressure() {
    return this.where !== "elevation";
  },
  init() {
    const refused = document.body.dataset.refused;
    const kept = refused ? null : memory.get(KEY);
    if (kept) this.fill(new URLSearchParams(kept));
    const chosen = this.$root.querySelector("input[name=where]:checked");
    if (chosen) this.where = chosen.value;
  },
  pick(event) {
    this.where = event.target.value;
  },
  fill(kept) {
    for (const input of this.$root.elements) {
      if (!input.name || input.type === "hidden") continue;
      if (input.type === "checkbox") input.checked = kept.has(input.name);
      else if (input.type === "radio") input.checked = kept.get(input.name) === input.value;
      else if (kept.has(input.name)) input.value = kept.get(input.name);
    }
  },
  keep() {
    const typed = new FormData(this.$root);
    typed.delete("id");
    memory.set(KEY, new URLSearchParams(typed).toString());
  },
}));
