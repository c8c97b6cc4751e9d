// A line typed while the connection is gone is kept here, shown as waiting, and sent once when it
// is back. Every line carries its own id, so sending it twice writes it once.
(() => {
  const KEY = "waiting lines";
  const list = document.getElementById("waiting");
  if (!list) return;
  let news = { clock: "", at: 0 };
  window.lumbrelNews?.((fresh) => { if (fresh.clock) news = { clock: fresh.clock, at: Date.now() }; if (!fresh.lost) sendAll(); });

  const read = () => { try { return JSON.parse(localStorage.getItem(KEY) ?? "[]"); } catch { return []; } };
  const write = (lines) => { localStorage.setItem(KEY, JSON.stringify(lines)); show(); };

  // The kitchen's own clock, carried on from the last news of it.
  function clock() {
    if (!news.clock) return "";
    const [h, m, s] = news.clock.split(":").map(Number);
    const seconds = h * 3600 + m * 60 + s + Math.round((Date.now() - news.at) / 1000);
    const two = (n) => String(n).padStart(2, "0");
    return `${two(Math.floor(seconds / 3600) % 24)}:${two(Math.floor(seconds / 60) % 60)}`;
  }
  function words(line) {
    const fields = Object.fromEntries(new URLSearchParams(line.body));
    const typed = Object.entries(fields).filter(([name, value]) => value && !["id", "instrument", "at"].includes(name));
    return `${line.action.split("/").pop()} ${typed.map(([, value]) => value).join(", ")}`;
  }
  function show() {
    const lines = read().filter((line) => line.waits || line.refused);
    list.hidden = !lines.length;
    list.replaceChildren(...lines.map((line) => {
      const item = document.createElement("li");
      item.textContent = line.refused ? `Not taken: ${words(line)}. ${line.refused}` : `Waiting to be sent: ${words(line)}, typed ${line.at || "just now"}`;
      if (line.refused) {
        const drop = document.createElement("button");
        drop.type = "button";
        drop.textContent = "Drop it";
        drop.addEventListener("click", () => write(read().filter((other) => other.id !== line.id)));
        item.append(" ", drop);
      }
      return item;
    }));
  }
  async function reachable() {
    try {
      const answer = await fetch("/healthz", { cache: "no-store", signal: AbortSignal.timeout(2000) });
      return answer.ok;
    } catch { return false; }
  }
  let busy = false;
  async function sendAll() {
    if (busy) return;
    busy = true;
    try {
      for (const line of read()) {
        if (line.refused) continue;
        let answer;
        try {
          answer = await fetch(line.action, { method: "POST", body: new URLSearchParams(line.body), signal: AbortSignal.timeout(8000) });
        } catch { break; }
        const rest = read().filter((other) => other.id !== line.id);
        if (answer.ok) { write(rest); continue; }
        if (answer.status >= 500) break;
        const page = new DOMParser().parseFromString(await answer.text(), "text/html");
        const said = page.querySelector(".entry .wrong, .entry .asked, .notice")?.textContent ?? "It was refused.";
        write([...rest, { ...line, waits: false, refused: said }]);
      }
    } finally { busy = false; }
  }
  document.addEventListener("submit", async (event) => {
    const form = event.target;
    if (!form.matches("form[action*='/slip/']") || form.dataset.cleared) return;
    event.preventDefault();
    const body = new URLSearchParams(new FormData(form));
    const line = { id: body.get("id"), action: form.getAttribute("action"), at: clock(), waits: true };
    if (await reachable()) {
      // Answered by a page of its own; kept until then, should the wire break in between.
      write([...read(), { ...line, waits: false, body: body.toString() }]);
      form.dataset.cleared = "1";
      form.submit();
      return;
    }
    if (line.at && !body.get("at")) body.set("at", line.at);
    write([...read(), { ...line, body: body.toString() }]);
    form.reset();
    form.querySelector("[name=id]").value = crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}`;
    for (const button of form.querySelectorAll("button")) button.disabled = false;
    form.querySelector("input:not([type=hidden])")?.focus();
  });
  // This page is the answer to what was sent last; what waited longer is sent again.
  if (document.body.dataset.refused) write(read().filter((line) => line.waits || line.refused));
  window.addEventListener("online", sendAll);
  setInterval(() => { if (read().some((line) => !line.refused)) sendAll(); }, 3000);
  show();
  sendAll();
})();
