// The one stream of news a page listens to; what it brings is an event of the window.
const { live, channel, device } = document.body.dataset;
const watched = channel.trim();
// The server says at least every five seconds that it is there; after this long it is not.
const SILENT_MS = 9000;
const AGAIN_MS = 700;
// Once it is lost it is tried again and again: what was begun before the wire came back is slow to
// notice that it did. A slow network gets a longer try in between.
const TRIES_MS = [1500, 1500, 1500, 6000];
let source = null;
let heardAt = 0;
let again = 0;
let tries = 0;
let isLost = false;

function tell(news) {
  isLost = Boolean(news.lost);
  window.dispatchEvent(new CustomEvent("news", { detail: news }));
}

function open() {
  if (source) return;
  heardAt = Date.now();
  source = new EventSource(watched ? `/live/${watched}` : "/live");
  source.addEventListener("open", () => {
    heardAt = Date.now();
    tries = 0;
  });
  source.addEventListener("still", () => {
    heardAt = Date.now();
  });
  source.onmessage = (event) => {
    heardAt = Date.now();
    tell(JSON.parse(event.data));
  };
  source.onerror = () => {
    tell({ lost: true });
    // A browser tries again by itself after a broken wire, but not after a refusal.
    if (source?.readyState === EventSource.CLOSED) {
      close();
      again = setTimeout(open, AGAIN_MS);
      if (device) askWhetherIn();
    }
  };
}

function close() {
  clearTimeout(again);
  source?.close();
  source = null;
}

// A connection may be dead without a word, as after a sleep.
function openAnew() {
  close();
  open();
}

// A device that was put out is told so, and what it kept of the kitchen is forgotten.
async function askWhetherIn() {
  try {
    if ((await fetch("/healthz", { cache: "no-store" })).status !== 401) return;
  } catch {
    return;
  }
  const bar = document.getElementById("out");
  const here = encodeURIComponent(location.pathname + location.search);
  bar.querySelector("a").href = `/enter?to=${here}`;
  bar.hidden = false;
  if ("caches" in window) await caches.delete("last");
}

/** Call with every piece of news; `lost` in it says that the connection is gone. */
export function onNews(call) {
  window.addEventListener("news", (event) => call(event.detail));
}

// The kitchen's own clock, carried on from the last news of it.
// A page out of the device's memory has it from when it was kept.
const { clock: madeAt, kept } = document.body.dataset;
let heard = { clock: (live && madeAt) || "", at: kept ? Date.parse(kept) : Date.now() };
onNews((news) => {
  if (news.clock) heard = { clock: news.clock, at: Date.now() };
});

/** The kitchen's time in seconds of its day; null on a page that does not know it. */
export function kitchenSeconds() {
  if (!heard.clock) return null;
  const [h, m, s] = heard.clock.split(":").map(Number);
  return h * 3600 + m * 60 + s + Math.round((Date.now() - heard.at) / 1000);
}

/** Seconds of a day as HH:MM:SS. */
export function asClock(seconds) {
  const two = (n) => String(n).padStart(2, "0");
  const all = ((seconds % 86400) + 86400) % 86400;
  return `${two(Math.floor(all / 3600))}:${two(Math.floor(all / 60) % 60)}:${two(all % 60)}`;
}

// A browser holds six connections to a server: a page that nobody sees gives its own back,
// unless it watches a pan.
if (live) {
  window.addEventListener("pagehide", close);
  window.addEventListener("pageshow", open);
  window.addEventListener("online", openAnew);
  document.addEventListener("visibilitychange", () => {
    if (document.hidden) {
      if (!watched) close();
    } else if (Date.now() - heardAt > SILENT_MS) openAnew();
    else open();
  });
  setInterval(() => {
    const patience = isLost ? TRIES_MS[tries % TRIES_MS.length] : SILENT_MS;
    if (!source || document.hidden || Date.now() - heardAt <= patience) return;
    tries += 1;
    tell({ lost: true });
    openAnew();
  }, 500);
  open();
}
