// Shows and asks; every figure comes from the server.

function later(wait, call) {
  let timer = 0;
  return (...given) => {
    clearTimeout(timer);
    timer = setTimeout(() => call(...given), wait);
  };
}

async function fetchText(address, options) {
  const answer = await fetch(address, options);
  if (!answer.ok && answer.status !== 422) throw new Error(`${answer.status}`);
  return answer.text();
}

function turnShift() {
  const root = document.documentElement;
  const night = root.dataset.shift !== "night";
  root.dataset.shift = night ? "night" : "day";
  root.dataset.bsTheme = night ? "dark" : "light";
  try { localStorage.setItem("shift", root.dataset.shift); } catch { /* lasts for this page */ }
}

// Every property a component sets is declared in it: an undeclared one would land on the
// outermost component around it, shared by all its fields.
document.addEventListener("alpine:init", () => {
  Alpine.data("shift", () => ({ turn() { turnShift(); } }));

  // A quantity as it is understood, while it is typed.
  Alpine.data("field", () => ({
    said: "",
    hint: "",
    look: null,
    init() {
      this.hint = this.$root.querySelector(".said span").textContent;
      this.said = this.hint;
      this.look = later(180, async (text) => {
        const query = new URLSearchParams({ kind: this.$root.dataset.kind, text });
        try {
          const answer = await (await fetch(`/api/understood?${query}`)).json();
          this.said = answer.said ?? this.hint;
          this.$root.classList.toggle("is-understood", answer.ok === true);
        } catch { this.said = this.hint; }
      });
    },
    typed(event) {
      const text = event.target.value.trim();
      if (!this.$root.dataset.kind) return;
      this.$root.classList.remove("is-understood");
      if (text) this.look(text); else this.said = this.hint;
    },
  }));

  // One of several ways to say a thing: only the fields it needs are shown.
  Alpine.data("pick", () => ({
    picked: "",
    init() { this.picked = this.$root.dataset.start; },
    get isMeter() { return this.picked === "meter"; },
    get isEye() { return this.picked === "eye"; },
    get isRectangular() { return this.picked === "rectangular"; },
    get isTapered() { return this.picked === "tapered"; },
    get isMeasured() { return this.picked === "measured"; },
    get isRound() { return this.picked === "round"; },
    get isRefractometer() { return this.picked === "refractometer"; },
    get isChosen() { return this.picked === "0"; },
    get isForecast() { return this.picked === "forecast"; },
    get wantsPressure() { return this.picked === "station" || this.picked === "forecast"; },
  }));

  Alpine.data("submitter", () => ({ go() { this.$root.requestSubmit(); } }));

  // A caution put away for today comes back tomorrow.
  Alpine.data("caution", () => ({
    shown: true,
    key: "",
    init() {
      this.key = `caution ${this.$root.dataset.caution}`;
      try { this.shown = localStorage.getItem(this.key) !== document.body.dataset.today; } catch { this.shown = true; }
    },
    dismiss() {
      try { localStorage.setItem(this.key, document.body.dataset.today); } catch { /* this page only */ }
      this.shown = false;
    },
  }));

  Alpine.data("takeIn", () => ({
    preview: null,
    init() {
      this.preview = later(250, async () => {
        try {
          const body = new URLSearchParams(new FormData(this.$root));
          document.getElementById("charge").innerHTML = await fetchText("/take-in/preview", { method: "POST", body });
        } catch { /* the last answer stays */ }
      });
    },
    ask() { this.preview(); },
  }));

  // The cup follows what is typed beside it; as it cools, so does its mark.
  Alpine.data("cupAsk", () => ({
    redraw: null,
    cup: "",
    since: 0,
    init() {
      this.redraw = later(150, () => this.draw());
      const timer = setInterval(() => { if (this.cup && !document.hidden) this.draw(); }, 5000);
      window.addEventListener("pagehide", () => clearInterval(timer));
    },
    ask() {
      const typed = new FormData(this.$root).get("cup") ?? "";
      if (typed !== this.cup) { this.cup = typed; this.since = Date.now(); }
      this.redraw();
    },
    async draw() {
      const form = new FormData(this.$root);
      const query = new URLSearchParams({
        reading: form.get("reading") ?? "", cup: this.cup, instrument: form.get("instrument") ?? "",
        seconds: this.cup ? Math.round((Date.now() - this.since) / 1000) : 0,
      });
      const box = document.getElementById("cup");
      try { if (box) box.innerHTML = await fetchText(`/pan/${this.$root.dataset.code}/cup?${query}`); } catch { /* the last picture stays */ }
    },
  }));

  // The stem can be dragged: a pixel is so many Brix, the picture says how many.
  Alpine.data("cup", () => ({
    init() {
      const svg = this.$root.querySelector("svg");
      const stem = svg.querySelector(".stem");
      let from = null;
      stem.addEventListener("pointerdown", (event) => {
        from = event.clientY;
        stem.setPointerCapture(event.pointerId);
      });
      stem.addEventListener("pointermove", (event) => {
        if (from === null) return;
        const perUnit = svg.getBoundingClientRect().height / svg.viewBox.baseVal.height;
        this.drag((from - event.clientY) / perUnit / Number(this.$root.dataset.pixels));
      });
      const drop = () => { from = null; };
      stem.addEventListener("pointerup", drop);
      stem.addEventListener("pointercancel", drop);
    },
    drag(brix) {
      const input = document.querySelector("#entry input[name=reading]");
      if (!input || !document.querySelector("#entry input[name=cup]")) return;
      const { low, high, floats } = this.$root.dataset;
      const value = Math.min(Math.max(Number(floats) + brix, Number(low)), Number(high));
      input.value = value.toFixed(1);
      input.dispatchEvent(new Event("input", { bubbles: true }));
    },
  }));

  // The board as it is now; when the connection is lost it says how old it is.
  Alpine.data("live", () => ({
    lost: false,
    lastSeen: "",
    init() {
      const { code, drawn } = this.$root.dataset;
      if (drawn) return;
      let busy = false;
      let entries = null;
      let call = "";
      let whole = 0;
      window.lumbrelNews?.(async (news) => {
        if (news.lost) { this.lost = true; return; }
        if (news.code !== code) return;
        this.lost = false;
        this.lastSeen = news.clock;
        for (const [key, text] of Object.entries(news)) {
          for (const spot of document.querySelectorAll(`#verdict [data-news="${key}"]`)) {
            if (spot.textContent !== text) spot.textContent = text;
          }
        }
        if (busy || document.hidden) return;
        const changed = entries !== null && entries !== news.entries;
        if (!changed && call === news.call && Date.now() - whole < 4000 + 2000 * Math.random()) { entries = news.entries; return; }
        busy = true;
        try {
          await this.redraw(code);
          if (changed) document.getElementById("slip-record").innerHTML = await fetchText(`/pan/${code}/record`);
          [entries, call, whole] = [news.entries, news.call, Date.now()];
        } catch { this.lost = true; } finally { busy = false; }
      });
    },
    // Each part is replaced unless somebody is at work in it.
    async redraw(code) {
      const fresh = new DOMParser().parseFromString(await fetchText(`/pan/${code}/board`), "text/html");
      for (const name of ["verdict", "cup", "pan", "agreement"]) {
        const old = document.getElementById(name);
        const part = fresh.getElementById(`p-${name}`);
        if (!old || !part || old.contains(document.activeElement)) continue;
        if (name === "cup" && this.typing()) continue;
        const open = old.querySelector("details")?.open;
        old.innerHTML = part.innerHTML;
        if (open && old.querySelector("details")) old.querySelector("details").open = true;
      }
      if (!fresh.getElementById("p-verdict")) location.reload();
    },
    // While a cup reading is typed the picture follows the typing, not the clock.
    typing() {
      const input = document.querySelector("#entry input[name=reading]");
      return Boolean(input && input.value && document.querySelector("#entry input[name=cup]"));
    },
  }));
});

