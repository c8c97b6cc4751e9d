// What was unfolded on this device stays unfolded: a part of a page, or the older lines of a slip.
import { memory } from "./tools.js";

const root = document.documentElement;
const unfolded = new Set((root.dataset.unfolded ?? "").split(" ").filter(Boolean));

function keep(name, open) {
  if (open) unfolded.add(name);
  else unfolded.delete(name);
  root.dataset.unfolded = [...unfolded].join(" ");
  memory.set("unfolded", root.dataset.unfolded);
}

/** Show what is unfolded, in a page or a piece of it that came just now. */
export function showFolds() {
  for (const part of document.querySelectorAll("details[data-fold]")) {
    if (unfolded.has(part.dataset.fold)) part.open = true;
  }
  for (const button of document.querySelectorAll("[data-unfolds]")) {
    button.setAttribute("aria-expanded", unfolded.has(button.dataset.unfolds));
  }
}

// Only what a person pressed is remembered: a page opens a part of itself where a form in it was refused.
document.addEventListener("click", (event) => {
  const part = event.target.closest("summary")?.parentElement;
  if (part?.dataset.fold) keep(part.dataset.fold, !part.open);
  const name = event.target.closest("[data-unfolds]")?.dataset.unfolds;
  if (!name) return;
  keep(name, !unfolded.has(name));
  showFolds();
});
showFolds();
