// Correlations over any days of the history, in any order; a pair of them as a rolling line.

import { ChartView } from "./chart";
import type { Chart, Returns, Study } from "./data";
import { button, element } from "./dom";
import { correlations, fisher_interval, rows_within } from "./figures";
import { day, ratio } from "./format";
import { change, current, in_scope, listen, make_anew, this_scope } from "./state";

/** Fewer returns than this are no correlation. */
const fewest = 4;

const day_of = (text: string) => Math.round(Date.parse(text) / 86_400_000);
const plain = { series: [], below: [], x_from_zero: false, y_from_zero: false, tight: false, flat: false };

/** The mean over all pairs that have one. */
export function average(values: (number | null)[], count: number): number | null {
  const known = values.filter((value, k): value is number => value !== null && k % count < Math.floor(k / count));
  return known.length === 0 ? null : known.reduce((sum, one) => sum + one, 0) / known.length;
}

/** Correlations of a pair over so many returns up to each day. */
export function rolling(returns: Returns, a: number, b: number, window: number): Chart {
  const two: Returns = { ...returns, assets: [returns.assets[a]!, returns.assets[b]!], returns: returns.returns.map((row) => [row[a]!, row[b]!]) };
  const x: number[] = [], y: (number | null)[] = [], low: (number | null)[] = [], high: (number | null)[] = [];
  for (let last = window - 1; last < returns.days.length; ++last) {
    const r = correlations(two, Array.from({ length: window }, (_, k) => last - window + 1 + k))[1] ?? null;
    const interval = r === null ? null : fisher_interval(r, window);
    x.push(day_of(returns.days[last]!));
    y.push(r);
    low.push(interval ? interval[0] : null);
    high.push(interval ? interval[1] : null);
  }
  const name = `${two.assets[0]} and ${two.assets[1]}`;
  return {
    ...plain, name: "pair", title: name, subtitle: `correlation over the last ${window} returns; shaded: the 95% interval (Fisher)`, heat: null,
    x: { title: "Window's last day", scale: "day", categories: [] }, y: { title: "Correlation", scale: "number", categories: [] },
    series: [
      { kind: "band", name: "", colour: "#0B5563", x, low, high, hatched: false, opacity: 0.2 },
      { kind: "line", name, colour: "#0B5563", x, y, dash: "solid", width: 2.5 },
    ],
  };
}

export function relations_view(study: Study, assets: Set<string>): HTMLElement {
  const returns = study.returns!;
  const last = returns.days.length;
  const ends = [returns.start, ...returns.days].map(day_of); // what a window can begin and end with
  const order = element("select", { "aria-label": "Order of the matrix" }, ...["as given", ...Object.keys(study.orders)].map((name) => element("option", {}, name)));
  const slider = (label: string, at: number) => element("input", { type: "range", min: "0", max: String(last), step: "1", value: String(at), "aria-label": label });
  const [from, to] = [slider("First day", 0), slider("Last day", last)];
  const length = element("select", { "aria-label": "Returns in the pair's window" }, ...[12, 24, 36, 60, 120].filter((count) => count < last).map((count) => element("option", {}, String(count))));
  const said = element("p", { "aria-live": "polite" });
  const [place, below] = [element("div"), element("div")];
  const here = this_scope();
  const whole = correlations(returns, rows_within(returns, null, null));
  let pair: [string, string] | null = null;

  const show_pair = () => {
    if (pair === null || length.value === "") return below.replaceChildren();
    const [a, b] = pair.map((name) => returns.assets.indexOf(name)) as [number, number];
    make_anew("pair of assets", () => below.replaceChildren(element("label", { class: "quiet" }, "Returns in the window: ", length),
      new ChartView(rolling(returns, a, b, Number(length.value)), assets, study.benchmark).box));
  };
  let view: ChartView | null = null;
  const show = () => {
    const state = current();
    const nearest = (wanted: number) => ends.reduce((best, one, k) => (Math.abs(one - wanted) < Math.abs(ends[best]! - wanted) ? k : best), 0);
    from.value = String(state.from === null ? 0 : nearest(state.from));
    to.value = String(state.to === null ? last : nearest(state.to));
    const rows = rows_within(returns, state.from, state.to);
    const days = rows.length === 0 ? "no days" : `${day(ends[rows[0]!]!)} to ${returns.days[rows.at(-1)!]}`;
    if (rows.length < fewest) {
      said.textContent = `${rows.length} returns within the days that are shown: too few to relate. Take more.`;
      return;
    }
    const values = correlations(returns, rows);
    const [mean, all] = [average(values, returns.assets.length), average(whole, returns.assets.length)];
    said.textContent = `${days}, ${rows.length} returns: average correlation ${mean === null ? "-" : ratio(mean)}` + (rows.length === last ? "." : `, over the whole ${all === null ? "-" : ratio(all)}.`);
    const names = study.orders[order.value] ?? returns.assets;
    const at = names.map((name) => returns.assets.indexOf(name));
    const heat = { names, values: at.flatMap((i) => at.map((j) => values[i * returns.assets.length + j]!)) };
    const axis = { title: "", scale: "number" as const, categories: [] };
    const chart: Chart = { ...plain, name: "window", title: "Correlations of the days that are shown", subtitle: `${days}, ${rows.length} returns`, x: axis, y: axis, heat };
    if (view) return view.renew(chart);
    view = in_scope(here, () => new ChartView(chart, assets, study.benchmark, { cell: (a, b) => {
      pair = [a, b];
      show_pair();
    } }));
    place.replaceChildren(view.box);
  };
  for (const end of [from, to]) {
    end.addEventListener("input", () => {
      const [low, high] = [Number(from.value), Number(to.value)].sort((a, b) => a - b) as [number, number];
      change(low === 0 && high === last ? { from: null, to: null } : { from: ends[low]!, to: ends[high]! });
    });
  }
  order.addEventListener("change", show);
  length.addEventListener("change", show_pair);
  listen(["from", "to"], show);
  show();
  return element("div", { class: "relations", id: "any-days" }, element("h3", {}, "Correlations over any days"), said,
    element("div", { class: "along" }, "From", from, "to", to, button("Whole span", "All days", () => change({ from: null, to: null })), order),
    place, element("p", { class: "quiet" }, "A click on a cell shows how that pair's correlation went."), below);
}
