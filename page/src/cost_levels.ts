// Schedules at any level of trading costs: how they grow, and what staying near the targets costs.

import type { CostLevels } from "./data";
import { element, svg } from "./dom";
import { percent, points, ratio, round_steps } from "./format";
import { change, current, listen } from "./state";

const [width, height] = [900, 300];
const margin = { left: 66, right: 20, top: 14, bottom: 46 };
/** Schedules that trade alike grow alike, but for this. */
const rounding_of_growth = 1e-12;

/** The level that is nearest to one that was asked for. */
export function nearest_level(levels: number[], wanted: number): number {
  let at = 0;
  levels.forEach((level, k) => Math.abs(level - wanted) < Math.abs(levels[at]! - wanted) && (at = k));
  return at;
}

/** Which schedules have neither less drift nor less cost in another, the least drift first. */
export function unbeaten(drift: (number | null)[], cost: (number | null)[]): number[] {
  const known = drift.flatMap((one, k) => (one === null || cost[k] === null ? [] : [k]));
  known.sort((a, b) => drift[a]! - drift[b]! || cost[a]! - cost[b]!);
  const kept: number[] = [];
  for (const k of known) if (kept.length === 0 || cost[k]! < cost[kept.at(-1)!]!) kept.push(k);
  return kept;
}

/** "more than yearly below 0.83 times", of a schedule. */
function changes_of(levels: CostLevels, schedule: string): string {
  const at = levels.break_evens.filter((one) => one.schedule === schedule);
  const times = (low: number, high: number) => (high - low < 0.01 ? low.toFixed(2) : `${low.toFixed(2)} to ${high.toFixed(2)}`);
  return at.map(({ low, high, better_below }) => `more ${better_below ? "below" : "above"} ${times(low, high)} times`).join(", ");
}

