// The figures of a portfolio: what the page computes itself, beside what the tool has computed.

import type { Corner, Estimate, Weights } from "./data";

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
  binding: { limit: string; multiplier: number }[];
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
  const limits = new Map<string, number>();
  const add = (corner: Corner, part: number) => {
    for (const { limit, multiplier } of corner.binding) limits.set(limit, (limits.get(limit) ?? 0) + part * multiplier);
  };
  add(a, 1 - share);
  add(b, share);
  const binding = [...limits].map(([limit, multiplier]) => ({ limit, multiplier })).filter((b) => b.multiplier !== 0);
  return { weights, expected_return: between(a.expected_return, b.expected_return), binding };
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

/** The frontier as a line to draw: its corners, and so many more places between each two, as volatility bends there. */
export function line_of(estimate: Estimate, corners: Corner[], between: number): { volatility: number; expected_return: number }[] {
  const position = new Map(estimate.assets.map((asset, i) => [asset, i]));
  const held = corners.map(({ weights }) => Object.entries(weights).map(([asset, weight]) => ({ at: position.get(asset)!, weight })));
  const line = [];
  for (let k = 0; k + 1 < corners.length; ++k) {
    const [a, b] = [corners[k]!, corners[k + 1]!];
    let both = 0; // the covariance of the two, over what they hold
    for (const { at, weight } of held[k]!) {
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
