// Keys: the stations by number, the readings by letter, `?` for the list.
import { component, memory } from "./tools.js";

function turnShift() {
  const root = document.documentElement;
  root.dataset.shift = root.dataset.shift === "night" ? "day" : "night";
  memory.set("shift", root.dataset.shift);
}

function showKeys() {
  document.getElementById("keys")?.showModal();
}

document.getElementById("help")?.addEventListener("click", showKeys);

component("theme", () => ({ turn: turnShift }));

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, textarea, select")) {
    if (event.key === "Escape") event.target.blur();
    return;
  }
  if (event.key === "?") showKeys();
  else if (event.key === "n") turnShift();
  else if (event.key === "0") location.assign("/");
  else {
    const key = CSS.escape(event.key);
    const meant = document.querySelector(`a[data-key="${key}"], button[data-press="${key}"]`);
    if (!meant) return;
    // The field that it opens does not get the letter too.
    event.preventDefault();
    meant.click();
  }
});
