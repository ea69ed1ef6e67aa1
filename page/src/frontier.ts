// The frontier with a mark that moves along it: what the portfolio there is made of, at once and exactly.

import { limits_view, orders_view, weight_bars } from "./at_mark";
import type { Corner, Drawn, Study, Weights } from "./data";
import { button, element, svg } from "./dom";
import { at_place, figures_of, line_of, place_of_return, turnover } from "./figures";
import { percent, points, round_steps } from "./format";
import { change, current, listen, toggle } from "./state";

/** Beyond so many assets their dots go without names; the name is at the pointer. */
const most_labelled = 60;
type Line = { volatility: number; expected_return: number }[];
const moving_ms = 250;
/** More would lie nearer to each other than a pixel. */
const points_of_a_curve = 600;
const [width, height] = [620, 430];
const margin = { left: 62, right: 16, top: 14, bottom: 46 };

export class FrontierView {
  readonly box: HTMLElement;
  private readonly picture = svg("svg", { viewBox: `0 0 ${width} ${height}`, class: "frontier", role: "slider", tabindex: 0 });
  private readonly side = element("div", { class: "at-mark" });
  private readonly mark = svg("circle", { r: 7, class: "mark" });
  private readonly pinned = svg("circle", { r: 6, class: "pin" });
  private low: [number, number] = [0, 0]; // of the axes
  private high: [number, number] = [0, 0];
  private is_close = false;

  private readonly assets: { asset: string; x: number; y: number; dot?: SVGElement; name?: SVGElement | null }[]; // the highest return first

  private readonly study: Study;
  private readonly curve = svg("polyline", { class: "curve" });
  private readonly lines = svg("g", {});
  private readonly slider = element("input", { type: "range", min: "0", max: "1000", step: "1", "aria-label": "Along the frontier, by return" });
  private readonly about = element("p", { class: "quiet" });
  private readonly orders = element("div", { class: "orders" });
  private readonly choices = element("span", { class: "tools" });
  private last: number;
  private before: Corner[] | null = null; // the frontier before this one: a faint line

  constructor(study: Study) {
    this.study = { ...study }; // as it is now: it is told of a later one
    const { corners, estimate } = this.study;
    this.last = corners.length - 1;
    this.assets = estimate.assets.map((asset, i) => ({ asset, x: Math.sqrt(estimate.covariance[i]![i]!), y: estimate.expected_return[i]! }));
    this.assets.sort((a, b) => b.y - a.y);
    this.make_dots();
    this.draw();
    this.slider.addEventListener("input", () => this.go_to_return(this.return_at(Number(this.slider.value) / 1000)));
    this.offer();
    const tools = element("div", { class: "along" }, "Least risk", this.slider, "Most return");
    const pins = element("div", { class: "tools" }, this.choices,
      button("Pin this", "Keep this portfolio to compare others with", () => change({ pin: current().mark })),
      button("Take the pin off", "Compare no more", () => change({ pin: null })));
    const closer = button("Closer", "The frontier alone, or all assets beside it", () => {
      this.is_close = !this.is_close;
      closer.textContent = this.is_close ? "All assets" : "Closer";
      this.draw();
      this.show();
    });
    pins.append(closer);
    this.box = element("div", { class: "frontier-view" }, element("div", {}, this.picture, this.about, tools, pins, this.orders), this.side);
    this.listen_to_hands();
    listen(["mark", "pin", "picked"], () => this.show());
    this.show();
  }

  /** The frontier under other limits: it moves from the one before, and the mark stays at its return. */
  renew(corners: Corner[]): void {
    const at = at_place(this.study.corners, current().mark).expected_return;
    this.before = this.study.corners;
    this.study.corners = corners;
    this.study.portfolios = []; // those of the old one say nothing of it
    this.study.sensitivity = null;
    this.choices.replaceChildren();
    this.last = corners.length - 1;
    const [low, high] = [this.low, this.high];
    this.scale();
    if ([0, 1].every((k) => low[k] === this.low[k] && high[k] === this.high[k])) this.draw_lines();
    else this.draw();
    this.move();
    change({ mark: place_of_return(corners, at), pin: current().pin === "held" ? "held" : null });
  }

  /** Portfolios that lie on it, to go to. */
  offer(portfolios = this.study.portfolios, trading = this.study.trading): void {
    this.study.portfolios = portfolios;
    this.study.trading = trading;
    this.draw_lines();
    const held = portfolios.some((one) => one.name === "current");
    this.choices.replaceChildren(...(held ? [button("Pin what is held", "Compare with the weights held now, and see what would be traded", () => change({ pin: "held" }))] : []), ...portfolios
      .map((one) => ({ one, place: this.place_of(one.weights) }))
      .filter(({ place }) => place !== null)
      .map(({ one, place }) => button(one.name, `Go to ${one.name}`, () => change({ mark: place! }))));
    if (current().pin === "held") this.show(); // it is compared with what came with them
  }