// Keys: the stations by number, the readings by letter, `?` for the list.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, textarea, select")) {
    if (event.key === "Escape") event.target.blur();
    return;
  }
  if (event.key === "?") document.getElementById("keys")?.showModal();
  else if (event.key === "n") turnShift();
  else if (event.key === "0") location.assign("/");
  else document.querySelector(`a[data-key="${CSS.escape(event.key)}"]`)?.click();
});

// A figure that is pressed shows its working over the page; without this it opens as a page.
document.addEventListener("click", async (event) => {
  const link = event.target.closest("[data-working]");
  const dialog = document.getElementById("working");
  if (!link || !dialog || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  const href = link.getAttribute("href");
  try {
    const body = document.getElementById("working-body");
    body.innerHTML = await fetchText(`${href}${href.includes("?") ? "&" : "?"}part=1`);
    if (!dialog.open && document.getElementById("alarm").hidden) dialog.showModal();
    dialog.scrollTop = 0;
  } catch { location.assign(href); }
});
document.addEventListener("click", (event) => {
  if (event.target.id === "working") event.target.close();
});

// A form is sent once; what it carries would be written once anyway.
document.addEventListener("submit", (event) => {
  const button = event.target.querySelector("button[type=submit]");
  if (button && event.target.method === "post") setTimeout(() => { button.disabled = true; });
});
window.addEventListener("pageshow", () => {
  for (const button of document.querySelectorAll("button:disabled")) button.disabled = false;
  const here = document.querySelector(".station.here");
  if (here) here.parentElement.scrollLeft = here.offsetLeft - (here.parentElement.clientWidth - here.offsetWidth) / 2;
  const record = document.getElementById("slip-lines");
  if (record) record.scrollTop = record.scrollHeight;
});
