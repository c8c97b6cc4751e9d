// The one stream of news a page listens to, and the alarms in it.
(() => {
  const body = document.body;
  const listeners = [];
  window.lumbrelNews = (call) => listeners.push(call);
  const tell = (news) => { for (const call of listeners) call(news); };

  if (body.dataset.live) {
    // A browser holds six connections to a server: a page that nobody sees gives its own back,
    // unless it watches a pan.
    const channel = body.dataset.channel.trim();
    let source = null;
    const open = () => {
      if (source) return;
      source = new EventSource(channel ? `/live/${channel}` : "/live");
      source.onmessage = (event) => tell(JSON.parse(event.data));
      source.onerror = () => tell({ lost: true });
    };
    const close = () => { source?.close(); source = null; };
    window.addEventListener("pagehide", close);
    window.addEventListener("pageshow", open);
    document.addEventListener("visibilitychange", () => { if (!document.hidden) open(); else if (!channel) close(); });
    open();
  }

  // Sound: two tones, again and again. A browser lets a page speak once it was touched.
  let audio = null;
  function tone() {
    try {
      audio ??= new AudioContext();
      if (audio.state === "suspended") audio.resume();
      for (const [at, pitch] of [[0, 880], [0.22, 660], [0.44, 880]]) {
        const voice = audio.createOscillator();
        const volume = audio.createGain();
        voice.type = "square";
        voice.frequency.value = pitch;
        volume.gain.setValueAtTime(0.22, audio.currentTime + at);
        volume.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + at + 0.2);
        voice.connect(volume).connect(audio.destination);
        voice.start(audio.currentTime + at);
        voice.stop(audio.currentTime + at + 0.2);
      }
    } catch { /* a page that cannot sound still fills the screen */ }
  }

  // A screen left alone stays on while a pan is open.
  let lock = null;
  async function stayAwake() {
    if (lock || document.hidden || !document.getElementById("verdict")) return;
    try {
      lock = await navigator.wakeLock?.request("screen");
      lock?.addEventListener("release", () => { lock = null; });
    } catch { lock = null; }
  }
  document.addEventListener("visibilitychange", stayAwake);
  document.addEventListener("pointerdown", stayAwake);
  document.addEventListener("keydown", stayAwake);
  stayAwake();

  const screen = document.getElementById("alarm");
  const by = document.getElementById("alarm-by");
  let ringing = null;
  let bell = 0;
  const answered = new Set();

  function ring(alarm) {
    ringing = alarm;
    for (const part of ["headline", "words"]) document.getElementById(`alarm-${part}`).textContent = alarm[part];
    document.getElementById("alarm-where").textContent = `${alarm.where} · ${alarm.at}`;
    screen.dataset.kind = alarm.kind;
    if (!screen.hidden) return;
    try { by.value = localStorage.getItem("initials") ?? ""; } catch { /* empty */ }
    for (const open of document.querySelectorAll("dialog[open]")) open.close();
    screen.hidden = false;
    document.title = `! ${document.title.replace(/^! /, "")}`;
    tone();
    // By hand, not as an animation: that would keep a tablet drawing all the time.
    bell = setInterval(() => { if (!screen.classList.toggle("beat")) tone(); }, 700);
  }
  function hush() {
    clearInterval(bell);
    screen.classList.remove("beat");
    screen.hidden = true;
    ringing = null;
    document.title = document.title.replace(/^! /, "");
  }
  async function answer() {
    if (!ringing) return;
    const alarm = ringing;
    try { localStorage.setItem("initials", by.value.trim()); } catch { /* this time only */ }
    hush();
    if (!alarm.id) return;
    answered.add(alarm.id);
    try {
      await fetch(`/alarms/${alarm.id}/answer`, { method: "POST", body: new URLSearchParams({ by: by.value.trim() }) });
    } catch { answered.delete(alarm.id); }
  }
  window.lumbrelNews((news) => {
    if (!news.alarms) return;
    const next = news.alarms.filter((alarm) => !answered.has(alarm.id)).pop();
    if (next && next.id !== ringing?.id) ring(next);
    else if (!next && ringing?.id) hush();
  });
  document.addEventListener("keydown", (event) => {
    if (screen.hidden || event.target === by && event.key !== "Enter") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    answer();
  }, true);
  screen.addEventListener("click", (event) => { if (event.target !== by && !event.target.contains(by)) answer(); });
  document.getElementById("alarm-test")?.addEventListener("click", () => {
    ring({ id: 0, kind: "finish", headline: "Test", words: "This is how it calls. Nothing is wrong.", where: "Alarm", at: "test" });
  });
})();
