// The figures of a portfolio: what the page computes itself, beside what the tool has computed.

import type { BenchmarkRisk, Binding, Bounds, Corner, Estimate, Returns, Weights } from "./data";

export interface PortfolioFigures {
  expected_return: number;
  volatility: number;
  sharpe: number | null;
  /** Of each asset, in the order of the estimate: its share of the variance. */
  risk_shares: number[];
  sum: number;
}

export function figures_of(estimate: Estimate, weights: Weights): PortfolioFigures {
  const w = estimate.assets.map((asset) => weights[asset] ?? 0);
  const held = w.flatMap((weight, j) => (weight === 0 ? [] : [j]));
  const moved = estimate.covariance.map((row) => {
    let sum = 0;
    for (const j of held) sum += row[j]! * w[j]!;
    return sum;
  });
  const variance = w.reduce((sum, weight, i) => sum + weight * moved[i]!, 0);
  const sum = w.reduce((total, weight) => total + weight, 0);
  const volatility = Math.sqrt(Math.max(0, variance));
  // What is left of the wealth lies in cash at the risk-free rate, or is borrowed at it.
  const excess = w.reduce((total, weight, i) => total + weight * (estimate.expected_return[i]! - estimate.risk_free), 0);
  const expected_return = estimate.risk_free + excess;
  return {
    expected_return,
    volatility,
    sharpe: volatility > 0 ? excess / volatility : null,
    risk_shares: w.map((weight, i) => (variance > 0 ? (weight * moved[i]!) / variance : 0)),
    sum,
  };
}

/** A place on the frontier: 0 at the highest return, counted in corners; between two of them weights are linear. */
export interface Place {
  weights: Weights;
  expected_return: number;
  lambda: number;
  binding: Binding[];
}

export function at_place(corners: Corner[], place: number): Place {
  const clamped = Math.min(corners.length - 1, Math.max(0, place));
  const first = Math.min(Math.floor(clamped), Math.max(0, corners.length - 2));
  const a = corners[first]!;
  const b = corners[Math.min(first + 1, corners.length - 1)]!;
  const share = clamped - first;
  const between = (x: number, y: number) => (share === 0 ? x : share === 1 ? y : x + share * (y - x));
  const weights: Weights = {};
  for (const asset of new Set([...Object.keys(a.weights), ...Object.keys(b.weights)])) {
    const weight = between(a.weights[asset] ?? 0, b.weights[asset] ?? 0);
    if (weight !== 0) weights[asset] = weight;
  }
  const lambda = between(a.lambda, a === b ? b.lambda : (b.lambda_above ?? b.lambda));
  const binding = mixed(a.binding, a === b ? b.binding : (b.binding_above ?? b.binding), share);
  return { weights, expected_return: between(a.expected_return, b.expected_return), lambda, binding };
}

function mixed(from: Binding[], to: Binding[], share: number): Binding[] {
  const limits = new Map<string, Binding>();
  for (const [some, part] of [[from, 1 - share], [to, share]] as const) {
    for (const one of some) limits.set(one.limit, { ...one, multiplier: (limits.get(one.limit)?.multiplier ?? 0) + part * one.multiplier });
  }
  return [...limits.values()].filter((one) => one.multiplier !== 0);
}

/** What a point (or a unit) more room in a limit brings: less volatility at the same return, or more return at the same volatility; null where there is none to be had. */
export function gains_of({ multiplier, per_unit }: Binding, lambda: number, volatility: number): { volatility: number | null; expected_return: number | null } {
  const size = Math.abs(multiplier) * (per_unit ? 1 : 0.01);
  return { volatility: volatility > 0 ? size / volatility : null, expected_return: lambda > 0 ? size / lambda : null };
}

/** A limit that weights break, what of it, and by how much: a part of wealth, or a plain figure. */
export interface Broken {
  limit: string;
  about: string;
  by: number;
  plain: boolean;
}

