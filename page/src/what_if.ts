// Weights to type: what they would come to, beside the best at the same risk.

import type { Portfolio, Study, Weights } from "./data";
import { button, element } from "./dom";
import { at_place, best_at_volatility, type Broken, broken_limits, figures_of, tracking_error } from "./figures";
import { percent, points } from "./format";
import { current } from "./state";

/** A weight as people type it: 12, 12.5 or 12.5%; null for anything else. */
export function read_weight(text: string): number | null {
  const plain = text.trim().replace(/\s*%$/, "").replace(",", ".");
  if (plain === "") return 0;
  return /^-?\d+(\.\d*)?$/.test(plain) ? Number(plain) / 100 : null;
}

/** Dragging by so many pixels moves a weight by a tenth of a point. */
const pixels_a_step = 3;
const written = (weight: number) => ((100 * weight) || 0).toFixed(2).replace(/\.?0+$/, "").replace(/^-0$/, "0");

export function what_if(study: Study): HTMLElement {
  const fields = new Map<string, HTMLInputElement>();
  const answer = element("div", { class: "answer", "aria-live": "polite" });
  const rows = element("div", { class: "fields" });
  const risk = new Map<string, HTMLElement>();
  let room: Portfolio["room"] | null = null; // of the portfolio that it began with
  for (const asset of study.estimate.assets) {
    const field = element("input", { type: "text", inputmode: "decimal", "aria-label": `Weight of ${asset} in percent` });
    const share = element("span", { class: "quiet figure" });
    field.addEventListener("input", () => show());
    const name = element("span", { class: "drag", title: `Drag sideways to move the weight of ${asset}` }, asset);
    const move = (by: number) => {
      field.value = written((read_weight(field.value) ?? 0) + by);
      show();
    };
    field.addEventListener("keydown", (event) => {
      const way = event.key === "ArrowUp" ? 1 : event.key === "ArrowDown" ? -1 : 0;
      if (way === 0) return;
      event.preventDefault();
      move(way * (event.shiftKey ? 0.001 : 0.005));
    });
    let at = 0;
    name.addEventListener("pointerdown", (event) => {
      name.setPointerCapture(event.pointerId);
      at = event.clientX;
    });
    name.addEventListener("pointermove", (event) => {
      const steps = Math.trunc((event.clientX - at) / pixels_a_step);
      if (!name.hasPointerCapture(event.pointerId) || steps === 0) return;
      at += steps * pixels_a_step;
      move(0.001 * steps);
    });
    fields.set(asset, field);
    risk.set(asset, share);
    rows.append(element("label", {}, name, field, "%", share));
  }
  const fill = (weights: Weights, from: Portfolio["room"] | null = null) => {
    room = from;
    for (const [asset, field] of fields) field.value = written(weights[asset] ?? 0);
    show();
  };
  const show = () => {
    const weights: Weights = {};
    const wrong: string[] = [];
    for (const [asset, field] of fields) {
      const weight = read_weight(field.value);
      field.setAttribute("aria-invalid", String(weight === null));
      if (weight === null) wrong.push(asset);
      else if (weight !== 0) weights[asset] = weight;
    }
    if (wrong.length > 0) {
      answer.replaceChildren(element("p", { class: "problem" }, `${wrong.join(", ")}: not a weight. Type a figure like 12.5`));
      return;
    }
    const figures = figures_of(study.estimate, weights);
    const broken = study.bounds ? broken_limits(study.bounds, study.estimate, weights, study.benchmark_risk) : [];
    study.estimate.assets.forEach((asset, i) => {
      const range = room?.[asset];
      const told = range && range[1] - range[0] > 5e-5 ? `, room ${percent(range[0], 1)} to ${percent(range[1], 1)}` : "";
      risk.get(asset)!.textContent = percent(figures.risk_shares[i]!, 1) + " of risk" + told;
      fields.get(asset)!.classList.toggle("breaks", broken.some((one) => one.about === asset));
    });
    const best = best_at_volatility(study.estimate, study.corners, figures.volatility);
    const off = best === null ? null : best - figures.expected_return;
    answer.replaceChildren(
      element("p", { class: "headline" }, element("b", { class: "sum" }, percent(figures.sum)), " in all: ", element("b", { class: "return" }, percent(figures.expected_return)), " expected, ",
        element("b", { class: "volatility" }, percent(figures.volatility)), " volatility, Sharpe ", element("b", { class: "sharpe" }, figures.sharpe === null ? "-" : figures.sharpe.toFixed(2)),
        ...(study.benchmark_risk ? [", ", element("b", { class: "tracking" }, percent(tracking_error(study.estimate, study.benchmark_risk, weights))), ` tracking error to ${study.benchmark}`] : [])),
      element("p", {}, sentence(off)),
      limits_kept(broken),
      element("p", { class: "quiet" }, cash(1 - figures.sum) + (has_room() && study.room_for !== null
        ? `Room: how far a weight can move, the others following, for ${points(study.room_for).slice(1)} less return at no more risk than the portfolio it began with.` : "")),
    );
  };
  const has_room = () => Object.values(room ?? {}).some((range) => range && range[1] - range[0] > 5e-5);
  const limits_kept = (broken: Broken[]) => {
    if (!study.bounds) return element("p");
    if (broken.length === 0) return element("p", { class: "kept" }, "All limits are kept.");
    const said = broken.map(({ limit, about, by, plain }) => {
      const what = about === "" || about === limit ? limit : `${limit} (${about})`;
      return element("li", {}, `${what}: off by ${plain ? by.toFixed(0) : points(by).slice(1)}`);
    });
    return element("div", { class: "problem" }, "Limits that are not kept:", element("ul", {}, ...said));
  };
  const cash = (left: number) => {
    const rate = `at the risk-free ${percent(study.estimate.risk_free)}`;
    if (Math.abs(left) <= 5e-5) return "";
    return left > 0 ? `${percent(left)} is left in cash, ${rate}. ` : `${percent(-left)} is borrowed, ${rate}. `;
  };
  const sentence = (off: number | null) => {
    if (off === null) return "Less risk than any portfolio on the frontier has.";
    if (off > 5e-5) return `${points(off).slice(1)} of return short of the best at this risk that keeps the limits.`;
    if (off < -5e-5) return `${points(-off).slice(1)} above the best at this risk that keeps the limits: some limit is not kept.`;
    return "As much return as the best at this risk that keeps the limits.";
  };
  const starts = element("div", { class: "tools" },
    ...study.portfolios.map((one) => button(one.name, `Start from ${one.name}`, () => fill(one.weights, one.room))),
    button("From the mark", "Start from the portfolio at the mark on the frontier", () => fill(at_place(study.corners, current().mark).weights)),
    button("Equal", "Start from the same weight in each", () => fill(Object.fromEntries(study.estimate.assets.map((a) => [a, 1 / study.estimate.assets.length])))));
  const first = study.portfolios[0];
  fill(first?.weights ?? at_place(study.corners, 0).weights, first?.room);
  return element("div", { class: "what-if", id: "what-if" }, element("h3", {}, "What if: weights to type"), starts, rows, answer);
}