  /** Where on the frontier a portfolio stands; null where it isn't on it. */
  private place_of(weights: Weights): number | null {
    const { corners, estimate } = this.study;
    const place = place_of_return(corners, figures_of(estimate, weights).expected_return);
    return turnover(at_place(corners, place).weights, weights) < 1e-6 ? place : null;
  }

  private x = (risk: number) => margin.left + ((risk - this.low[0]) / (this.high[0] - this.low[0])) * (width - margin.left - margin.right);
  private y = (gain: number) => height - margin.bottom - ((gain - this.low[1]) / (this.high[1] - this.low[1])) * (height - margin.top - margin.bottom);

  private return_at(share: number): number {
    const { corners } = this.study;
    const [top, bottom] = [corners[0]!.expected_return, corners[this.last]!.expected_return];
    return bottom + share * (top - bottom);
  }

  private go_to_return(gain: number): void {
    change({ mark: place_of_return(this.study.corners, gain) });
  }

  /** Room for the frontier, and for all assets where they are not left out. */
  private scale(): void {
    const { corners } = this.study;
    const beside = this.is_close ? [] : this.assets;
    const all = [...corners, ...(this.before ?? [])];
    const xs = [...beside.map((a) => a.x), ...all.map((c) => c.volatility)];
    const ys = [...beside.map((a) => a.y), ...all.map((c) => c.expected_return)];
    const room = Math.max((Math.max(...ys) - Math.min(...ys)) * 0.06, 1e-4);
    const left = this.is_close ? Math.min(...xs) : 0;
    const across = Math.max((Math.max(...xs) - left) * 0.08, 1e-4);
    this.low = this.is_close ? [left - across, Math.min(...ys) - room] : [0, Math.min(...ys, 0) - room];
    this.high = [Math.max(...xs) + across, Math.max(...ys) + room];
  }

  private draw(): void {
    this.scale();
    this.picture.replaceChildren();
    for (const at of round_steps(this.low[1], this.high[1], 6)) {
      this.picture.append(svg("line", { x1: margin.left, x2: width - margin.right, y1: this.y(at), y2: this.y(at), class: "rule" }));
      this.picture.append(svg("text", { x: margin.left - 8, y: this.y(at) + 4, class: "tick end" }, percent(at, this.is_close ? 1 : 0)));
    }
    for (const at of round_steps(this.low[0], this.high[0], 7)) {
      this.picture.append(svg("text", { x: this.x(at), y: height - margin.bottom + 18, class: "tick middle" }, percent(at, this.is_close ? 1 : 0)));
    }
    this.picture.append(svg("text", { x: (width + margin.left) / 2, y: height - 8, class: "title middle" }, "volatility, % per year"));
    this.picture.append(svg("text", { x: 14, y: height / 2, class: "title middle", transform: `rotate(-90 14 ${height / 2})` }, "expected return, % per year"));
    this.place_dots();
    this.picture.append(this.dots, this.lines);
    this.draw_lines();
    this.picture.append(this.pinned, this.mark);
  }

  /** Dots and their names, made once. */
  private readonly dots = svg("g", {});
  private make_dots(): void {
    const many = this.assets.length > most_labelled;
    for (const one of this.assets) {
      const { asset, x, y } = one;
      one.name = many ? null : svg("text", {}, asset);
      one.dot = svg("g", { class: "asset" });
      one.dot.append(svg("circle", { r: many ? 2.5 : 4 }), ...(one.name ? [one.name] : []), svg("title", {}, `${asset}: ${percent(y)} at ${percent(x)}`));
      one.dot.addEventListener("click", () => toggle(asset));
      one.dot.dataset["asset"] = asset;
      this.dots.append(one.dot);
    }
  }

  private place_dots(): void {
    const taken = this.assets.map((one) => ({ left: this.x(one.x) - 5, right: this.x(one.x) + 5, y: this.y(one.y) + 4 }));
    for (const { asset, x, y, dot, name } of this.assets) {
      const inside = x <= this.high[0] && x >= this.low[0] && y <= this.high[1] && y >= this.low[1];
      dot!.classList.toggle("gone", !inside);
      dot!.setAttribute("transform", `translate(${this.x(x)} ${this.y(y)})`);
      if (!inside || !name) continue;
      const long = 7.2 * asset.length;
      const at_left = this.x(x) + 12 + long > width;
      const left = at_left ? this.x(x) - 7 - long : this.x(x) + 7;
      let label = this.y(y) + 4; // below the labels that it would lie on
      while (taken.some((one) => one.left < left + long && left < one.right && Math.abs(one.y - label) < 12)) label += 2;
      taken.push({ left, right: left + long, y: label });
      name.setAttribute("x", at_left ? "-7" : "7");
      name.setAttribute("y", String(label - this.y(y)));
      name.setAttribute("class", at_left ? "end" : "");
    }
  }

