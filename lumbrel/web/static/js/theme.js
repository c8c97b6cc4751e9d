// Before the first paint: day or night shift, as chosen or as the system has it.
(() => {
  let chosen = null;
  try {
    chosen = localStorage.getItem("shift");
  } catch {
    // No storage, no choice.
  }
  const night = chosen ? chosen === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.shift = night ? "night" : "day";
})();
