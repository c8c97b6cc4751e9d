// What is painted under and over the curves of the run.
import { told } from "../tools.js";
import { clock } from "./series.js";

export const FONT = "'Atkinson Hyperlegible Next', sans-serif";

/** A colour of the sheet, day or night. */
export function colour(name) {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

function px(value) {
  return value * devicePixelRatio;
}

// Inside the frame of the plot only.
function inside({ ctx, bbox }, paint) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  paint();
  ctx.restore();
}

function line(ctx, from, to) {
  ctx.beginPath();
  ctx.moveTo(...from);
  ctx.lineTo(...to);
  ctx.stroke();
}

// Each kind of reading has a shape, so that nobody needs its colour.
const CORNERS = {
  hydrometer: [
    [-7, -7],
    [7, -7],
    [7, 7],
    [-7, 7],
  ],
  refractometer: [
    [0, -9],
    [9, 7],
    [-9, 7],
  ],
  depth: [
    [-9, 0],
    [0, -9],
    [9, 0],
    [0, 9],
  ],
};

function shape(ctx, kind, x, y) {
  ctx.beginPath();
  const corners = CORNERS[kind];
  if (corners) {
    for (const [across, down] of corners) ctx.lineTo(x + px(across), y + px(down));
    ctx.closePath();
  } else {
    ctx.arc(x, y, px(7), 0, 2 * Math.PI);
  }
  ctx.fill();
  ctx.stroke();
}

// A line from top to bottom with its words at the foot, on the side with room.
function upright(plot, at, { style, dash = [], text = "" }) {
  const { ctx, bbox } = plot;
  const x = plot.valToPos(at, "x", true);
  if (x < bbox.left || x > bbox.left + bbox.width) return;
  ctx.strokeStyle = style;
  ctx.lineWidth = px(2);
  ctx.setLineDash(dash.map(px));
  line(ctx, [x, bbox.top], [x, bbox.top + bbox.height]);
  ctx.setLineDash([]);
  if (!text) return;
  const left = x > bbox.left + bbox.width / 2;
  const place = [x + px(left ? -6 : 6), bbox.top + bbox.height - px(8)];
  ctx.font = `700 ${px(14)}px ${FONT}`;
  ctx.textAlign = left ? "right" : "left";
  ctx.strokeStyle = colour("--enamel");
  ctx.lineWidth = px(5);
  ctx.strokeText(text, ...place);
  ctx.fillStyle = style;
  ctx.fillText(text, ...place);
}

function events(run, plot) {
  for (const mark of run.marks) {
    if (mark.kind === "burner") {
      upright(plot, mark.at, { style: colour("--brick"), dash: [3, 5], text: mark.title });
    } else if (mark.brix === undefined) {
      upright(plot, mark.at, { style: colour("--hair"), dash: [2, 4] });
    }
  }
  upright(plot, run.now, { style: colour("--cobalt") });
  if (run.finish) {
    const text = told("done_at", { at: clock(run, run.finish) });
    upright(plot, run.finish, { style: colour("--cobalt"), dash: [6, 5], text });
  }
}

function readings(run, plot) {
  const { ctx } = plot;
  const y = (brix) => plot.valToPos(brix, "y", true);
  ctx.lineWidth = px(2.5);
  ctx.strokeStyle = colour("--ink");
  ctx.fillStyle = colour("--enamel");
  for (const { kind, at, brix, sigma } of run.marks) {
    if (brix === undefined) continue;
    const x = plot.valToPos(at, "x", true);
    line(ctx, [x, y(brix - sigma)], [x, y(brix + sigma)]);
    shape(ctx, kind, x, y(brix));
  }
}

/** Under the curves: the band in which it is drawn. */
export function drawBand(run, plot) {
  const { ctx, bbox } = plot;
  const top = plot.valToPos(run.ceiling, "y", true);
  const bottom = plot.valToPos(run.floor, "y", true);
  inside(plot, () => {
    ctx.fillStyle = colour("--draw-band");
    ctx.fillRect(bbox.left, top, bbox.width, bottom - top);
  });
}

/** Over the curves: what was done and what was read, each with its spread. */
export function drawMarks(run, plot) {
  inside(plot, () => {
    events(run, plot);
    readings(run, plot);
  });
}

/** Over the heat: the number at which it is drawn. */
export function drawTarget(run, plot) {
  if (!run.draw_at) return;
  const { ctx, bbox } = plot;
  const y = plot.valToPos(run.draw_at, "y", true);
  ctx.save();
  ctx.strokeStyle = colour("--path");
  ctx.setLineDash([px(6), px(5)]);
  ctx.lineWidth = px(2);
  line(ctx, [bbox.left, y], [bbox.left + bbox.width, y]);
  ctx.restore();
}
