// Something long that a page asked for: how far it is, and a way to stop it.
import { component, newId, told } from "./tools.js";

const LOOK_EVERY_MS = 500;
const NOT_YET = 20;

component("errand", () => ({
  shown: false,
  going: false,
  said: "",
  share: 0,
  address: "",
  begin(event) {
    const key = newId();
    const link = event.currentTarget;
    link.href = `${link.pathname}?errand=${key}`;
    this.address = `/kitchen/errand/${key}`;
    Object.assign(this, { shown: true, going: true, said: told("begins"), share: 0 });
    setTimeout(() => this.look(this.address, NOT_YET), LOOK_EVERY_MS);
  },
  async look(address, patience) {
    if (address !== this.address) return;
    let left = patience;
    try {
      const answer = await fetch(address, { headers: { Accept: "application/json" } });
      if (answer.ok) {
        const { said, share, over } = await answer.json();
        Object.assign(this, { said: said || this.said, share, going: !over });
      } else {
        left -= 1;
      }
    } catch {
      left -= 1;
    }
    this.going &&= left > 0;
    if (this.going) setTimeout(() => this.look(address, left), LOOK_EVERY_MS);
    else this.shown = left > 0;
  },
  stop() {
    const form = this.$root.querySelector("form");
    const where = `${this.address}/stop${new URL(form.action).search}`;
    fetch(where, { method: "POST", body: new FormData(form), redirect: "manual" }).catch(() => {});
  },
}));