/** Typed weights are rounded to so much, and their sums to so much each. */
const typed = 5.1e-5;

export function broken_limits(bounds: Bounds, estimate: Estimate, weights: Weights, benchmark: BenchmarkRisk | null): Broken[] {
  const w = estimate.assets.map((asset) => weights[asset] ?? 0);
  const named = (limit: number | null | undefined, otherwise: string) => (limit === null || limit === undefined ? otherwise : bounds.limits[limit]!.name);
  const broken: Broken[] = [];
  const check = (limit: string, about: string, figure: number, least: number | null, most: number | null, slack: number, plain = false) => {
    const by = Math.max(least === null ? -Infinity : least - figure, most === null ? -Infinity : figure - most);
    if (by > slack) broken.push({ limit, about, by, plain });
  };
  estimate.assets.forEach((asset, i) => {
    check(named(bounds.lower_limit[i], "long only"), asset, w[i]!, bounds.lower[i]!, null, typed);
    check(named(bounds.upper_limit[i], "budget"), asset, w[i]!, null, bounds.upper[i]!, typed);
  });
  const sum = w.reduce((total, weight) => total + weight, 0);
  check("budget", "", sum, bounds.budget, bounds.budget, typed * Math.max(1, w.length / 2));
  for (const row of bounds.rows) {
    let [figure, slack] = [row.constant, 0];
    w.forEach((weight, i) => {
      figure += row.coefficients[i]! * weight + (row.bend[i] ?? 0) * Math.abs(weight - (row.bend_at[i] ?? 0));
      slack += (Math.abs(row.coefficients[i]!) + (row.bend[i] ?? 0)) * typed / 2;
    });
    check(named(row.limit, row.about), row.about, figure, row.lower, row.upper, Math.max(typed, slack));
  }
  check("volatility", "", figures_of(estimate, weights).volatility, null, bounds.volatility, typed);
  if (benchmark && bounds.tracking_error !== null) check("tracking error", "", tracking_error(estimate, benchmark, weights), null, bounds.tracking_error, typed);
  const held = w.filter((weight) => Math.abs(weight) > 1e-9);
  check("holdings", "", held.length, null, bounds.holdings, 0.5, true);
  if (bounds.held !== null) estimate.assets.forEach((asset, i) => w[i] !== 0 && check("held", asset, Math.abs(w[i]!), bounds.held, null, typed));
  return broken;
}

/** Of the difference from the benchmark: its volatility, per year. */
export function tracking_error(estimate: Estimate, benchmark: BenchmarkRisk, weights: Weights): number {
  const with_it = estimate.assets.reduce((sum, asset, i) => sum + (weights[asset] ?? 0) * benchmark.covariances[i]!, 0);
  return Math.sqrt(Math.max(0, figures_of(estimate, weights).volatility ** 2 - 2 * with_it + benchmark.variance));
}

/** The place with a return, between the ends. */
export function place_of_return(corners: Corner[], expected_return: number): number {
  for (let k = 0; k + 1 < corners.length; ++k) {
    const high = corners[k]!.expected_return;
    const low = corners[k + 1]!.expected_return;
    if (expected_return > high) return k;
    if (expected_return >= low) return high === low ? k : k + (high - expected_return) / (high - low);
  }
  return corners.length - 1;
}

/** The most return that the frontier has at a volatility; null below its least. */
export function best_at_volatility(estimate: Estimate, corners: Corner[], volatility: number): number | null {
  const last = corners.length - 1;
  const risk = (place: number) => figures_of(estimate, at_place(corners, place).weights).volatility;
  if (volatility < risk(last) * (1 - 1e-12)) return null;
  if (volatility >= risk(0)) return corners[0]!.expected_return;
  let [near, far] = [0, last]; // risk falls along the corners
  for (let step = 0; step < 80; ++step) {
    const middle = (near + far) / 2;
    if (risk(middle) > volatility) near = middle;
    else far = middle;
  }
  return at_place(corners, far).expected_return;
}

