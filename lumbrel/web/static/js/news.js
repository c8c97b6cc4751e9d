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
