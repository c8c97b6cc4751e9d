// The run on canvas: shows and reads off; every figure in it comes from the server.
(() => {
  const box = document.getElementById("run");
  if (!box || !window.uPlot) return;
  const said = document.getElementById("run-said");
  const hint = said.textContent;
  const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  let run = null;
  let plots = [];
  let whole = [0, 1];
  let shown = null;

  const clock = (at) => new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: run.zone || undefined }).format(at * 1000);

  function nearest(times, at) {
    let low = 0;
    let high = times.length - 1;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (times[middle] < at) low = middle + 1; else high = middle;
    }
    return low;
  }
  function readOff(at) {
    const parts = [clock(at)];
    const i = nearest(run.path.at, at);
    if (run.path.brix[i] !== undefined) parts.push(`${run.path.brix[i].toFixed(1)} Brix`);
    const j = nearest(run.samples.at, at);
    if (run.samples.at.length && Math.abs(run.samples.at[j] - at) < 120) parts.push(`${run.samples.value[j].toFixed(1)} ${run.unit}`);
    const mark = run.marks.find((m) => Math.abs(m.at - at) < (shown[1] - shown[0]) / 80);
    if (mark) parts.push(mark.title);
    said.textContent = parts.join(" · ");
  }
  function show(from, to) {
    const least = 60;
    if (to - from < least) { const middle = (from + to) / 2; from = middle - least / 2; to = middle + least / 2; }
    shown = [Math.max(from, whole[0]), Math.min(to, whole[1])];
    for (const plot of plots) plot.setScale("x", { min: shown[0], max: shown[1] });
  }
  const ink = () => colour("--ink");
  function axes(values, size) {
    const grid = { stroke: colour("--hair"), width: 1 };
    const font = "13px 'Atkinson Hyperlegible Next', sans-serif";
    return [
      { stroke: colour("--soft"), grid: { show: false }, ticks: { show: false }, font, size: 24, space: 64, incrs: [60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 43200, 86400], values: (u, ticks) => ticks.map(clock) },
      { stroke: colour("--soft"), grid, ticks: { show: false }, font, size, values },
    ];
  }
  function shape(context, kind, x, y) {
    const r = devicePixelRatio;
    context.beginPath();
    if (kind === "hydrometer") context.rect(x - 7 * r, y - 7 * r, 14 * r, 14 * r);
    else if (kind === "refractometer") { context.moveTo(x, y - 9 * r); context.lineTo(x + 9 * r, y + 7 * r); context.lineTo(x - 9 * r, y + 7 * r); context.closePath(); }
    else if (kind === "depth") { context.moveTo(x - 9 * r, y); context.lineTo(x, y - 9 * r); context.lineTo(x + 9 * r, y); context.lineTo(x, y + 9 * r); context.closePath(); }
    else context.arc(x, y, 7 * r, 0, 7);
    context.fill();
    context.stroke();
  }
  function drawUnder(plot) {
    const { ctx: c, bbox: b } = plot;
    const top = plot.valToPos(run.ceiling, "y", true);
    const bottom = plot.valToPos(run.floor, "y", true);
    c.save();
    c.beginPath(); c.rect(b.left, b.top, b.width, b.height); c.clip();
    c.fillStyle = colour("--draw-band");
    c.fillRect(b.left, top, b.width, bottom - top);
    c.restore();
  }
  function upright(plot, at, style, dash, text, low) {
    const { ctx: c, bbox: b } = plot;
    const x = plot.valToPos(at, "x", true);
    if (x < b.left || x > b.left + b.width) return;
    c.strokeStyle = style; c.lineWidth = 2 * devicePixelRatio; c.setLineDash(dash.map((d) => d * devicePixelRatio));
    c.beginPath(); c.moveTo(x, b.top); c.lineTo(x, b.top + b.height); c.stroke(); c.setLineDash([]);
    if (!text) return;
    c.font = `700 ${14 * devicePixelRatio}px 'Atkinson Hyperlegible Next', sans-serif`;
    const left = x > b.left + b.width / 2;
    c.textAlign = left ? "right" : "left";
    const place = [x + (left ? -6 : 6) * devicePixelRatio, b.top + (low ? b.height - 8 * devicePixelRatio : 16 * devicePixelRatio)];
    c.strokeStyle = colour("--enamel"); c.lineWidth = 5 * devicePixelRatio;
    c.strokeText(text, ...place);
    c.fillStyle = style;
    c.fillText(text, ...place);
  }
  function drawOver(plot) {
    const { ctx: c, bbox: b } = plot;
    c.save();
    c.beginPath(); c.rect(b.left, b.top, b.width, b.height); c.clip();
    for (const mark of run.marks) {
      if (mark.kind === "burner") upright(plot, mark.at, colour("--brick"), [3, 5], mark.title, true);
      else if (mark.brix === undefined) upright(plot, mark.at, colour("--hair"), [2, 4], "");
    }
    upright(plot, run.now, colour("--cobalt"), [], "");
    if (run.finish) upright(plot, run.finish, colour("--cobalt"), [6, 5], `done ${clock(run.finish)}`, true);
    c.lineWidth = 2.5 * devicePixelRatio; c.strokeStyle = ink(); c.fillStyle = colour("--enamel");
    for (const mark of run.marks) {
      if (mark.brix === undefined) continue;
      const x = plot.valToPos(mark.at, "x", true);
      c.beginPath();
      c.moveTo(x, plot.valToPos(mark.brix - mark.sigma, "y", true));
      c.lineTo(x, plot.valToPos(mark.brix + mark.sigma, "y", true));
      c.stroke();
      shape(c, mark.kind, x, plot.valToPos(mark.brix, "y", true));
    }
    c.restore();
  }
  function drawMark(plot) {
    if (!run.draw_at) return;
    const { ctx: c, bbox: b } = plot;
    const y = plot.valToPos(run.draw_at, "y", true);
    c.save();
    c.strokeStyle = colour("--path"); c.setLineDash([6 * devicePixelRatio, 5 * devicePixelRatio]); c.lineWidth = 2 * devicePixelRatio;
    c.beginPath(); c.moveTo(b.left, y); c.lineTo(b.left + b.width, y); c.stroke();
    c.restore();
  }
  function options(height, more) {
    return {
      width: Math.max(box.clientWidth, 200), height, legend: { show: false }, padding: [6, 20, 0, 0],
      cursor: { drag: { x: true, y: false, setScale: false }, y: false, points: { show: false } },
      ...more,
      hooks: {
        setCursor: [(plot) => { if (plot.cursor.left >= 0) readOff(plot.posToVal(plot.cursor.left, "x")); }],
        setSelect: [(plot) => {
          if (plot.select.width > 4) show(plot.posToVal(plot.select.left, "x"), plot.posToVal(plot.select.left + plot.select.width, "x"));
          plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
        }],
        ...more.hooks,
      },
    };
  }
  // What was, and what is expected: one point of overlap joins them.
  function split(past) {
    const turn = nearest(run.path.at, run.now);
    return run.path.brix.map((value, i) => ((past ? i <= turn : i >= turn) ? value : null));
  }
  function build() {
    for (const plot of plots) plot.destroy();
    const lowest = Math.floor((Math.min(...run.path.low, ...run.marks.map((m) => m.brix ?? 99)) - 1) / 5) * 5;
    const highest = Math.max(70, ...run.path.high.filter((v) => v < 90));
    const top = new uPlot(options(214, {
      scales: { x: { time: false }, y: { range: () => [lowest, highest] } },
      axes: axes((u, ticks) => ticks.map((v) => `${v}`), 34),
      series: [
        {}, { stroke: colour("--path"), width: 4, points: { show: false } },
        { stroke: colour("--path"), width: 3.5, dash: [3, 7], points: { show: false } },
        { stroke: "transparent", width: 0, points: { show: false } }, { stroke: "transparent", width: 0, points: { show: false } },
      ],
      bands: [{ series: [4, 3], fill: `${colour("--amber")}55` }],
      hooks: { drawClear: [drawUnder], draw: [drawOver] },
    }), [run.path.at, split(true), split(false), run.path.low, run.path.high], document.getElementById("run-brix"));
    plots = [top];
    if (run.samples.at.length) {
      const values = run.samples.value;
      let least = values[values.length - 1];
      let most = run.draw_at ?? least;
      for (const value of values) { if (value < least) least = value; if (value > most) most = value; }
      const from = Math.max(least, most - 8);
      plots.push(new uPlot(options(104, {
        scales: { x: { time: false }, y: { range: () => [from - 0.3, most + 0.4] } },
        axes: axes((u, ticks) => ticks.map((v) => v.toFixed(0)), 34),
        series: [{}, { stroke: colour("--cobalt"), width: 2.5, points: { show: false } }],
        hooks: { draw: [drawMark] },
      }), [run.samples.at, values], document.getElementById("run-heat")));
    }
    whole = [Math.min(run.path.at[0], run.samples.at[0] ?? Infinity), Math.max(run.path.at[run.path.at.length - 1], run.now) + 60];
    const at = shown && !atAll ? shown : whole;
    show(...at);
    box.dataset.at = `${performance.now()}`;
    box.dataset.drawn = `${run.samples.at.length}`;
  }
  let atAll = true;
  async function load(more) {
    const last = more && run ? run.samples.at[run.samples.at.length - 1] ?? 0 : 0;
    const fresh = await (await fetch(`/pan/${box.dataset.code}/series?since=${last}`)).json();
    if (last) {
      fresh.samples.at = run.samples.at.concat(fresh.samples.at);
      fresh.samples.value = run.samples.value.concat(fresh.samples.value);
    }
    run = fresh;
    build();
  }
  box.addEventListener("keydown", (event) => {
    if (!run || event.ctrlKey || event.metaKey || event.altKey) return;
    const span = shown[1] - shown[0];
    const plot = plots[0];
    const left = plot.cursor.left >= 0 ? plot.cursor.left : plot.over.clientWidth * 0.9;
    const middle = plot.posToVal(left, "x");
    const moves = { ArrowLeft: -1, ArrowRight: 1 };
    if (event.key in moves) {
      const at = middle + moves[event.key] * span / 60;
      if (at < shown[0] || at > shown[1]) show(shown[0] + moves[event.key] * span / 4, shown[1] + moves[event.key] * span / 4);
      plot.setCursor({ left: plot.valToPos(at, "x"), top: 20 });
    } else if (event.key === "+" || event.key === "=") { atAll = false; show(middle - span / 4, middle + span / 4); }
    else if (event.key === "-") show(middle - span, middle + span);
    else if (event.key === "0") { atAll = true; show(...whole); setTimeout(() => { said.textContent = hint; }, 60); }
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  box.addEventListener("mouseup", () => { atAll = shown[0] <= whole[0] && shown[1] >= whole[1]; });
  box.addEventListener("dblclick", () => { atAll = true; show(...whole); });
  let due = 0;
  let entries = null;
  const patience = document.querySelector(".practice-bar") ? 2000 : 10_000;
  window.lumbrelNews?.((news) => {
    if (news.entries === undefined || document.hidden) return;
    const now = Date.now();
    // Not all pages at the same moment.
    if (now > due || news.entries !== entries) {
      due = now + patience * (0.75 + Math.random() / 2);
      entries = news.entries;
      load(true).catch(() => {});
    }
  });
  let timer = 0;
  window.addEventListener("resize", () => { clearTimeout(timer); timer = setTimeout(() => run && build(), 150); });
  new MutationObserver(() => run && build()).observe(document.documentElement, { attributes: true, attributeFilter: ["data-shift"] });
  load(false).catch(() => { said.textContent = "The run cannot be shown now."; });
})();
