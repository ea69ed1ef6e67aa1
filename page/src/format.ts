// Figures as people read them: percent with two decimals, thousands apart, days as YYYY-MM-DD, no scientific notation.

import type { Scale } from "./data";

const plain = (figure: number, decimals: number) => {
  const text = figure.toFixed(decimals);
  return Number(text) === 0 ? text.replace("-", "") : text;
};

export const percent = (figure: number, decimals = 2) => plain(100 * figure, decimals) + "%";

export const ratio = (figure: number) => plain(figure, 2);

/** So many points, with its sign. */
export const points = (figure: number) => (figure >= 0 ? "+" : "") + plain(100 * figure, 2) + " points";

/** A hundredth of a point, with its sign. */
export const basis_points = (figure: number) => (figure > 0 ? "+" : "") + plain(10_000 * figure, 2) + " bp";

export const day = (days: number) => new Date(days * 86_400_000).toISOString().slice(0, 10);

export function number(figure: number): string {
  const size = Math.abs(figure);
  const decimals = size >= 1000 ? 0 : size >= 100 ? 1 : size >= 1 ? 2 : 3;
  const [whole, rest] = plain(figure, decimals).split(".");
  const apart = whole!.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  return rest === undefined ? apart : `${apart}.${rest}`;
}

/** As `number`, and three figures of what is below 0.1: for prices and units. */
export function fine(figure: number): string {
  const size = Math.abs(figure);
  return size < 0.1 && size >= 1e-12 ? plain(figure, 2 - Math.floor(Math.log10(size))) : number(figure);
}

/** To the unit, thousands apart; below a thousand to the hundredth, if it has any. */
export const money = (figure: number) => plain(figure, Math.abs(figure) < 1000 && Math.abs(figure - Math.round(figure)) >= 0.005 ? 2 : 0).replace(/\B(?=(\d{3})+(?!\d))/g, ",");

export function by_scale(figure: number | null | undefined, scale: Scale): string {
  if (figure === null || figure === undefined || !Number.isFinite(figure)) return "-";
  if (scale === "percent") return percent(figure);
  return scale === "day" ? day(figure) : number(figure);
}

/** Even steps between two figures, at round ones. */
export function round_steps(low: number, high: number, about: number): number[] {
  const raw = (high - low) / about;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((k) => k * power).find((k) => k >= raw)!;
  const steps = [];
  for (let at = Math.ceil(low / step) * step; at <= high + step * 1e-9; at += step) steps.push(at);
  return steps;
}
