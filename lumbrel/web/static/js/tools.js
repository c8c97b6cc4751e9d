// Small things that several parts need.

/** Call once, when nothing was asked for that many milliseconds. */
export function later(wait, call) {
  let timer = 0;
  return (...given) => {
    clearTimeout(timer);
    timer = setTimeout(() => call(...given), wait);
  };
}

/** Call one at a time while something is dragged: what comes meanwhile is asked once more at the end. */
export function oneAtATime(call) {
  let asking = false;
  let again = false;
  return async () => {
    again = true;
    if (asking) return;
    asking = true;
    while (again) {
      again = false;
      await call();
    }
    asking = false;
  };
}

/** A piece of a page; a form that was not taken is a piece too. */
export async function fetchText(address, options) {
  const answer = await fetch(address, options);
  if (!answer.ok && answer.status !== 422) throw new Error(`${answer.status}`);
  return answer.text();
}

const SENTENCES = JSON.parse(document.body.dataset.words ?? "{}");
const LANGUAGE = document.documentElement.lang || "en-CA";

/** A sentence in the page's language, with its parts. */
export function told(key, parts = {}) {
  return (SENTENCES[key] ?? key).replace(/\{(\w+)\}/g, (_, name) => parts[name] ?? "");
}

/** A number as the page's language writes it. */
export function figure(value, digits) {
  const places = { minimumFractionDigits: digits, maximumFractionDigits: digits };
  return value.toLocaleString(LANGUAGE, places);
}

/** A time of the clock, given as 14:25, as the page's language writes it. */
export function asTimeOfDay(text) {
  return LANGUAGE.startsWith("fr") ? text.replace(":", " h ") : text;
}

/** A name that nobody else has; browsers make good ones only where the connection is safe. */
export function newId() {
  return crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}`;
}

/** Announce a component. Every property it sets is declared in it: an undeclared one would land
 * on the outermost component around it, shared by all its fields. */
export function component(name, build) {
  document.addEventListener("alpine:init", () => window.Alpine.data(name, build));
}

/** What this browser remembers; one that remembers nothing forgets quietly. */
export const memory = {
  get(key) {
    try {
      return localStorage.getItem(key);
    } catch {
      return null;
    }
  },
  set(key, value) {
    try {
      localStorage.setItem(key, value);
    } catch {
      // It lasts for this page.
    }
  },
};
