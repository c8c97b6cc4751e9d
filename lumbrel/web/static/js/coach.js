// The coach can be put away on this screen, and called again.
import { component, memory, told } from "./tools.js";

const KEY = "coach";

component("coach", () => ({
  away: false,
  get word() {
    return this.away ? told("call_coach") : told("close_coach");
  },
  init() {
    this.away = memory.get(KEY) === "away";
    this.show();
  },
  turn() {
    this.away = !this.away;
    memory.set(KEY, this.away ? "away" : "here");
    this.show();
  },
  show() {
    this.$root.classList.toggle("is-away", this.away);
  },
}));
