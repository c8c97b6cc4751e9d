// The run as it came from the server, and what is looked up in it.
import { asTimeOfDay, figure, told } from "../tools.js";

const NEAR_SAMPLE_S = 120;

/** The place in a rising list of times that is nearest at or after this one. */
export function nearest(times, at) {
  let low = 0;
  let high = times.length - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (times[middle] < at) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Seconds since 1970 as the kitchen's clock shows them. */
export function clock(run, at) {
  const twelve = run.clock === "12";
  const style = {
    hour: twelve ? "numeric" : "2-digit",
    minute: "2-digit",
    timeZone: run.zone || undefined,
  };
  return asTimeOfDay(new Intl.DateTimeFormat(twelve ? "en-CA" : "en-GB", style).format(at * 1000));
}

/** The new samples after the ones that were there. */
export function joined(run, fresh) {
  const samples = {
    at: run.samples.at.concat(fresh.samples.at),
    value: run.samples.value.concat(fresh.samples.value),
    thinned: run.samples.thinned || fresh.samples.thinned,
  };
  return { ...fresh, samples, close: run.close };
}

/** What is drawn of the samples: all of them, or those of the part that is looked at closely. */
export const drawnOf = (run) => run.close ?? run.samples;

/** What was, or what is expected: one point of overlap joins them. */
export function split(run, past) {
  const turn = nearest(run.path.at, run.now);
  return run.path.brix.map((value, i) => ((past ? i <= turn : i >= turn) ? value : null));
}

/** From the first thing known to the last. */
export function wholeOf({ path, samples, now }) {
  const first = Math.min(path.at[0], samples.at[0] ?? Number.POSITIVE_INFINITY);
  return [first, Math.max(path.at[path.at.length - 1], now) + 60];
}

/** The densities that fit on the upper canvas. */
export function densities({ path, marks }) {
  const low = Math.min(...path.low, ...marks.map((mark) => mark.brix ?? 99));
  const high = Math.max(70, ...path.high.filter((value) => value < 90));
  return [Math.max(Math.floor((low - 1) / 5) * 5, 0), high];
}

/** The heats that fit on the lower one: the last few degrees to the draw. */
export function heats({ samples, draw_at: drawAt }) {
  const values = samples.value;
  let low = values[values.length - 1];
  let high = drawAt ?? low;
  for (const value of values) {
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  return [Math.max(low, high - 8) - 0.3, high + 0.4];
}

/** What the run says at one moment, as a sentence. */
export function readOff(run, at, near) {
  const parts = [clock(run, at)];
  const brix = run.path.brix[nearest(run.path.at, at)];
  if (brix !== undefined) parts.push(told("brix", { brix: figure(brix, 1) }));
  const samples = drawnOf(run);
  const i = nearest(samples.at, at);
  if (samples.at.length && Math.abs(samples.at[i] - at) < NEAR_SAMPLE_S) {
    parts.push(`${figure(samples.value[i], 1)} ${run.unit}`);
  }
  const mark = run.marks.find((one) => Math.abs(one.at - at) < near);
  if (mark) parts.push(mark.title);
  return parts.join(" · ");
}
