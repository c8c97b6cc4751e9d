// The entry of the pan: another kind of reading opens in its place. What is typed while it opens goes
// into its first field; nobody waits, and no key means a station meanwhile.
import { fetchText } from "./tools.js";

const TYPED = "input:not([type=hidden]), textarea, select";
let ahead = null;

function fields() {
  return [...document.querySelectorAll(`#entry form :is(${TYPED})`)];
}

function focusFirst() {
  const entry = document.getElementById("entry");
  const first = entry?.querySelector("[autofocus]") ?? fields()[0];
  (first ?? entry?.querySelector("form button"))?.focus();
  return first;
}

// What was typed while it opened, as if it had been there.
function typeAhead(first) {
  const keys = ahead;
  ahead = null;
  let field = first;
  for (const key of keys) {
    if (!field) return;
    if (key === "Tab") {
      field = fields()[fields().indexOf(field) + 1];
      field?.focus();
    } else if (key === "Enter") {
      field.form.requestSubmit();
    } else if (field.matches("input[type=text], textarea")) {
      field.value = key === "Backspace" ? field.value.slice(0, -1) : field.value + key;
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
  }
}

async function open(link) {
  if (ahead !== null) return;
  ahead = [];
  try {
    if (!link.hasAttribute("aria-current")) {
      // Nothing is typed any more into what is about to go.
      const old = document.getElementById("entry");
      old.style.minHeight = `${old.offsetHeight}px`;
      for (const form of old.querySelectorAll("form")) form.remove();
      const page = new DOMParser().parseFromString(await fetchText(link.href), "text/html");
      const fresh = document.importNode(page.getElementById("entry"), true);
      old.replaceWith(fresh);
      history.replaceState(null, "", link.href);
    }
  } catch {
    location.assign(link.href);
    return;
  }
  typeAhead(focusFirst());
}

/** The tab of the entry that a key opens; none while one opens, when keys are what is typed. */
export function tabOf(key) {
  return document.querySelector(`#entry .tabs a[data-key="${CSS.escape(key)}"]`);
}

/** Whether the entry is opening: what is typed is kept for it. */
export const isOpening = () => ahead !== null;

document.addEventListener(
  "keydown",
  (event) => {
    if (ahead === null || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key.length > 1 && !["Backspace", "Tab", "Enter"].includes(event.key)) return;
    ahead.push(event.key);
    event.preventDefault();
    event.stopImmediatePropagation();
  },
  true,
);

document.addEventListener("click", (event) => {
  const link = event.target.closest("#entry .tabs a");
  if (!link || event.button || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  open(link);
});

// A browser focuses nothing by itself where the address names a place on the page.
if (location.hash === "#entry" && document.querySelector("#entry [autofocus]")) {
  ahead = [];
  window.addEventListener("load", () => setTimeout(() => typeAhead(focusFirst())));
}
