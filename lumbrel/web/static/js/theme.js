// Before the first paint: day or night shift, as chosen or as the system has it, and what was unfolded here.
(() => {
  let chosen = null;
  let unfolded = "";
  try {
    chosen = localStorage.getItem("shift");
    unfolded = localStorage.getItem("unfolded") ?? "";
  } catch {
    // No storage, no choice.
  }
  const night = chosen ? chosen === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.shift = night ? "night" : "day";
  document.documentElement.dataset.unfolded = unfolded;
})();