export function cost_levels_view(levels: CostLevels): HTMLElement {
  const slider = element("input", { type: "range", min: "0", max: String(levels.levels.length - 1), step: "1", "aria-label": "Level of trading costs" });
  const said = element("p", { class: "sentence", "aria-live": "polite" });
  const rows = element("tbody");
  const picture = svg("svg", { viewBox: `0 0 ${width} ${height}`, class: "drift", role: "img" });
  slider.addEventListener("input", () => change({ level: levels.levels[Number(slider.value)]! }));

  const show = () => {
    const at = nearest_level(levels.levels, current().level);
    const times = levels.levels[at]!;
    slider.value = String(at);
    slider.setAttribute("aria-valuetext", `${times.toFixed(2)} times the study's`);
    const of = (figures: Record<string, (number | null)[]>) => levels.schedules.map((name) => figures[name]![at] ?? null);
    const growth = of(levels.growth);
    const known = growth.map((figure) => figure ?? -Infinity);
    const highest = Math.max(...known);
    const shares = (k: number) => known[k]! >= highest - rounding_of_growth; // of those that are the same the first leads, as everywhere
    const order = levels.schedules.map((_, k) => k).sort((a, b) => (shares(a) && shares(b) ? 0 : known[b]! - known[a]!));
    const base = growth[levels.schedules.indexOf(levels.baseline)]!;
    const best = order[0]!;
    const against = base === null || levels.schedules[best] === levels.baseline ? "" : `, ${points(growth[best]! - base)} beside ${levels.baseline}`;
    said.textContent = growth[best] === null ? "No schedule can pay so much."
      : `At ${times.toFixed(2)} times the study's trading costs ${levels.schedules[best]} grows most: ${percent(growth[best]!)} a year${against}.`;
    const columns = [growth, of(levels.volatility), of(levels.sharpe), of(levels.max_drawdown), of(levels.cost_per_year), of(levels.tracking_to_targets)];
    rows.replaceChildren(...order.map((k) => element("tr", {}, element("th", { scope: "row" }, levels.schedules[k]!),
      ...columns.map((figures, c) => element("td", { class: "figure" }, figures[k] === null ? "-" : c === 2 ? ratio(figures[k]!) : percent(figures[k]!))),
      element("td", { class: "figure" }, base === null || growth[k] === null || levels.schedules[k] === levels.baseline ? "" : points(growth[k]! - base).replace(" points", "")),
      element("td", {}, changes_of(levels, levels.schedules[k]!)))));
    draw(picture, levels, of(levels.tracking_to_targets), of(levels.cost_per_year));
  };
  listen(["level"], show);
  show();
  const heads = ["Schedule", "Growth", "Volatility", "Sharpe", "Drawdown", "Cost a year", "Off targets", `Beside ${levels.baseline}`, `Grows more than ${levels.baseline}`];
  const table = element("table", {}, element("thead", {}, element("tr", {}, ...heads.map((head, k) => element("th", k > 0 && k < 8 ? { class: "figure" } : {}, head)))), rows);
  return element("div", { class: "cost-levels", id: "cost-levels" }, element("h3", {}, `What if trading cost more, or less: ${levels.aim}`), said,
    element("div", { class: "along" }, "Free", slider, `${levels.levels.at(-1)!} times`),
    picture, element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": "Schedules at this level of costs" }, table));
}

/** Drift risk against cost per year: those that none beats in both are joined. */
function draw(picture: SVGElement, levels: CostLevels, drift: (number | null)[], cost: (number | null)[]): void {
  const known = levels.schedules.map((_, k) => k).filter((k) => drift[k] !== null && cost[k] !== null);
  const most = (figures: (number | null)[]) => Math.max(...known.map((k) => figures[k]!), 1e-4) * 1.12;
  const [far, high] = [most(drift), most(cost)];
  const x = (at: number) => margin.left + (at / far) * (width - margin.left - margin.right);
  const y = (at: number) => height - margin.bottom - (at / high) * (height - margin.top - margin.bottom);
  picture.replaceChildren();
  const [up, across] = [round_steps(0, high, 5), round_steps(0, far, 6)];
  const decimals = (steps: number[]) => Math.max(0, -Math.floor(Math.log10(100 * steps[1]! + 1e-12)));
  for (const at of up) {
    picture.append(svg("line", { x1: margin.left, x2: width - margin.right, y1: y(at), y2: y(at), class: "rule" }),
      svg("text", { x: margin.left - 6, y: y(at) + 4, class: "tick end" }, percent(at, decimals(up))));
  }
  for (const at of across) picture.append(svg("text", { x: x(at), y: height - margin.bottom + 18, class: "tick middle" }, percent(at, decimals(across))));
  picture.append(svg("text", { x: (width + margin.left) / 2, y: height - 8, class: "title middle" }, "off its targets, tracking error per year"),
    svg("text", { x: 14, y: height / 2, class: "title middle", transform: `rotate(-90 14 ${height / 2})` }, "cost per year"));
  const joined = unbeaten(drift, cost);
  picture.append(svg("polyline", { points: joined.map((k) => `${x(drift[k]!)},${y(cost[k]!)}`).join(" "), class: "unbeaten" }));
  const taken: { middle: number; long: number; y: number }[] = [];
  for (const k of [...known].sort((a, b) => cost[b]! - cost[a]!)) {
    const name = levels.schedules[k]!;
    const [right, down] = [x(drift[k]!), y(cost[k]!)];
    const long = 6.4 * name.length;
    const middle = Math.min(right, width - long / 2);
    let label = down - 9; // above the point, and above labels that it would lie on
    while (taken.some((one) => Math.abs(one.middle - middle) < (one.long + long) / 2 && Math.abs(one.y - label) < 12)) label -= 2;
    taken.push({ middle, long, y: label });
    picture.append(svg("circle", { cx: right, cy: down, r: 4.5, class: joined.includes(k) ? "run best" : "run" }),
      svg("text", { x: middle, y: label, class: "middle" }, name));
  }
  picture.setAttribute("aria-label", "Drift risk against cost per year. " + known.map((k) => `${levels.schedules[k]}: ${percent(drift[k]!)} off its targets at ${percent(cost[k]!)} a year`).join("; ") + ".");
}
