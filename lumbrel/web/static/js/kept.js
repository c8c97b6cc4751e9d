// A paired device keeps the shell and what it saw last, so that a page opens without the server.
import { newId, told } from "./tools.js";

const { device, kept } = document.body.dataset;

if (device && window.isSecureContext && "serviceWorker" in navigator) {
  const isFirst = !navigator.serviceWorker.controller;
  navigator.serviceWorker
    .register("/sw.js")
    .then(() => navigator.serviceWorker.ready)
    .then((registered) => {
      // The page that brought the worker was there before it: it is kept too.
      if (isFirst) registered.active.postMessage({ keep: location.href.split("#")[0] });
    })
    .catch(() => {
      // A device that does not trust the kitchen yet goes without.
    });
}

function age(since) {
  const minutes = Math.max(Math.round((Date.now() - since) / 60000), 0);
  if (minutes < 1) return told("under_a_minute");
  return minutes < 120 ? `${minutes} min` : `${Math.round(minutes / 60)} h`;
}

// A page out of the device's memory says how old it is, and writes nothing under ids used before.
if (kept) {
  const note = document.getElementById("kept");
  const since = new Date(kept);
  const at = since.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  const tell = () => {
    note.textContent = told("as_it_was", { at, age: age(since) });
  };
  tell();
  const telling = setInterval(tell, 20000);
  note.hidden = false;
  document.body.classList.add("is-kept");
  for (const id of document.querySelectorAll("form input[name=id]")) {
    id.value = newId();
  }
  const isTyped = () =>
    [...document.querySelectorAll("main input:not([type=hidden]), main textarea")].some(
      (field) => field.value !== field.defaultValue,
    );
  const back = async () => {
    try {
      if (!(await fetch("/healthz", { cache: "no-store" })).ok) return;
    } catch {
      return;
    }
    clearInterval(telling);
    if (isTyped()) {
      note.textContent = told("back");
    } else location.reload();
  };
  window.addEventListener("online", back);
}
