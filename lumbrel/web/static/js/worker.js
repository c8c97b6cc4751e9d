// Keeps the shell and the pages a device saw last, for when the server cannot be reached. Its first
// lines, with the version and the shell's files, are written by the server.
/* global VERSION, SHELL, LANGUAGE, NOT_KEPT, THESE_WERE */
const SHELL_CACHE = `shell ${VERSION}`;
const LAST_CACHE = "last";
const MOST_PAGES = 40;
const PATIENCE_MS = 5000;

self.addEventListener("install", (event) => {
  const keep = async () => {
    const cache = await caches.open(SHELL_CACHE);
    await cache.addAll(SHELL);
    await self.skipWaiting();
  };
  event.waitUntil(keep());
});

self.addEventListener("activate", (event) => {
  const tidy = async () => {
    const old = (await caches.keys()).filter((key) => ![SHELL_CACHE, LAST_CACHE].includes(key));
    await Promise.all(old.map((key) => caches.delete(key)));
    await self.clients.claim();
  };
  event.waitUntil(tidy());
});

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== location.origin) return;
  if (url.pathname.startsWith("/static/")) event.respondWith(fromShell(request));
  else if (request.mode === "navigate") event.respondWith(page(event, request));
});

self.addEventListener("message", (event) => {
  const { keep: address } = event.data ?? {};
  if (!address || new URL(address).origin !== location.origin) return;
  const kept = async () => {
    const answer = await fetch(address);
    if (answer.ok && !answer.redirected) await keep(new Request(address), answer);
  };
  event.waitUntil(kept());
});

async function fromShell(request) {
  const cache = await caches.open(SHELL_CACHE);
  const kept = await cache.match(request, { ignoreSearch: true });
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await cache.put(request, answer.clone());
  return answer;
}

async function page(event, request) {
  let answer;
  const late = new Promise((_, refuse) => setTimeout(refuse, PATIENCE_MS, new Error("late")));
  try {
    answer = await Promise.race([fetch(request), late]);
  } catch {
    return (await keptPage(request)) ?? nothingKept();
  }
  // A device that was put out keeps nothing of the kitchen.
  const isAway = new URL(request.url).pathname === "/enter";
  if (answer.status === 401 || isAway) event.waitUntil(caches.delete(LAST_CACHE));
  else if (answer.ok) event.waitUntil(keep(request, answer.clone()));
  return answer;
}

async function keep(request, answer) {
  if (!answer.headers.get("content-type")?.startsWith("text/html")) return;
  const cache = await caches.open(LAST_CACHE);
  const headers = new Headers(answer.headers);
  headers.set("x-kept-at", new Date().toISOString());
  const body = await answer.text();
  if (!body.includes('data-device="1"')) return;
  await cache.delete(request);
  await cache.put(request, new Response(body, { headers }));
  const pages = await cache.keys();
  await Promise.all(pages.slice(0, -MOST_PAGES).map((old) => cache.delete(old)));
}

async function keptPage(request) {
  const cache = await caches.open(LAST_CACHE);
  const kept = (await cache.match(request)) ?? (await cache.match(request, { ignoreSearch: true }));
  if (!kept) return null;
  const headers = new Headers(kept.headers);
  headers.delete("content-encoding");
  headers.delete("content-length");
  const at = headers.get("x-kept-at");
  const body = (await kept.text()).replace("<body ", `<body data-kept="${at}" `);
  return new Response(body, { headers });
}

async function nothingKept() {
  const cache = await caches.open(LAST_CACHE);
  const paths = (await cache.keys()).map((request) => new URL(request.url).pathname);
  const links = [...new Set(paths)]
    .filter((path) => /^[\w/.-]+$/.test(path))
    .map((path) => `<li><a href="${path}">${path}</a></li>`);
  const head = `<!DOCTYPE html><html lang="${LANGUAGE}"><meta charset="utf-8">`;
  const size = '<meta name="viewport" content="width=device-width, initial-scale=1">';
  const words = `${NOT_KEPT}`;
  const offer = links.length ? ` ${THESE_WERE}</p><ul>${links.join("")}</ul>` : "</p>";
  const kind = { "content-type": "text/html; charset=utf-8" };
  return new Response(`${head}${size}<title>Lumbrel</title>${words}${offer}`, {
    status: 503,
    headers: kind,
  });
}