  /** What draws of the history promise. */
  shade(drawn: Drawn | null): void {
    this.study.sensitivity = drawn;
    this.draw_lines();
  }

  private draw_band(): void {
    const drawn = this.study.sensitivity;
    const points = drawn?.frontier.filter(({ volatility }) => volatility >= this.low[0] && volatility <= this.high[0]) ?? [];
    this.about.textContent = "";
    if (!drawn || points.length < 2) return;
    const within = (gain: number) => this.y(Math.min(this.high[1], Math.max(this.low[1], gain))).toFixed(2);
    const edge = (of: "low" | "high") => points.map((at) => `${this.x(at.volatility).toFixed(2)},${within(at[of])}`);
    this.lines.append(svg("polygon", { points: [...edge("high"), ...edge("low").reverse()].join(" "), class: "drawn" }));
    this.about.textContent = `Shaded: what 90% of ${drawn.draws} draws of the same history promise at each risk, with the best weights of each draw.`;
  }

  private draw_lines(): void {
    const { corners } = this.study;
    this.lines.replaceChildren();
    this.draw_band();
    if (this.before) this.lines.append(svg("polyline", { points: this.points_of(this.line(this.before)), class: "curve before" }));
    this.curve.setAttribute("points", this.points_of(this.line(corners)));
    this.lines.append(this.curve);
    const best = this.study.portfolios.find((one) => one.name === "maximum-sharpe");
    if (best?.sharpe) { // what cash and the best mix can do together
      const [rate, far] = [this.study.estimate.risk_free, Math.min(this.high[0], (this.high[1] - this.study.estimate.risk_free) / best.sharpe)];
      const line = svg("line", { x1: this.x(Math.max(0, this.low[0])), y1: this.y(rate + best.sharpe * Math.max(0, this.low[0])), x2: this.x(far), y2: this.y(rate + best.sharpe * far), class: "market" });
      line.append(svg("title", {}, `Capital market line from ${percent(rate)}`));
      this.lines.append(line);
    }
    // All dots are one shape: there can be a thousand.
    const dots = corners.map((at) => `M${(this.x(at.volatility) - 2.6).toFixed(2)} ${this.y(at.expected_return).toFixed(2)}a2.6 2.6 0 1 0 5.2 0a2.6 2.6 0 1 0 -5.2 0`);
    this.lines.append(svg("path", { d: dots.join(""), class: "corner" }));
    for (const one of this.study.portfolios) {
      const at = `translate(${this.x(one.volatility)} ${this.y(one.expected_return)}) rotate(45)`;
      const inside = one.volatility <= this.high[0] && one.volatility >= this.low[0] && one.expected_return >= this.low[1] && one.expected_return <= this.high[1];
      if (!inside) continue;
      const mark = svg("rect", { x: -4.5, y: -4.5, width: 9, height: 9, transform: at, class: "chosen" });
      mark.append(svg("title", {}, `${one.name}: ${percent(one.expected_return)} at ${percent(one.volatility)}`));
      this.lines.append(mark);
    }
  }

  private readonly known = new WeakMap<Corner[], Line>();
  private line(corners: Corner[]): Line {
    const known = this.known.get(corners) ?? line_of(this.study.estimate, corners, Math.max(1, Math.min(12, Math.floor(points_of_a_curve / corners.length))));
    this.known.set(corners, known);
    return known;
  }

  private points_of(line: Line): string {
    return line.map((at) => `${this.x(at.volatility).toFixed(2)},${this.y(at.expected_return).toFixed(2)}`).join(" ");
  }

  /** The line goes from where it was to where it is, each part of the returns along its way. */
  private move(): void {
    if (!this.before || matchMedia("(prefers-reduced-motion: reduce)").matches) return;
    const sampled = (corners: Corner[]) => {
      const line = this.line(corners);
      const steps = 80;
      return Array.from({ length: steps + 1 }, (_, k) => line[Math.round((k / steps) * (line.length - 1))]!);
    };
    const [from, to] = [sampled(this.before), sampled(this.study.corners)];
    const ends = this.curve.getAttribute("points")!;
    const begun = performance.now();
    const step = (now: number) => {
      const share = Math.min(1, Math.max(0, now - begun) / moving_ms);
      if (share === 1) return this.curve.setAttribute("points", ends);
      const part = share * (2 - share);
      this.curve.setAttribute("points", this.points_of(to.map((at, k) => ({
        volatility: from[k]!.volatility + part * (at.volatility - from[k]!.volatility),
        expected_return: from[k]!.expected_return + part * (at.expected_return - from[k]!.expected_return),
      }))));
      requestAnimationFrame(step);
    };
    step(begun);
  }