/** The rows of returns that begin and end within some days (counted since 1970). */
export function rows_within(returns: Returns, from: number | null, to: number | null): number[] {
  const day = (text: string) => Math.round(Date.parse(text) / 86_400_000);
  return returns.days.flatMap((text, t) =>
    (from === null || day(t === 0 ? returns.start : returns.days[t - 1]!) >= from) && (to === null || day(text) <= to) ? [t] : []);
}

/** Of the assets' returns on some rows: all pairs, row by row; null where one never moves. */
export function correlations(returns: Returns, rows: number[]): (number | null)[] {
  const count = returns.assets.length;
  const periods = rows.reduce((sum, t) => sum + returns.spans[t]!, 0);
  const columns = returns.assets.map((_, i) => {
    const mean = rows.reduce((sum, t) => sum + returns.returns[t]![i]!, 0) / periods;
    const off = rows.map((t) => returns.returns[t]![i]! - returns.spans[t]! * mean);
    const size = Math.sqrt(off.reduce((sum, x) => sum + x * x, 0));
    return size > 1e-14 ? off.map((x) => x / size) : null;
  });
  const all: (number | null)[] = [];
  for (let i = 0; i < count; ++i) {
    for (let j = 0; j < count; ++j) {
      const [a, b] = [columns[i], columns[j]];
      all.push(i === j ? 1 : a && b ? Math.max(-1, Math.min(1, a.reduce((sum, x, t) => sum + x * b[t]!, 0))) : null);
    }
  }
  return all;
}

/** The 95% interval of a correlation of so many returns (Fisher). */
export function fisher_interval(r: number, count: number): [number, number] | null {
  if (count < 4) return null;
  const [middle, half] = [Math.atanh(Math.max(-1 + 1e-15, Math.min(1 - 1e-15, r))), 1.959963984540054 / Math.sqrt(count - 3)];
  return [Math.tanh(middle - half), Math.tanh(middle + half)];
}

/** The frontier as a line to draw: so many places from each corner on to the next, as volatility bends between them. */
export function line_of(estimate: Estimate, corners: Corner[], between: number): { volatility: number; expected_return: number }[] {
  const position = new Map(estimate.assets.map((asset, i) => [asset, i]));
  const held = between > 1 ? corners.map(({ weights }) => Object.entries(weights).map(([asset, weight]) => ({ at: position.get(asset)!, weight }))) : [];
  const line = [];
  for (let k = 0; k + 1 < corners.length; ++k) {
    const [a, b] = [corners[k]!, corners[k + 1]!];
    let both = 0; // the covariance of the two, over what they hold
    for (const { at, weight } of between > 1 ? held[k]! : []) {
      const row = estimate.covariance[at]!;
      let sum = 0;
      for (const other of held[k + 1]!) sum += row[other.at]! * other.weight;
      both += weight * sum;
    }
    for (let step = 0; step < between; ++step) {
      const share = step / between;
      const variance = (1 - share) ** 2 * a.volatility ** 2 + 2 * share * (1 - share) * both + share ** 2 * b.volatility ** 2;
      line.push({ volatility: Math.sqrt(Math.max(0, variance)), expected_return: a.expected_return + share * (b.expected_return - a.expected_return) });
    }
  }
  const { volatility, expected_return } = corners.at(-1)!;
  return [...line, { volatility, expected_return }];
}

/** Half the sum of what weights change by, cash included. */
export function turnover(from: Weights, to: Weights): number {
  let sum = 0;
  let cash = 0;
  for (const asset of new Set([...Object.keys(from), ...Object.keys(to)])) {
    const change = (to[asset] ?? 0) - (from[asset] ?? 0);
    sum += Math.abs(change);
    cash -= change;
  }
  return (sum + Math.abs(cash)) / 2;
}
