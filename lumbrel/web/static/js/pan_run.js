// The run on canvas: shows and reads off; every figure in it comes from the server.
import { onNews } from "./news.js";
import { brixPlot, heatPlot } from "./run/plots.js";
import { drawnOf, joined, readOff, wholeOf } from "./run/series.js";
import { later, told } from "./tools.js";

const LEAST_SPAN_S = 60;
const CURSOR_AT = 0.9;
const place = (name) => document.getElementById(name);
const box = place("run");
const said = place("run-said");

class PanRun {
  run = null;
  plots = [];
  shown = null;
  zoomed = false;
  hint = said?.textContent;

  get whole() {
    return wholeOf(this.run);
  }

  async ask(since, upto) {
    const answer = await fetch(`/pan/${box.dataset.code}/series?since=${since}&upto=${upto}`);
    return answer.json();
  }

  async load(since) {
    const last = (since && this.run?.samples.at.at(-1)) || 0;
    const fresh = await this.ask(last, 0);
    this.run = last ? joined(this.run, fresh) : fresh;
    this.build();
  }

  build() {
    const { run } = this;
    for (const plot of this.plots) plot.destroy();
    this.plots = [brixPlot(run, this.options(), place("run-brix"))];
    if (run.samples.at.length) {
      this.plots.push(heatPlot(run, this.options(), place("run-heat")));
    }
    this.show(...(this.shown && this.zoomed ? this.shown : this.whole));
    box.dataset.at = `${performance.now()}`;
    box.dataset.drawn = `${drawnOf(run).at.length}`;
  }

  options() {
    return {
      width: Math.max(box.clientWidth, 200),
      legend: { show: false },
      padding: [6, 20, 0, 0],
      cursor: { drag: { x: true, y: false, setScale: false }, y: false, points: { show: false } },
      hooks: {
        setCursor: [(plot) => this.read(plot)],
        setSelect: [(plot) => this.select(plot)],
      },
    };
  }

  read(plot) {
    if (plot.cursor.left < 0) return;
    const at = plot.posToVal(plot.cursor.left, "x");
    const near = (this.shown[1] - this.shown[0]) / 80;
    said.textContent = readOff(this.run, at, near);
  }

  select(plot) {
    const { left, width } = plot.select;
    if (width > 4) this.show(plot.posToVal(left, "x"), plot.posToVal(left + width, "x"));
    plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
  }

  show(from, to) {
    const middle = (from + to) / 2;
    const half = Math.max(to - from, LEAST_SPAN_S) / 2;
    const [first, last] = this.whole;
    this.shown = [Math.max(middle - half, first), Math.min(middle + half, last)];
    for (const plot of this.plots) {
      plot.setScale("x", { min: this.shown[0], max: this.shown[1] });
    }
  }

  showAll() {
    this.zoomed = false;
    this.show(...this.whole);
    this.lookClosely();
  }

  noteZoom() {
    const [first, last] = this.whole;
    this.zoomed = this.shown[0] > first || this.shown[1] < last;
    this.lookClosely();
  }

  // A long run is drawn from as many points as pixels; a part of it that is looked at, from its own.
  async lookClosely() {
    if (!this.run.samples.thinned) return;
    const [from, to] = this.shown;
    const seen = this.zoomed ? (await this.ask(from, to)).samples : null;
    if (from !== this.shown[0] || to !== this.shown[1]) return;
    this.run.close = seen;
    this.build();
  }

  // Arrows move the reading, + and - zoom about it, 0 shows all.
  press(key) {
    const [plot] = this.plots;
    const { left } = plot.cursor;
    const at = plot.posToVal(left >= 0 ? left : plot.over.clientWidth * CURSOR_AT, "x");
    const span = this.shown[1] - this.shown[0];
    const keys = {
      ArrowLeft: () => this.move(at, -span),
      ArrowRight: () => this.move(at, span),
      "+": () => this.zoom(at, span / 4),
      "=": () => this.zoom(at, span / 4),
      "-": () => this.zoom(at, span),
      0: () => {
        this.showAll();
        setTimeout(() => {
          said.textContent = this.hint;
        }, 60);
      },
    };
    keys[key]?.();
    return key in keys;
  }

  zoom(at, half) {
    this.show(at - half, at + half);
    this.noteZoom();
  }

  move(from, span) {
    const at = from + span / 60;
    const [first, last] = this.shown;
    if (at < first || at > last) this.show(first + span / 4, last + span / 4);
    const [plot] = this.plots;
    plot.setCursor({ left: plot.valToPos(at, "x"), top: 20 });
  }
}

// Often while practising, where a minute is a second; and not all pages at the same moment.
function followNews(run) {
  const patience = document.querySelector(".practice-bar") ? 2000 : 10_000;
  let due = 0;
  let known = null;
  onNews(({ entries }) => {
    if (entries === undefined || document.hidden) return;
    const now = Date.now();
    if (now <= due && entries === known) return;
    due = now + patience * (0.75 + Math.random() / 2);
    known = entries;
    run.load(true).catch(() => {});
  });
}

if (box && window.uPlot) {
  const run = new PanRun();
  const again = () => run.run && run.build();
  box.addEventListener("keydown", (event) => {
    if (!run.run || event.ctrlKey || event.metaKey || event.altKey || !run.press(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
  });
  box.addEventListener("mouseup", () => run.run && run.noteZoom());
  box.addEventListener("dblclick", () => run.run && run.showAll());
  window.addEventListener("resize", later(150, again));
  const attributeFilter = ["data-shift"];
  const theme = new MutationObserver(again);
  theme.observe(document.documentElement, { attributes: true, attributeFilter });
  followNews(run);
  run.load(false).catch(() => {
    said.textContent = told("no_run");
  });
}