  private listen_to_hands(): void {
    const to_pointer = (event: PointerEvent) => {
      const area = this.picture.getBoundingClientRect();
      const at = height - ((event.clientY - area.top) / area.height) * height;
      const share = (at - margin.bottom) / (height - margin.top - margin.bottom);
      this.go_to_return(this.low[1] + share * (this.high[1] - this.low[1]));
    };
    this.picture.addEventListener("pointerdown", (event) => {
      if ((event.target as Element).closest(".asset")) return;
      this.picture.setPointerCapture(event.pointerId);
      to_pointer(event);
    });
    this.picture.addEventListener("pointermove", (event) => {
      if (this.picture.hasPointerCapture(event.pointerId)) to_pointer(event);
    });
    this.picture.addEventListener("keydown", (event) => {
      const { corners } = this.study;
      const mark = current().mark;
      const step = (corners[0]!.expected_return - corners[this.last]!.expected_return) / (event.shiftKey ? 20 : 200);
      const here = at_place(corners, mark).expected_return;
      const next_corner = Math.min(this.last, Math.floor(mark + 1e-9) + 1);
      const corner_before = Math.max(0, Math.ceil(mark - 1e-9) - 1);
      const moves: Record<string, () => number> = {
        ArrowUp: () => place_of_return(corners, here + step), ArrowRight: () => place_of_return(corners, here + step),
        ArrowDown: () => place_of_return(corners, here - step), ArrowLeft: () => place_of_return(corners, here - step),
        Home: () => 0, End: () => this.last, PageUp: () => corner_before, PageDown: () => next_corner,
      };
      const move = moves[event.key];
      if (!move) return;
      event.preventDefault();
      change({ mark: move() });
    });
  }

  private show(): void {
    const { corners, estimate } = this.study;
    const place = at_place(corners, current().mark);
    const [top, bottom] = [corners[0]!.expected_return, corners[this.last]!.expected_return];
    this.slider.value = String(Math.round((1000 * (place.expected_return - bottom)) / (top - bottom || 1)));
    const figures = figures_of(estimate, place.weights);
    for (const dot of this.picture.querySelectorAll<SVGElement>(".asset")) {
      dot.classList.toggle("faint", current().picked.size > 0 && !current().picked.has(dot.dataset["asset"]!));
    }
    this.mark.setAttribute("cx", String(this.x(figures.volatility)));
    this.mark.setAttribute("cy", String(this.y(figures.expected_return)));
    const spoken = `${percent(figures.expected_return)} at ${percent(figures.volatility)} volatility`;
    for (const [name, value] of [["aria-label", "Portfolio on the frontier"], ["aria-valuenow", figures.expected_return],
      ["aria-valuemin", corners[this.last]!.expected_return], ["aria-valuemax", corners[0]!.expected_return], ["aria-valuetext", spoken]] as const) {
      this.picture.setAttribute(name, String(value));
    }
    const held = this.study.portfolios.find((one) => one.name === "current")?.weights ?? null;
    const pin = current().pin === "held" && !held ? null : current().pin;
    this.pinned.classList.toggle("gone", pin === null);
    let compared: { weights: Weights; figures: ReturnType<typeof figures_of> } | null = null;
    if (pin !== null) {
      const weights = pin === "held" ? held! : at_place(corners, pin).weights;
      compared = { weights, figures: figures_of(estimate, weights) };
      this.pinned.setAttribute("cx", String(this.x(compared.figures.volatility)));
      this.pinned.setAttribute("cy", String(this.y(compared.figures.expected_return)));
    }
    this.side.replaceChildren(
      element("p", { class: "headline" }, element("b", {}, percent(figures.expected_return)), " expected, ", element("b", {}, percent(figures.volatility)),
        " volatility, Sharpe ", element("b", {}, figures.sharpe === null ? "-" : figures.sharpe.toFixed(2))),
      ...(compared ? [element("p", { class: "quiet" }, `Beside ${pin === "held" ? "what is held" : "the pin"}: ${points(figures.expected_return - compared.figures.expected_return)} of return, ${points(figures.volatility - compared.figures.volatility)} of volatility, ${percent(turnover(compared.weights, place.weights))} to trade.`)] : []),
      weight_bars(place.weights, compared?.weights ?? null),
      limits_view(place.binding, place.lambda, figures.volatility),
    );
    const { trading, currency } = this.study;
    this.orders.replaceChildren(...(pin === "held" && trading ? [orders_view(trading, place.weights, currency)] : []));
  }
}
