// The two plots of the run: density over all of it, heat under it.
import { figure } from "../tools.js";
import { colour, drawBand, drawMarks, drawTarget, FONT } from "./paint.js";
import { clock, densities, drawnOf, heats, split } from "./series.js";

const MINUTE = 60;
const HOUR = 3600;
const TICKS = [
  ...[1, 2, 5, 10, 15, 30].map((minutes) => minutes * MINUTE),
  ...[1, 2, 4, 12, 24].map((hours) => hours * HOUR),
];
const NO_POINTS = { points: { show: false } };
const UNSEEN = { stroke: "transparent", width: 0, ...NO_POINTS };

function axes(run, decimals) {
  const style = { stroke: colour("--soft"), ticks: { show: false }, font: `13px ${FONT}` };
  return [
    {
      ...style,
      grid: { show: false },
      size: 24,
      space: 64,
      incrs: TICKS,
      values: (_, ticks) => ticks.map((at) => clock(run, at)),
    },
    {
      ...style,
      grid: { stroke: colour("--hair"), width: 1 },
      size: 34,
      values: (_, ticks) => ticks.map((value) => figure(value, decimals(value))),
    },
  ];
}

function scales(range) {
  return { x: { time: false }, y: { range: () => range } };
}

const asTold = (value) => (Number.isInteger(value) ? 0 : 1);

/** Density: what was and what is expected, with its spread. */
export function brixPlot(run, options, place) {
  const path = { stroke: colour("--path"), ...NO_POINTS };
  const { at, low, high } = run.path;
  const all = {
    ...options,
    height: 214,
    scales: scales(densities(run)),
    axes: axes(run, asTold),
    series: [{}, { ...path, width: 4 }, { ...path, width: 3.5, dash: [3, 7] }, UNSEEN, UNSEEN],
    bands: [{ series: [4, 3], fill: `${colour("--amber")}55` }],
    hooks: {
      ...options.hooks,
      drawClear: [(plot) => drawBand(run, plot)],
      draw: [(plot) => drawMarks(run, plot)],
    },
  };
  return new window.uPlot(all, [at, split(run, true), split(run, false), low, high], place);
}

/** The probe's heat, with the number at which it is drawn. */
export function heatPlot(run, options, place) {
  const all = {
    ...options,
    height: 104,
    scales: scales(heats(run)),
    axes: axes(run, () => 0),
    series: [{}, { stroke: colour("--cobalt"), width: 2.5, ...NO_POINTS }],
    hooks: { ...options.hooks, draw: [(plot) => drawTarget(run, plot)] },
  };
  const { at, value } = drawnOf(run);
  return new window.uPlot(all, [at, value], place);
}
