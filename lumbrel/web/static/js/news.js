// The one stream of news a page listens to; what it brings is an event of the window.
const { live, channel } = document.body.dataset;
const watched = channel.trim();
let source = null;

function tell(news) {
  window.dispatchEvent(new CustomEvent("news", { detail: news }));
}

function open() {
  if (source) return;
  source = new EventSource(watched ? `/live/${watched}` : "/live");
  source.onmessage = (event) => tell(JSON.parse(event.data));
  source.onerror = () => tell({ lost: true });
}

function close() {
  source?.close();
  source = null;
}

/** Call with every piece of news; `lost` in it says that the connection is gone. */
export function onNews(call) {
  window.addEventListener("news", (event) => call(event.detail));
}

// The kitchen's own clock, carried on from the last news of it.
let heard = { clock: "", at: 0 };
onNews((news) => {
  if (news.clock) heard = { clock: news.clock, at: Date.now() };
});

/** The kitchen's time in seconds of its day; null before any news of it. */
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
  document.addEventListener("visibilitychange", () => {
    if (!document.hidden) open();
    else if (!watched) close();
  });
  open();
}
