// What stands beside the mark on the frontier: weights, orders that lead there, limits that bind.

import type { Binding, Trading, Weights } from "./data";
import { button, element } from "./dom";
import { gains_of } from "./figures";
import { basis_points, fine, money, percent, points } from "./format";
import { orders_to } from "./orders";
import { current, toggle } from "./state";

/** What leads there from what is held now. */
export function orders_view(trading: Trading, weights: Weights, currency: string): HTMLElement {
  const { orders, cost, wealth_after, cash_after, scaled, shrunk, shortfall } = orders_to(trading, weights);
  const box = element("div", {}, element("h3", {}, "Orders that lead here from what is held"));
  if (orders.length === 0) {
    box.append(element("p", { class: "quiet" }, "None: it is held already, or nothing is as large as the smallest order."));
    return box;
  }
  const figure = (text: string) => element("td", { class: "figure" }, text);
  const rows = orders.map((one) => element("tr", {}, element("th", { scope: "row" }, one.asset), element("td", {}, one.value > 0 ? "buy" : "sell"),
    figure(money(Math.abs(one.value))), figure((Number.isInteger(one.units) ? money : fine)(Math.abs(one.units))), figure(fine(one.price)), figure(money(one.cost))));
  const days = [...new Set(orders.map((one) => one.price_day))].sort();
  const head = ["Asset", "", "Value", "Units", "Price", "Cost"].map((name, k) => element("th", k > 1 ? { class: "figure", scope: "col" } : { scope: "col" }, name));
  box.append(
    element("p", {}, `They cost ${money(cost)}${currency === "" ? "" : ` ${currency}`}, ${basis_points(cost / trading.wealth).replace("+", "")} of ${money(trading.wealth)}; ${money(wealth_after)} is left, ${money(cash_after)} of it cash.`),
    element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": "Orders from what is held" }, element("table", {}, element("thead", {}, element("tr", {}, ...head)), element("tbody", {}, ...rows))),
    element("p", { class: "quiet" }, `At prices of ${days.length === 1 ? days[0] : `${days[0]} to ${days.at(-1)}`}.${trading.in_lots ? " Units are whole lots." : ""}`));
  if (scaled < 1) box.append(element("p", {}, `The weights leave less than the floor of cash; they go to ${percent(scaled)} of what they are, in proportion.`));
  if (shrunk < 1) box.append(element("p", {}, `Purchases are ${percent(shrunk)} of what the weights ask for, as cash would not last.`));
  if (shortfall > 1e-9 * trading.wealth) box.append(element("p", {}, `Cash ends ${money(shortfall)} below its floor: nothing is bought that could be less.`));
  return box;
}

/** What binds, dearest first, and what a point more room in it would bring. */
export function limits_view(binding: Binding[], lambda: number, volatility: number): HTMLElement {
  const box = element("div", { class: "binding" }, element("h3", {}, "Limits that bind here"));
  if (binding.length === 0) {
    box.append(element("p", { class: "quiet" }, "None that has a name."));
    return box;
  }
  const rows = [...binding].sort((a, b) => Math.abs(b.multiplier) - Math.abs(a.multiplier)).map((one) => {
    const gains = gains_of(one, lambda, volatility);
    const way = one.equality ? (one.multiplier < 0 ? " (raised)" : " (lowered)") : "";
    const figure = (text: string) => element("td", { class: "figure" }, text);
    return element("tr", {}, element("th", { scope: "row" }, one.limit + (one.per_unit ? ", a unit" : "") + way),
      figure(gains.volatility === null ? "-" : basis_points(-gains.volatility)), figure(gains.expected_return === null ? "-" : basis_points(gains.expected_return)));
  });
  box.append(element("table", {},
    element("thead", {}, element("tr", {}, element("th", {}, "A point more room in"), element("th", { class: "figure" }, "risk, same return"), element("th", { class: "figure" }, "return, same risk"))),
    element("tbody", {}, ...rows)));
  return box;
}

/** Weights as bars, the largest first; those of another portfolio as outlines. */
export function weight_bars(weights: Weights, beside: Weights | null): HTMLElement {
  const names = [...new Set([...Object.keys(weights), ...Object.keys(beside ?? {})])];
  names.sort((a, b) => (weights[b] ?? 0) - (weights[a] ?? 0) || a.localeCompare(b));
  const cash = 1 - Object.values(weights).reduce((sum, w) => sum + w, 0);
  const most = Math.max(...names.map((name) => Math.max(Math.abs(weights[name] ?? 0), Math.abs(beside?.[name] ?? 0))), 0.01);
  const bars = element("div", { class: "bars" });
  for (const name of names) {
    const weight = weights[name] ?? 0;
    const bar = element("i", { class: weight < 0 ? "short" : "" });
    bar.style.width = `${(100 * Math.abs(weight)) / most}%`;
    const track = element("span", { class: "track" }, bar);
    if (beside) {
      const other = element("i", { class: "other" });
      other.style.width = `${(100 * Math.abs(beside[name] ?? 0)) / most}%`;
      track.append(other);
    }
    const change_text = beside ? points(weight - (beside[name] ?? 0)).replace(" points", "") : "";
    const row = element("div", { class: current().picked.has(name) ? "bar picked" : "bar" }, button(name, `Pick ${name}`, () => toggle(name)), track,
      element("b", {}, percent(weight)), element("span", { class: "quiet" }, change_text));
    bars.append(row);
  }
  if (Math.abs(cash) > 5e-5) bars.append(element("p", { class: "quiet" }, `${percent(cash)} in cash`));
  return bars;
}
